"""Sculpt: light and shade on the form."""

from lather.core.job.model import Layer, new_id
from lather.core.stages.example import FENCE, edit
from lather.core.stages.info import StageInfo
from lather.core.stages.sculpt.kind import SculptKind
from lather.core.stages.sculpt.plan import planned


def _example() -> tuple[Layer, ...]:
    line = [(60 + 24 * i, 150 + 4 * i) for i in range(18)]
    return (
        Layer(new_id(), "Light", "sculpt", settings={"following": 0.3}, edits=(
            edit("light", line, size=160), edit("give_back", line[3:8], size=60),
        )),
        Layer(new_id(), "Shade", "sculpt", strength=0.6, fence=FENCE, settings={"following": 0.0}, edits=(
            edit("light", line[2:9], size=80, mode="skin"), edit("shade", [(x, y + 120) for x, y in line], size=120),
            edit("give_back", line[:4], size=50),
        )),
    )


STAGE = StageInfo("sculpt", "Sculpt", SculptKind, "Light and shade", ("light", "shade", "give_back"), _example,
                  edit_word="stroke", planned=planned)
