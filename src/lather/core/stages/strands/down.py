"""Down: a field of fine hair taken out as far as it is asked for, the longest first; pores, light and colour stay."""

import cv2
import numpy as np

from lather.core import ranges
from lather.core.job.face_map import FaceMap
from lather.core.job.model import Layer
from lather.core.levels import halve
from lather.core.memory import Budget
from lather.core.parameters import Model, Number
from lather.core.phrases import phrase
from lather.core.recent import Recent
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.mask import by_zones
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.base import Surroundings, Zones
from lather.core.stages.strands.fine_hair import REACH_PX, RUN_PX, fine_hair, prominence
from lather.core.types import EncodedRGB, Lab, Mask, Rect

LEAVE = Number("leave", "Leave", ranges.SHARE, 0.0, "%", shown_times=100)
SHARES = tuple(round(0.1 * n, 1) for n in range(1, 10))
"""Of the down that is left, for which a layer keeps how prominent a hair must be to go."""
_SOFT = 0.25  # of that prominence, over which a hair is taken out in part
_CELL_PX = 256
_MOST_LEVEL = 2  # in smaller pictures no single hair of down is seen
_GROWS_BY_NATURE = {"brows": 0.03, "eye_whites": 0.11, "irises": 0.11, "hair": 0.045}
"""Of a face's width: lashes, and single hairs of the hairdo, lie so far over skin."""
_EYE_REACH, _EYE_UP = (0.5, 0.42), 0.08
"""Of the distance of the eyes: halves of the ellipse that holds an eye's lashes and brow, along and across the line of
the eyes, and how far its middle lies over the eye. Lashes and the ends of brows are too thin for any zone.
"""


def read_prominences(value: object) -> tuple[float, ...]:
    """One L* for each of SHARES, rising, as a job file holds them. Raises ValueError or TypeError."""
    found = tuple(float(one) for one in value)
    if len(found) != len(SHARES) or not all(np.isfinite(found)) or any(a > b for a, b in zip(found, found[1:])):
        raise ValueError("there are nine prominences, each at least the one before")
    return found


class DownKind(AdjustmentKind):
    """prominences: of the photo's own hairs, L*, one for each of SHARES: those above it are gone where that share of
    the down is left. Without them all hairs are weakened alike.
    """

    id = "down"
    for_skin = True
    method = b"down-1"
    label, icon = "Down", "fine_hair"
    hint = "Fine hair as a field: how much of it is left, by zone or painted. The longest go first; pores stay."
    own = (LEAVE, Model("prominences", "Prominence", read_prominences))
    mask = by_zones("skin")
    levels_within = 0.02

    def __init__(self, stores=None):
        super().__init__(stores)
        self._cells = Recent(Budget.usual().share("cells"), lambda cell: cell.nbytes + 200)

    def margin(self, layer: Layer) -> int:
        return _CELL_PX + REACH_PX + RUN_PX

    def near(self, layer: Layer) -> int:
        return 0  # cells of its own are read, and kept

    def neutral(self, layer: Layer) -> bool:
        return float(self.value(layer, LEAVE.id)) >= 1

    @classmethod
    def said(cls, layer: Layer) -> str:
        return phrase("leave %1 %", f"{100 * layer.settings.get('leave', LEAVE.start):.0f}")

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        if level > _MOST_LEVEL:
            return pixels.copy()
        if around.zones is not None:
            coverage = coverage * bare_share(around.zones, around.faces, rect, level, around.bounds)
        return changed(pixels, to_lab(pixels), -self._taken(around, layer, rect, level), coverage)

    def _taken(self, around: Surroundings, layer: Layer, rect: Rect, level: int) -> Lab:
        """What is taken out of a rectangle of a level, worked out at the photo's own pixels."""
        if level:
            return halve(self._taken(around, layer, rect.from_level(1).intersect(around.bounds), level - 1))
        wide = rect.expand(RUN_PX).intersect(around.bounds)
        hair = self._hair(around, wide)
        gone = taken(prominence(np.ascontiguousarray(hair[..., 0])), float(self.value(layer, LEAVE.id)),
                     layer.settings.get("prominences"))
        own = rect.slices(wide)
        return gone[own][..., None] * hair[own]

    def _hair(self, around: Surroundings, rect: Rect) -> Lab:
        """Of a rectangle, put together from cells that are kept: a stroke over it asks for them often."""
        bounds = around.bounds
        out = np.zeros((rect.height, rect.width, 3), np.float32)
        for top in range(rect.y0 // _CELL_PX * _CELL_PX, rect.y1, _CELL_PX):
            for left in range(rect.x0 // _CELL_PX * _CELL_PX, rect.x1, _CELL_PX):
                cell = Rect(left, top, left + _CELL_PX, top + _CELL_PX).intersect(bounds)
                part = cell.intersect(rect)
                out[part.slices(rect)] = self._cell(around, cell)[part.slices(cell)]
        return out

    def _cell(self, around: Surroundings, cell: Rect) -> Lab:
        wide = cell.expand(REACH_PX).intersect(around.bounds)
        key = (around.below_fingerprint(wide), cell)
        held = self._cells.get(key)
        if held is None:
            held = fine_hair(to_lab(around.below(wide, 0)))[cell.slices(wide)].astype(np.float16)
            self._cells.put(key, held)
        return held


def bare_share(zones: Zones, faces: tuple[FaceMap, ...], rect: Rect, level: int, bounds: Rect) -> Mask:
    """How far fine hair may be taken out of each pixel of a rectangle of a level, 0-1: not from lashes, brows, the
    hairline or a beard. bounds: of the photo.
    """
    faces = zones.everybody(faces)
    width = max((face.width_px for face in faces), default=0.0)
    reaches = {name: max(1, round(share * width / (1 << level))) for name, share in _GROWS_BY_NATURE.items()}
    soft = min(reaches.values()) | 1
    wide = rect.expand(max(reaches.values()) + soft).intersect(bounds.at_level(level))
    spared = np.zeros((wide.height, wide.width), np.float32)
    for name, reach in reaches.items():
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1,) * 2)
        np.maximum(spared, cv2.dilate(zones.mask(name, faces, wide, level), disc), out=spared)
    _draw_eyes(spared, faces, wide, level)
    spared = cv2.blur(spared, (soft, soft), borderType=cv2.BORDER_REPLICATE)
    return (1 - np.clip(spared, 0, 1))[rect.slices(wide)].copy()


def _draw_eyes(spared: Mask, faces: tuple[FaceMap, ...], rect: Rect, level: int) -> None:
    """Set the lashes and brows of all faces to 1, in place."""
    scale = 1 / (1 << level)
    for face in faces:
        left, right = (np.array(face.points[name], float) for name in ("eye_left", "eye_right"))
        apart = face.eye_distance_px
        along = (right - left) / max(apart, 1e-6)
        up = np.array([along[1], -along[0]])
        for eye in (left, right):
            x, y = (eye + _EYE_UP * apart * up) * scale - (rect.x0, rect.y0)
            sizes = tuple(2 * share * apart * scale for share in _EYE_REACH)
            cv2.ellipse(spared, ((x, y), sizes, float(np.degrees(np.arctan2(along[1], along[0])))), 1.0, -1)


def taken(prominent: Mask, leave: float, prominences: tuple[float, ...] | None) -> Mask:
    """Share 0-1 of each hair's pixels that is taken out: all of a prominent hair, nothing of a fine one.

    prominent: L* (h, w). leave: share of the down that stays.
    """
    if leave <= 0:
        return np.ones_like(prominent)
    if not prominences:
        return np.full_like(prominent, 1 - leave)
    at = float(np.interp(leave, (0.0, *SHARES, 1.0), (0.0, *prominences, 2 * prominences[-1] + 0.1)))
    return np.clip((prominent / max(at, 1e-3) - 1) / _SOFT + 0.5, 0, 1).astype(np.float32)
