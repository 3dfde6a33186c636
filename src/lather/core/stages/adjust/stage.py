"""What stages of adjustments share when they tell what they are."""

from dataclasses import replace

from lather.core.job.fence import Fence
from lather.core.job.model import Layer, new_id
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.base import LayerKind
from lather.core.stages.example import FENCE, edit


def tools_by_kind(*kinds: type[AdjustmentKind]):
    """`StageInfo.tools_of` of a stage with layers of these kinds."""
    tools = {kind.id: kind.tools for kind in kinds}

    def tools_of(layer: Layer) -> tuple[str, ...]:
        return tools.get(layer.kind, kinds[0].tools)

    return tools_of


def example_layer(kind: type[LayerKind], *, strength: float = 1.0, fence: Fence | None = None, shift: int = 0,
                  **settings) -> Layer:
    """A layer of a kind whose mask is made with every tool."""
    line = [(60 + 24 * i, 120 + shift + 4 * i) for i in range(18)]
    area = [(220, 140), (420, 130), (450, 260), (230, 300)]
    tools = [name for name in kind.tools if name in ("mask_area", "target", "mask", "unmask", "grow")]
    edits = {
        "mask_area": edit("mask_area", area, size=60, feather=12.0), "target": edit("target", area, feather=30.0),
        "mask": edit("mask", line, size=110, edge=0.8, flow=0.6), "unmask": edit("unmask", line[4:9], size=50),
        "grow": replace(edit("grow", [(300, 320), (480, 320), (480, 440), (300, 440)], feather=4.0), fence=FENCE),
    }
    return Layer(new_id(), kind.label, kind.id, strength=strength, fence=fence, settings=kind.new_settings() | settings,
                 edits=tuple(edits[name] for name in tools))
