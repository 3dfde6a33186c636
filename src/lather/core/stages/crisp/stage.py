"""Crisp: detail where it is painted."""

from lather.core.job.model import Layer
from lather.core.stages.adjust.stage import example_layer
from lather.core.stages.crisp.kind import CrispKind
from lather.core.stages.crisp.plan import planned
from lather.core.stages.example import FENCE
from lather.core.stages.info import StageInfo


def _example() -> tuple[Layer, ...]:
    return (
        example_layer(CrispKind, amount=0.8, noise=0.6),
        example_layer(CrispKind, amount=0.5, wide_amount=0.5, fence=FENCE, strength=0.6, shift=80),
    )


STAGE = StageInfo("crisp", "Crisp", CrispKind, "Detail", CrispKind.tools, _example, edit_word="stroke",
                  planned=planned)
