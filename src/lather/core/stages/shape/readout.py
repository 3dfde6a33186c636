"""What Shape has moved, in numbers: for the desk and the command line."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from lather.core.job.delivered import mm_per_px
from lather.core.job.face_map import FaceMap
from lather.core.job.face_mesh import CHIN, FOREHEAD_TOP, JAW_CORNERS, MOUTH_CORNERS, NOSE_TIP
from lather.core.job.model import Job
from lather.core.stages.base import STILL, Pixels
from lather.core.stages.shape.field import Field
from lather.core.stages.shape.guard import extremes
from lather.core.stages.shape.lines import bend_px
from lather.core.stages.shape.measures import left_right
from lather.core.types import Rect

if TYPE_CHECKING:
    from lather.core.engine.engine import Engine

BEND_LIMIT_PX = 0.5
_PATCH_PX, _MOST_PATCHES, _MOVED_PX, _FINE_PX = 64, 6, 0.5, 2
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
        """True where it is seen."""
        return self.px > BEND_LIMIT_PX


@dataclass(frozen=True)
class Moves:
    """largest_px: the largest move, in `place`. percent: of the face's width, None without a face. mm: in the print.
    sides, sides_before: left against right, % of the face's width. tightest: least area, of 1. texture: fine texture
    where most was moved, in % of what it was; None where nothing was. held_back: moves that count for less than they
    were made for, as skin would fold.
    """

    largest_px: float = 0.0
    place: str = ""
    percent: float | None = None
    mm: float = 0.0
    sides: float | None = None
    sides_before: float | None = None
    tightest: float = 1.0
    bends: tuple[Bend, ...] = ()
    texture: float | None = None
    held_back: int = 0

    @property
    def worst_bend(self) -> Bend | None:
        """The line that is bent most, of those that are seen; None where none is."""
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
        texture_kept(warp, engine.photo.read), held_back(engine, job),
    )


def held_back(engine: "Engine", job: Job) -> int:
    """How many moves could not go as far as they were drawn."""
    step = next(one for one in engine.stack(job, "shape").steps if one.stage.id == "shape")
    return sum(len(engine.kinds["shape"].moves.of_layer(step, layer).cut) for layer in step.layers)


def texture_kept(field: Field, read: Pixels) -> float | None:
    """Spread of the high-passed photo after it was moved, in % of the same skin's before: the mean of the places that
    were moved most.
    """
    grid, kept = field.grid, []
    side = max(1, round(_PATCH_PX / grid.step))
    length = np.hypot(field.forward[..., 0], field.forward[..., 1])
    rows, columns = (n // side for n in length.shape)
    blocks = length[: rows * side, : columns * side].reshape(rows, side, columns, side).min((1, 3))
    whole = Rect(0, 0, grid.width, grid.height)
    for index in np.argsort(blocks, axis=None)[: -_MOST_PATCHES - 1 : -1]:
        row, column = np.unravel_index(index, blocks.shape)
        if blocks[row, column] < _MOVED_PX:
            break
        x, y = field.to_above(np.array([(column + 0.5) * side * grid.dx, (row + 0.5) * side * grid.dy]))
        half = _PATCH_PX // 2
        rect = Rect(int(x) - half, int(y) - half, int(x) + half, int(y) + half)
        if whole.contains(rect):
            kept.append(_texture_of_patch(field, read, rect, whole))
    return 100 * float(np.mean(kept)) if kept else None


def _texture_of_patch(field: Field, read: Pixels, rect: Rect, whole: Rect) -> float:
    below = field.places_below(rect)
    (x0, y0), (x1, y1) = np.floor(below.min((0, 1))), np.ceil(below.max((0, 1)))
    wide = Rect(int(x0), int(y0), int(x1), int(y1)).expand(3 * _FINE_PX).intersect(whole)
    fine = [image - cv2.GaussianBlur(image, (0, 0), _FINE_PX)
            for image in (read(wide, 0).mean(-1), field.resample(read, rect, 0).mean(-1))]
    at = np.clip(np.floor(below).astype(int) - (wide.x0, wide.y0), 0, (wide.width - 1, wide.height - 1))
    inner = slice(2 * _FINE_PX, -2 * _FINE_PX)
    before = fine[0][at[..., 1], at[..., 0]][inner, inner].std()
    return float(fine[1][inner, inner].std() / max(before, 1e-6))


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
