"""Split as a layer kind: each layer works on one band of what lies beneath it; the rest of the picture rides along."""

from functools import partial

from lather.core import ranges
from lather.core.brush.coverage import stroke_coverage
from lather.core.job.model import Layer, Stroke
from lather.core.parameters import Choice, Flag, Number
from lather.core.stages.mend.kind import MendKind
from lather.core.stages.patches.blocks import split_at_tiles
from lather.core.stages.patches.kind import Read
from lather.core.stages.patches.patch import Patch
from lather.core.stages.patches.solved import Solved
from lather.core.stages.split.area import area_delta, veil_blocks
from lather.core.stages.split.bands import BAND_LABELS, BandSettings, band_reader, guided_halo
from lather.core.stages.split.mix import MixState, mix_blocks
from lather.core.types import Rect

TOOLS_OF_BAND = {
    "tone": ("area", "mix", "copy", "give_back"),
    "texture": ("dab", "carry", "copy", "give_back"),
    "blotch": ("area", "mix", "copy", "give_back"),
    "veil": ("veil", "give_back"),
}
"""What can be done on a layer of each band."""

VEIL_STRENGTH = 0.5
_VEIL_WIDTHS = 2.2  # radius of the veil's smoothing in split widths


def veil_radius(layer: Layer) -> int:
    """Radius of a veil layer's smoothing, px."""
    return max(2, round(_VEIL_WIDTHS * BandSettings.of(layer.settings).width_px))


class SplitKind(MendKind):
    """Renders Split layers. Settings: those of `BandSettings`."""

    id = "split"
    method = MendKind.method + b" split-6"
    parameters = (
        Choice("band", "Band", BAND_LABELS, "tone"),
        Number("width_px", "Split width", ranges.SPLIT_WIDTH_PX, 6.0, "px", step=0.1, logarithmic=True),
        Flag("edge_keeping", "Keep edges", True),
    )

    def reading(self, layer: Layer, read: Read, bounds: Rect) -> Read:
        """Reads the band that a layer works on."""
        return band_reader(read, BandSettings.of(layer.settings), bounds)

    def reads_of(self, layer: Layer, stroke: Stroke, bounds: Rect) -> tuple[Rect, Rect]:
        wide, taken = super().reads_of(layer, stroke, bounds)
        settings = BandSettings.of(layer.settings)
        more = guided_halo(veil_radius(layer)) if settings.band == "veil" else settings.halo
        if not taken.empty:
            taken = taken.expand(more).intersect(bounds)
        return wide.expand(more).intersect(bounds), taken

    def solve_edit(self, layer: Layer, stroke: Stroke, *, read: Read, original: Read, bounds: Rect) -> Patch:
        area = stroke.bounds.intersect(bounds)
        if area.empty:
            return Patch([], bounds)
        if stroke.tool == "area":
            delta = area_delta(stroke, area, read, bounds, layer.fence, BandSettings.of(layer.settings).width_px)
            return Patch.from_blocks([(b, delta[b.slices(area)]) for b in split_at_tiles(area)], bounds)
        if stroke.tool == "mix":
            fence = layer.fence.coverage if layer.fence is not None else None
            return Patch.from_blocks(mix_blocks(stroke, read, area, fence), bounds)
        if stroke.tool == "veil":
            coverage_of = partial(stroke_coverage, stroke)
            blocks = veil_blocks(coverage_of, split_at_tiles(area), read, bounds, veil_radius(layer))
            return Patch.from_blocks(blocks, bounds)
        return super().solve_edit(layer, stroke, read=read, original=original, bounds=bounds)

    def solve_part(self, layer: Layer, stroke: Stroke, coverage_of, area: Rect, **how):
        if stroke.tool != "veil":
            return super().solve_part(layer, stroke, coverage_of, area, **how)
        bounds, only = how["bounds"], how.get("only")
        inside = area.intersect(only) if only is not None else area
        painted = [block for block in split_at_tiles(inside) if coverage_of(block).any()]
        return Solved(veil_blocks(coverage_of, painted, how["read"], bounds, veil_radius(layer)))

    def puller(self, layer: Layer, stroke: Stroke):
        """What carries tone along under the pen, of a Mix; else as Mend has it."""
        return MixState(stroke) if stroke.tool == "mix" else super().puller(layer, stroke)
