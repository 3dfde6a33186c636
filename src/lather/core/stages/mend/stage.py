"""Mend: blemishes, scars, creases, specks: everything is mended on the photo as it came."""

import numpy as np

from lather.core.job.model import Layer, new_id
from lather.core.job.source_map import SourceTurn
from lather.core.stages.example import FENCE, HEIGHT, WIDTH, edit
from lather.core.stages.info import StageInfo
from lather.core.stages.mend.kind import MendKind
from lather.core.stages.mend.plan import planned

TOOLS = ("dab", "carry", "copy", "sweep", "graft", "blend_in", "drag", "give_back")
_WITHOUT_SOURCE = ("give_back", "blend_in", "drag")
_TURNED = SourceTurn(True, 25.0, 1.2, (200.0, 200.0))


def _layer(seed: int, count: int = 16) -> Layer:
    rng = np.random.default_rng(seed)
    edits = []
    for number in range(count):
        tool = TOOLS[number % len(TOOLS)]
        x, y = rng.uniform(-10, WIDTH + 10), rng.uniform(-10, HEIGHT + 10)
        steps = int(rng.integers(1, 9))
        places = [(x + 14 * i, y + 9 * i) for i in range(steps)]
        if tool == "graft":
            places = [(x, y), (x + 90, y + 10), (x + 80, y + 80), (x + 10, y + 70)]
        edits.append(edit(
            tool, places, size=float(rng.uniform(8, 130)), edge=0.6, flow=0.5,
            offset=None if tool in _WITHOUT_SOURCE else (37, -45), turn=_TURNED if number % 5 == 1 else None,
            fence=FENCE if number % 7 == 3 else None,
        ))
    edits.insert(3, edit("copy", [(150, 240), (260, 280)], size=160, offset=(-37, 45), own_texture=True))
    return Layer(new_id(), f"Layer {seed}", strength=1.0 - 0.3 * (seed % 2), edits=tuple(edits))


STAGE = StageInfo(
    "mend", "Mend", MendKind, "Spots", TOOLS, lambda: (_layer(0), _layer(1)), edit_word="mend", finds=True,
    planned=planned,
)
