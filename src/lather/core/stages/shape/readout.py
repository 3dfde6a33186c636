"""What Shape has moved, in numbers: for the desk and the command line."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from lather.core.job.delivered import mm_per_px
from lather.core.job.face_map import FaceMap
from lather.core.job.face_mesh import CHIN, FOREHEAD_TOP, JAW_CORNERS, MOUTH_CORNERS, NOSE_TIP
from lather.core.job.model import Job
from lather.core.stages.base import STILL
from lather.core.stages.shape.field import Field
from lather.core.stages.shape.guard import extremes
from lather.core.stages.shape.lines import bend_px
from lather.core.stages.shape.measures import left_right

if TYPE_CHECKING:
    from lather.core.engine.engine import Engine

BEND_LIMIT_PX = 0.5
_NAMES = {
    CHIN: "chin", NOSE_TIP: "nose", FOREHEAD_TOP: "hairline", JAW_CORNERS["left"]: "jaw, left",
    JAW_CORNERS["right"]: "jaw, right", MOUTH_CORNERS["left"]: "mouth, left", MOUTH_CORNERS["right"]: "mouth, right",
    234: "cheekbone, left", 454: "cheekbone, right", 187: "cheek, left", 411: "cheek, right", 159: "eye, left",
    386: "eye, right", 105: "brow, left", 334: "brow, right",
}
_NEAR = 0.25  # face widths: further off it is no part of the face


@dataclass(frozen=True)
class Bend:
    """A line behind the person. px: how far it is bent; on the photo it was straight. now: places (n, 2) that it goes
    through in the picture. parts: what is seen of it.
    """

    name: str
    start: tuple[float, float]
    end: tuple[float, float]
    px: float
    now: np.ndarray
    parts: tuple = ()

    @property
    def over(self) -> bool:
        return self.px > BEND_LIMIT_PX


@dataclass(frozen=True)
class Moves:
    """largest_px: the largest move, in `place`. percent: of the face's width, None without a face. mm: in the print.
    sides, sides_before: left against right, % of the face's width. tightest: least area, of 1.
    """

    largest_px: float = 0.0
    place: str = ""
    percent: float | None = None
    mm: float = 0.0
    sides: float | None = None
    sides_before: float | None = None
    tightest: float = 1.0
    bends: tuple[Bend, ...] = ()

    @property
    def worst_bend(self) -> Bend | None:
        over = [bend for bend in self.bends if bend.over]
        return max(over, key=lambda bend: bend.px) if over else None


def moves_of(engine: "Engine", job: Job, lines: Sequence = ()) -> Moves:
    """What the job has moved. lines: those found behind the person (name, start, end)."""
    warp, face = engine.warp(job), job.face_map
    known = face is not None and bool(face.mesh)
    before = left_right(face) if known else None
    bends = tuple(_bend(warp, line) for line in lines)
    if warp is STILL:
        return Moves(percent=0.0 if known else None, sides=before, sides_before=before, bends=bends)
    px, x, y = warp.largest
    grid = warp.grid
    return Moves(
        px, _name_of(face, x, y) if known else "", 100 * px / face.width_px if known else None,
        px * mm_per_px(job.brief, engine.photo.bounds), left_right(face, warp.to_above) if known else None, before,
        float(extremes(warp.forward, grid.dx, grid.dy, *warp.box)[0]), bends,
    )


def _bend(warp, line) -> Bend:
    if isinstance(warp, Field):
        px, now = bend_px(warp, line.parts)
    else:
        px, now = 0.0, np.array([line.start, line.end], float)
    return Bend(line.name, line.start, line.end, px, now, line.parts)


def _name_of(face: FaceMap, x: float, y: float) -> str:
    """The part of the face that lies nearest."""
    places = face.mesh_px[list(_NAMES)]
    far = np.hypot(*(places - (x, y)).T)
    nearest = int(far.argmin())
    return list(_NAMES.values())[nearest] if far[nearest] < _NEAR * face.width_px else ""
