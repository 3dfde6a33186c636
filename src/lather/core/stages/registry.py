"""The stages of the course that this version computes, one line each, in order; and their layer kinds."""

from dataclasses import dataclass, field

from lather.core.job.model import MEND_TOOLS, STAGE_IDS, Layer
from lather.core.stages.base import LayerKind
from lather.core.stages.grain.kind import GrainKind
from lather.core.stages.look import LookKind
from lather.core.stages.mend.kind import MendKind
from lather.core.stages.patches.kind import PatchKind
from lather.core.stages.patches.patch import PatchStore
from lather.core.stages.split.kind import TOOLS_OF_BAND, SplitKind
from lather.core.stages.strands.kind import StrandsKind


@dataclass(frozen=True)
class StageInfo:
    """What the desk needs to know of a stage: its id and label, a new layer's kind and name, tools, word for an edit.

    band_tools: tools by the band of the layer in hand, where they depend on it.
    """

    id: str
    label: str
    layer_kind: str
    first_layer_name: str
    tools: tuple[str, ...]
    edit_word: str = "edit"
    band_tools: dict = field(default_factory=dict)

    @property
    def number(self) -> int:
        """Place in the course, from 1."""
        return STAGE_IDS.index(self.id) + 1

    def tools_for(self, layer: Layer | None) -> tuple[str, ...]:
        """Tools that can be used on a layer (on a new one where there is none)."""
        if layer is None or not self.band_tools:
            return self.tools
        return self.band_tools.get(layer.settings.get("band"), self.tools)


STAGES = (
    StageInfo("mend", "Mend", "mend", "Spots", MEND_TOOLS, "mend"),
    StageInfo("strands", "Strands", "strands", "Stray hairs", ("strand", "copy", "carry", "dab", "give_back")),
    StageInfo("split", "Split", "split", "Tone", TOOLS_OF_BAND["tone"], band_tools=TOOLS_OF_BAND),
    StageInfo("grain", "Grain", "grain", "Grain by hand", ("grain", "give_back")),
)


def stage_info(stage_id: str) -> StageInfo:
    return next(info for info in STAGES if info.id == stage_id)


def make_kinds() -> dict[str, LayerKind]:
    """Fresh layer kinds for one open photo; all that solve patches keep them in one store, with one limit."""
    kinds = (MendKind(), StrandsKind(), SplitKind(), GrainKind(), LookKind())
    patches = PatchStore()
    for kind in kinds:
        if isinstance(kind, PatchKind):
            kind.patches = patches
    return {kind.id: kind for kind in kinds}
