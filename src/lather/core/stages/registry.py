"""The stages of the course that this version computes, one line each, in order; and their layer kinds."""

from dataclasses import dataclass

from lather.core.stages.base import LayerKind
from lather.core.stages.grain.kind import GrainKind
from lather.core.stages.mend.kind import MendKind
from lather.core.stages.split.kind import SplitKind
from lather.core.stages.strands.kind import StrandsKind


@dataclass(frozen=True)
class StageInfo:
    """What the desk needs to know of a stage: its id, its label, and the kind of a new layer."""

    id: str
    label: str
    layer_kind: str
    first_layer_name: str


STAGES = (
    StageInfo("mend", "Mend", "mend", "Spots"),
    StageInfo("strands", "Strands", "strands", "Stray hairs"),
    StageInfo("split", "Split", "split", "Tone"),
    StageInfo("grain", "Grain", "grain", "Grain"),
)


def make_kinds() -> dict[str, LayerKind]:
    """Fresh layer kinds, with caches of their own, for one open photo."""
    return {kind.id: kind for kind in (MendKind(), StrandsKind(), SplitKind(), GrainKind())}
