"""Finish: the whole picture's light and colour, all of it through masks."""

from lather.core.job.model import Layer
from lather.core.stages.adjust.hues import HuesKind
from lather.core.stages.adjust.stage import example_layer, tools_by_kind
from lather.core.stages.example import FENCE, HEIGHT, WIDTH
from lather.core.stages.finish.background import BackgroundKind
from lather.core.stages.finish.mono import MonoKind
from lather.core.stages.finish.plan import planned
from lather.core.stages.finish.pool import PoolKind, head_shape
from lather.core.stages.finish.tints import TintsKind
from lather.core.stages.finish.tone import ToneKind
from lather.core.stages.info import StageInfo

KINDS = (ToneKind, TintsKind, HuesKind, PoolKind, BackgroundKind, MonoKind)
"""In the order in which they are listed."""


def _example() -> tuple[Layer, ...]:
    return (
        example_layer(MonoKind, amount=0.4, everywhere=False, shift=120),
        example_layer(BackgroundKind, zones=[], light=-0.5, usual=[60.0, 4.0, 8.0], fence=FENCE),
        example_layer(PoolKind, shape=head_shape(None, WIDTH, HEIGHT), warmth_out=-3.0, strength=0.7),
        example_layer(HuesKind, turn=-8.0, chroma=-0.2, everywhere=False, shift=60),
        example_layer(TintsKind, shadows_chroma=5.0, lights_chroma=4.0, shift=30),
        example_layer(ToneKind, exposure=0.2, contrast=0.1, warmth=2.0, tint=-1.0,
                      curve=[[0.0, 0.0], [0.3, 0.28], [0.7, 0.74], [1.0, 1.0]]),
    )


STAGE = StageInfo("finish", "Finish", ToneKind, "Curve and points", ToneKind.tools, _example, tools_by_kind(*KINDS),
                  edit_word="stroke", more_kinds=KINDS[1:], planned=planned)
