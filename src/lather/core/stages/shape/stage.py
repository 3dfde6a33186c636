"""Shape: places are moved, by hand and by measure; everything else follows."""

from lather.core.job.model import Layer, new_id
from lather.core.stages.example import FENCE, edit
from lather.core.stages.info import StageInfo
from lather.core.stages.shape.kind import ShapeKind
from lather.core.stages.shape.plan import planned

TOOLS = ("push", "swell", "draw_in", "settle", "hold", "stretch", "tuck", "straighten")


def _example() -> tuple[Layer, ...]:
    down = [(150 + 2 * n, 80 + 9 * n) for n in range(5)]
    return (
        Layer(new_id(), "By hand", "shape", edits=(
            edit("hold", [(300, 300), (340, 310)], size=60, order=1),
            edit("push", [(200, 250), (230, 260), (260, 265)], size=200, edge=1.0, flow=0.5, order=2),
            edit("swell", [(400, 200), (404, 202)], size=150, edge=1.0, flow=0.4, order=3),
            edit("draw_in", [(120, 400), (125, 402)], size=120, edge=1.0, flow=0.4, order=4),
            edit("settle", [(210, 250), (230, 255)], size=60, order=5),
            edit("let_go", [(300, 300), (304, 300)], size=30, order=6),
            edit("hold_area", [(420, 380), (480, 380), (470, 430)], size=40, mode="inside", feather=12.0, order=7),
            edit("tuck", [(250, 420), (300, 425), (350, 420)], size=80, edge=1.0, flow=0.5, order=8,
                 pull=(250.0, 420.0, 250.0, 400.0)),
        )),
        Layer(new_id(), "More", "shape", strength=0.7, fence=FENCE, edits=(
            edit("push", down, size=160, edge=1.0, flow=0.4, order=9, mirror=(-1.0, 0.0, 0.0, 1.0, 611.0, 0.0)),
            edit("stretch", [(380, 100), (420, 100), (420, 140), (380, 140)], order=10,
                 pull=(420.0, 120.0, 427.0, 121.0)),
            edit("straighten", [(60, 60), (520, 90)], size=30, order=11),
            edit("measure", [(300, 160), (300, 152)], size=120, mode="any", order=12),
        )),
    )


STAGE = StageInfo("shape", "Shape", ShapeKind, "By hand", TOOLS, _example, edit_word="move", planned=planned)
