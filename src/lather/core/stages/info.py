"""What a stage is, told once in its folder: to the engine, the job file, the desk and the contract test."""

from collections.abc import Callable
from dataclasses import dataclass

from lather.core.job.commands import Command
from lather.core.job.model import STAGE_IDS, Job, Layer
from lather.core.stages.base import LayerKind
from lather.core.stages.planned import Planned, PlanSeen, left


def _none() -> tuple[Layer, ...]:
    return ()


def _not_planned(seen: PlanSeen) -> Planned:
    return left("nothing is planned here")


@dataclass(frozen=True)
class StageInfo:
    """id: one of STAGE_IDS. kind: of its layers; more_kinds: others that they may be of. tools: what can be done on
    them; tools_of(layer) where that depends on the layer. edit_word: what an edit is called. finds: flaws of this stage
    are listed and mended by key.
    automatic(job, measures): the step that it does by itself, or None. planned(seen): what it proposes for a plan.
    example: layers that use every tool and overlap, inside 611×523 px, for the contract test.
    """

    id: str
    label: str
    kind: type[LayerKind]
    first_layer_name: str
    tools: tuple[str, ...]
    example: Callable[[], tuple[Layer, ...]] = _none
    tools_of: Callable[[Layer], tuple[str, ...]] | None = None
    edit_word: str = "edit"
    finds: bool = False
    automatic: Callable[[Job, object], Command | None] | None = None
    more_kinds: tuple[type[LayerKind], ...] = ()
    planned: Callable[[PlanSeen], Planned] = _not_planned

    @property
    def kinds(self) -> dict[str, type[LayerKind]]:
        """All that its layers may be of, by id."""
        return {kind.id: kind for kind in (self.kind, *self.more_kinds)}

    @property
    def number(self) -> int:
        """Place in the course, from 1."""
        return STAGE_IDS.index(self.id) + 1

    def tools_for(self, layer: Layer | None) -> tuple[str, ...]:
        """Tools that can be used on a layer (on a new one where there is none)."""
        return self.tools if layer is None or self.tools_of is None else self.tools_of(layer)
