"""Which layer kinds this version computes, and what their settings may be: asked when a job is read.

Stages declare them (`core/stages/registry.py`). They stand above this package, so they are looked up when the first job
is read, not imported.
"""

import importlib

from lather.core.parameters import Parameter

_REGISTRY = "lather.core.stages.registry"
KINDS: dict[str, tuple[Parameter, ...]] = {}
"""Parameters by layer kind; the registry of stages fills it."""


def layer_kinds() -> dict[str, tuple[Parameter, ...]]:
    """Parameters of every layer kind that this version computes."""
    importlib.import_module(_REGISTRY)
    return KINDS
