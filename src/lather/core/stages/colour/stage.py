"""Colour: redness, one skin part matched to another, teeth, eye whites, irises, shine."""

from lather.core.job.model import Layer
from lather.core.stages.adjust.hues import HuesKind
from lather.core.stages.adjust.mask import everywhere
from lather.core.stages.adjust.stage import example_layer, tools_by_kind
from lather.core.stages.colour.area_curve import AreaCurveKind
from lather.core.stages.colour.calm import CalmKind
from lather.core.stages.colour.iris import IrisKind
from lather.core.stages.colour.match import MatchKind
from lather.core.stages.colour.plan import planned
from lather.core.stages.colour.red_eye import RedEyeKind
from lather.core.stages.colour.shine import ShineKind
from lather.core.stages.colour.whiten import WhitenKind
from lather.core.stages.example import FENCE
from lather.core.stages.info import StageInfo

KINDS = (CalmKind, MatchKind, WhitenKind, IrisKind, RedEyeKind, ShineKind, AreaCurveKind, HuesKind)
"""In the order in which they are listed."""


def _example() -> tuple[Layer, ...]:
    skin = [62.0, 15.0, 18.0]
    spread = {"mean": skin, "spread": [4.0, 1.0, 1.2]}
    return (
        example_layer(ShineKind, skin=skin, half=[70.0, 10.0, 14.0], spot_px=24.0, width_px=2.0, texture=1.5,
                      pores_from=[12, -8]),
        example_layer(CalmKind, toward=[60.0, 8.0, 12.0], width_px=3.0, shift=30),
        example_layer(MatchKind, measured_from=spread, shift=60, strength=0.8, width_px=3.0,
                      measured_to={"mean": [66.0, 11.0, 20.0], "spread": [4.5, 1.2, 1.0]}),
        example_layer(WhitenKind, zones=[], measured=[60.0, 4.0, 18.0], fence=FENCE, shift=90),
        example_layer(IrisKind, zones=[], measured=[40.0, 4.0, 12.0], radius_px=10.0, shift=120),
        example_layer(RedEyeKind, shift=140),
        example_layer(AreaCurveKind, curve=[[0.0, 0.0], [0.5, 0.6], [1.0, 1.0]], turned=True, strength=0.5),
        example_layer(HuesKind, **everywhere(), turn=10.0, chroma=0.2, lightness=2.0, shift=160),
    )


STAGE = StageInfo("colour", "Colour", CalmKind, "Calm", CalmKind.tools, _example, tools_by_kind(*KINDS),
                  edit_word="stroke", finds=True, more_kinds=KINDS[1:], planned=planned)
