"""The picture in coarse cells at a scale that suits the face: what light lies on it, worked out once for each cell."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from lather.core.colour import srgb
from lather.core.imageio.jpeg_blocks import Blocks, without_blocks
from lather.core.job.face_map import FaceMap
from lather.core.stages.base import Pixels, Surroundings
from lather.core.types import LinearRGB, Mask, Rect

FACE_PX = 320  # width of a face on the fine grid, which the network sees
UNIT, UNIT_POINTS = 48, 24  # fine pixels of the smallest square that is worked out, and points of the coarse grid in it
CELL_UNITS, MARGIN_UNITS = 8, 2  # of a cell, and around what is worked out: as far as the network looks
POINTS = CELL_UNITS * UNIT_POINTS  # of the coarse grid along a cell
_NO_FACE_SHARE = 0.35  # of the shorter side, where there is no face
_LEAST_STEP = 1.0
_LUMINANCE = np.float32([0.2126, 0.7152, 0.0722])
_BLACK = np.float32(1e-3)
SKIN_READ = b"read"
"""How `Seen.skin_key` begins where the photo was read."""


@dataclass(frozen=True)
class Seen:
    """A picture that is read coarsely. photo: what does not change when something beneath is edited. fingerprint(rect):
    names its level-0 pixels. skin(rect, level): share of bare skin as the photo was read, None where nobody read it;
    skin_key: names what was corrected of that. blocks: that JPEG left in it, which are no light.
    """

    read: Pixels
    fingerprint: Callable[[Rect], bytes]
    photo: Pixels
    bounds: Rect
    faces: tuple[FaceMap, ...] = ()
    skin: Callable[[Rect, int], Mask] | None = None
    skin_key: bytes = b""
    blocks: Blocks | None = None

    @classmethod
    def input_of(cls, around: Surroundings) -> "Seen":
        """The input of the stage."""
        return cls(around.stage_input, around.stage_fingerprint, around.photo, around.bounds, around.faces,
                   *_skin_of(around), around.blocks)

    @classmethod
    def photo_of(cls, around: Surroundings) -> "Seen":
        """The untouched photo, as a picture in cells sees it."""
        return cls(around.photo, lambda _: b"photo", around.photo, around.bounds, around.faces, *_skin_of(around),
                   around.blocks)

    @cached_property
    def grid(self) -> "Grid":
        """How its cells lie."""
        return Grid.of(self.bounds, self.faces)


def _skin_of(around: Surroundings) -> tuple[Callable[[Rect, int], Mask] | None, bytes]:
    zones, faces = around.zones, around.faces
    if zones is None:
        return None, b""
    return lambda rect, level: zones.mask("skin", faces, rect, level), SKIN_READ + zones.digest


@dataclass(frozen=True)
class Grid:
    """Where cells lie. level: that is read. unit: its pixels along a unit. bounds: of level 0."""

    level: int
    unit: int
    bounds: Rect

    @classmethod
    def of(cls, bounds: Rect, faces: tuple[FaceMap, ...]) -> "Grid":
        """The scale goes by the largest face, whichever is in hand."""
        width = max((face.width_px for face in faces), default=_NO_FACE_SHARE * min(bounds.width, bounds.height))
        step = max(_LEAST_STEP, width / FACE_PX)
        level = max(0, int(np.floor(np.log2(step))))
        return cls(level, max(1, round(UNIT * step / (1 << level))), bounds)

    @property
    def side(self) -> int:
        """Level-0 pixels along a cell."""
        return (CELL_UNITS * self.unit) << self.level

    @property
    def px(self) -> float:
        """Level-0 pixels from one point of the coarse grid to the next."""
        return self.side / POINTS

    def cells(self, rect: Rect) -> Rect:
        """Columns and rows of the cells that a level-0 rectangle reaches, with a point more on each side."""
        more = int(np.ceil(self.px)) + 1
        inside = rect.expand(more).intersect(self.bounds)
        x0, y0, x1, y1 = inside
        return Rect(x0 // self.side, y0 // self.side, -(-x1 // self.side), -(-y1 // self.side))

    def cell_units(self, column: int, row: int) -> Rect:
        """The units of a cell."""
        x0, y0 = column * CELL_UNITS, row * CELL_UNITS
        return Rect(x0, y0, x0 + CELL_UNITS, y0 + CELL_UNITS)

    def units(self, rect: Rect) -> Rect:
        """The units that a level-0 rectangle reaches."""
        side = self.unit << self.level
        x0, y0, x1, y1 = rect
        return Rect(x0 // side, y0 // side, -(-x1 // side), -(-y1 // side))

    def reads(self, units: Rect) -> Rect:
        """Level-0 pixels that units are made from."""
        side = self.unit << self.level
        return Rect(*(n * side for n in units.expand(MARGIN_UNITS))).intersect(self.bounds)


@dataclass(frozen=True)
class Field:
    """Values (h, w, c) on the coarse grid; point (0, 0) stands for the square whose corner is `origin` (level-0 px)."""

    values: np.ndarray
    origin: tuple[float, float]
    px: float

    def at(self, rect: Rect, level: int, *, smooth: bool = False) -> np.ndarray:
        """float32 (h, w, c) of a rectangle of a level, between the points; smooth: without a bend at each point."""
        step = float(1 << level)
        scale = step / self.px
        x = (rect.x0 * step - self.origin[0]) / self.px + 0.5 * scale - 0.5
        y = (rect.y0 * step - self.origin[1]) / self.px + 0.5 * scale - 0.5
        matrix = np.float64([[scale, 0, x], [0, scale, y]])
        out = cv2.warpAffine(self.values, matrix, (rect.width, rect.height),
                             flags=(cv2.INTER_CUBIC if smooth else cv2.INTER_LINEAR) | cv2.WARP_INVERSE_MAP,
                             borderMode=cv2.BORDER_REPLICATE)
        if smooth:
            np.clip(out, self.values.min(), self.values.max(), out=out)
        return out.reshape(rect.height, rect.width, -1)

    def channel(self, number: int) -> "Field":
        """One channel alone."""
        return Field(np.ascontiguousarray(self.values[..., number]), self.origin, self.px)

    def cut(self, rect: Rect) -> "Field":
        """The points around a level-0 rectangle."""
        (ox, oy), (height, width) = self.origin, self.values.shape[:2]
        x0, y0 = (max(0, int(np.floor((a - b) / self.px))) for a, b in ((rect.x0, ox), (rect.y0, oy)))
        x1, y1 = (min(n, int(np.ceil((a - b) / self.px))) for a, b, n in ((rect.x1, ox, width), (rect.y1, oy, height)))
        return Field(self.values[y0:y1, x0:x1], (ox + x0 * self.px, oy + y0 * self.px), self.px)

    @property
    def rect(self) -> Rect:
        """Level-0 pixels that it covers."""
        height, width = self.values.shape[:2]
        x, y = self.origin
        return Rect(round(x), round(y), round(x + width * self.px), round(y + height * self.px))


def assembled(seen: Seen, rect: Rect, cell_of: Callable[[int, int], np.ndarray]) -> Field:
    """The field over the cells of a level-0 rectangle. cell_of(column, row): (POINTS, POINTS, c)."""
    cells = seen.grid.cells(rect)
    rows = [np.concatenate([cell_of(column, row) for column in range(cells.x0, cells.x1)], 1)
            for row in range(cells.y0, cells.y1)]
    return as_field(seen.grid, np.concatenate(rows, 0), (cells.x0 * seen.grid.side, cells.y0 * seen.grid.side))


def as_field(grid: Grid, values: np.ndarray, origin: tuple[int, int]) -> Field:
    """Values from a level-0 corner on, without those off the picture: they would be a mean with nothing."""
    height = int(np.ceil((grid.bounds.y1 - origin[1]) / grid.px))
    width = int(np.ceil((grid.bounds.x1 - origin[0]) / grid.px))
    return Field(values[:height, :width], origin, grid.px)


def read_units(seen: Seen, units: Rect, margin: int = 0) -> LinearRGB:
    """Linear light of units, and of `margin` units around them, on the fine grid; beyond the picture its border
    repeats.
    """
    grid, around = seen.grid, units.expand(margin)
    wanted = Rect(*(n * grid.unit for n in around))
    there = wanted.intersect(grid.bounds.at_level(grid.level))
    encoded = seen.read(there, grid.level)
    if seen.blocks is not None and grid.level == 0:
        encoded = without_blocks(encoded, there, seen.blocks)
    pixels = srgb.decode(np.clip(encoded, 0, 1))
    pixels = cv2.copyMakeBorder(pixels, there.y0 - wanted.y0, wanted.y1 - there.y1, there.x0 - wanted.x0,
                                wanted.x1 - there.x1, cv2.BORDER_REPLICATE)
    shrinks = grid.unit > UNIT
    return cv2.resize(pixels, (UNIT * around.width, UNIT * around.height),
                      interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR)


def skin_of_units(seen: Seen, units: Rect) -> Mask:
    """Share of skin at the points of units, as the photo was read; 1 where nobody read it."""
    grid, size = seen.grid, (units.width * UNIT_POINTS, units.height * UNIT_POINTS)
    if seen.skin is None:
        return np.ones(size[::-1], np.float32)
    wanted = Rect(*(n * grid.unit for n in units))
    there = wanted.intersect(grid.bounds.at_level(grid.level))
    if there.empty:
        return np.zeros(size[::-1], np.float32)
    share = cv2.copyMakeBorder(seen.skin(there, grid.level), there.y0 - wanted.y0, wanted.y1 - there.y1,
                               there.x0 - wanted.x0, wanted.x1 - there.x1, cv2.BORDER_REPLICATE)
    return cv2.resize(share, size, interpolation=cv2.INTER_AREA)


def log_light(linear: LinearRGB) -> np.ndarray:
    """Natural logarithm of the luminance, at the points of the coarse grid."""
    means = cv2.resize(linear @ _LUMINANCE, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    return np.log(means + _BLACK)
