"""Parts: what is told of each pixel, as hatches that differ by direction and distance; colours stay as they are."""

from typing import ClassVar

import cv2
import numpy as np

from lather.core.job.part_strokes import PART_NAMES
from lather.core.lamps.base import Lamp
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Mask, Rect

_HATCHES: dict[str, tuple[tuple[int, int], int, int]] = {
    # (step across and down that a line runs along), px from line to line, px of a line
    "skin": ((1, 1), 12, 1), "hair": ((1, -1), 6, 1), "beard": ((1, -1), 9, 2), "brows": ((1, -1), 4, 1),
    "lips": ((0, 1), 6, 1), "teeth": ((1, 0), 5, 1), "mouth": ((1, 0), 4, 2), "eye white": ((0, 1), 4, 1),
    "iris": ((1, 0), 3, 1), "cloth": ((1, 0), 12, 1), "other": ((0, 1), 9, 3),
}
_CONTRAST = np.float32(0.20)
_RIM = np.float32(0.55)
_MIDDLE = np.float32(0.5)


class PartsLamp(Lamp):
    """Hatches by part, and a line between two parts; the ground is left bare."""

    id: ClassVar[str] = "parts"
    label: ClassVar[str] = "Parts"
    hint: ClassVar[str] = "What each place is taken for: skin, hair, cloth, lips, eyes …; paint to correct it"

    def reach(self, settings: dict) -> int:
        """The pixel beyond, to see where a part ends."""
        return 2

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        pixels = around.below(rect, level).copy()
        if around.zones is None:
            return pixels
        wide = rect.expand(1).intersect(around.bounds.at_level(level))
        labels = around.zones.labels(around.faces, wide, level)
        own = rect.slices(wide)
        lines = _hatched(labels[own], rect)
        light = pixels.mean(-1)
        towards = np.where(light > _MIDDLE, np.float32(0), np.float32(1))[..., None]
        pixels += (lines * _CONTRAST)[..., None] * (towards - pixels)
        edges = (cv2.morphologyEx(labels, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0)[own]
        pixels += (edges * _RIM)[..., None] * (towards - pixels)
        return pixels


def _hatched(labels: np.ndarray, rect: Rect) -> Mask:
    """1 on the lines of each part's hatch: fixed to the picture, so that tiles meet."""
    ys, xs = np.ogrid[rect.y0 : rect.y1, rect.x0 : rect.x1]
    out = np.zeros(labels.shape, np.float32)
    for name, ((dx, dy), apart, wide) in _HATCHES.items():
        inside = labels == PART_NAMES.index(name)
        if inside.any():
            out[inside & ((dx * ys - dy * xs) % apart < wide)] = 1
    return out
