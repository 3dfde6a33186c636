"""Strands: stray hairs against the background and over skin, hairline, brows."""

from lather.core.job.model import Layer, new_id
from lather.core.stages.example import FENCE, edit
from lather.core.stages.info import StageInfo
from lather.core.stages.strands.kind import StrandsKind
from lather.core.stages.strands.plan import planned


def _layer(number: int) -> Layer:
    shift = 60 * number
    edits = (
        edit("strand", [(40 + shift + 9 * i, 60 + 7 * i + 0.2 * i * i) for i in range(40)], size=7),
        edit("copy", [(250, 250 + shift), (300, 300)], size=60, offset=(50, -40), mode="darker"),
        edit("carry", [(180, 330 + shift), (230, 350)], size=50, offset=(60, 30)),
        edit("dab", [(420, 300 + shift)], size=36, offset=(-70, 20)),
        edit("strand", [(500 - 8 * i, 90 + 9 * i) for i in range(44)], size=5, fence=FENCE),
        edit("give_back", [(120, 140), (180, 200)]),
    )
    return Layer(new_id(), f"Strands {number}", "strands", edits=edits)


STAGE = StageInfo(
    "strands", "Strands", StrandsKind, "Stray hairs", ("strand", "copy", "carry", "dab", "give_back"),
    lambda: (_layer(0), _layer(1)), finds=True,
    planned=planned,
)
