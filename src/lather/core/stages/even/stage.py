"""Even: blotches lifted and lowered."""

from lather.core.brush.values import Brush
from lather.core.job.model import Layer, Stroke, freeze_points, new_id
from lather.core.stages.even.kind import EvenKind
from lather.core.stages.even.plan import planned
from lather.core.stages.example import FENCE, edit
from lather.core.stages.info import StageInfo


def _area(corners, mode: str, ceiling: float) -> Stroke:
    points = freeze_points([(x, y, 1, 0) for x, y in corners])
    return Stroke(new_id(), "even_area", Brush(size_px=30, edge=1.0, ceiling=ceiling), points, mode=mode, feather=12.0)


def _example() -> tuple[Layer, ...]:
    line = [(60 + 24 * i, 150 + 4 * i) for i in range(18)]
    return (
        Layer(new_id(), "Lift and lower", "even", edits=(
            edit("lift", line, size=120, mode="free", flow=0.3), edit("lift", line, size=90, mode="assisted"),
            edit("lower", line[::-1], size=80, mode="assisted", fence=FENCE),
            edit("lower", line[3:9], size=100, mode="free", flow=0.2),
            edit("lift", [(140, 300), (200, 300)], size=70, mode="around"),
            edit("give_back", line[2:7], size=40), edit("lower", [(310, 330), (350, 330)], size=60, mode="around"),
        )),
        Layer(new_id(), "Areas", "even", strength=0.6, fence=FENCE, edits=(
            _area([(120, 240), (240, 230), (250, 340), (130, 350)], "around", 0.8),
            _area([(220, 140), (420, 130), (450, 260), (230, 300)], "assisted", 0.8),
            edit("lift", line, size=60, mode="free", flow=0.3),
            edit("lower", line[4:12], size=60, mode="free"), edit("give_back", line[:5], size=30),
        )),
    )


STAGE = StageInfo("even", "Even", EvenKind, "Lift and lower", ("lift", "lower", "even_area", "give_back"), _example,
                  edit_word="stroke", finds=True, planned=planned)
