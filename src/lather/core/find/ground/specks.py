"""What lies on cloth or before the background: specks, and marks of the lens."""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from lather.core.find.scene import FindScene
from lather.core.find.spots import spots
from lather.core.job.finds import Find
from lather.core.types import Mask, Rect

MOST_CANDIDATES = 900
_KEEP_OFF_MM = 3.0
_AROUND, _FINE, _COARSE = 5.0, 0.3, 0.7  # sizes of a find: how far around it is looked, the two Gaussians
_LEAST_OUT, _LEAST_AROUND_PX = 7.3, 60
_LEAST_ON_CLOTH = 0.5  # confidence: weaves, prints and seams look like specks
_ROUGH_L = 6.0  # spread of L* over 3 mm at which the ground is too busy to see a speck on it


@dataclass(eq=False)
class GroundScene(FindScene):
    """The whole picture less skin and hair."""

    @cached_property
    def level(self) -> int:
        """Level of the photo that specks are looked for on."""
        level = FindScene(self.measures).level
        bounds = self.measures.photo.level_bounds(level)
        return level + (bounds.width * bounds.height > 3_000_000)

    @cached_property
    def rect(self) -> Rect:
        """All of that level, px."""
        return self.measures.photo.level_bounds(self.level)

    @cached_property
    def bare(self) -> Mask:
        """Plain ground, 0-1: neither skin nor hair nor an edge."""
        lightness = self.measures.small.mean(-1) * 100
        k = 2 * max(2, int(1.5 * self.measures.pixels_per_mm / self.measures.scale)) + 1
        mean = cv2.blur(lightness, (k, k))
        spread = np.sqrt(np.maximum(cv2.blur(lightness**2, (k, k)) - mean**2, 0))
        person = np.maximum((self.measures.skin > 0.3).astype(np.float32), (spread > _ROUGH_L).astype(np.float32))
        person = cv2.morphologyEx(person, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
        off = 2 * max(2, int(_KEEP_OFF_MM * self.measures.pixels_per_mm / self.measures.scale)) + 1
        clear = 1 - cv2.dilate(person, np.ones((off, off), np.uint8))
        return self.at_scale(clear.astype(np.float32))

    @property
    def searched(self) -> Mask:
        """Where it is looked, 0-1: what is no skin."""
        return self.bare

    def natural_nearness(self, places: np.ndarray) -> np.ndarray:
        """0 for all places (n, 2): off the skin nothing is natural."""
        return np.zeros(len(places))

    def zone(self, x: float, y: float) -> str:
        """What finds here are said to lie on."""
        return "ground"


def find_on_ground(scene: FindScene) -> list[Find]:
    """Specks on cloth and marks of the lens, most certain first."""
    ground = GroundScene(scene.measures, most_candidates=MOST_CANDIDATES)
    finds = spots.name_blobs(ground, spots.measure_blobs(ground), "ground")
    return [find for find in finds if (stands_out(ground, find) > _LEAST_OUT if _before_the_backdrop(scene, find)
                                       else find.confidence > _LEAST_ON_CLOTH)]


def _before_the_backdrop(scene: FindScene, find: Find) -> bool:
    """True off the person: cloth has a weave of its own, which a speck may lie in."""
    backdrop, scale = scene.measures.ground, scene.measures.scale
    row, column = (min(n - 1, int(v / scale)) for n, v in zip(backdrop.shape, (find.y, find.x)))
    return bool(backdrop[row, column] > 0)


def stands_out(ground: GroundScene, find: Find) -> float:
    """How many times a find's own difference of Gaussians is that of usual places around it (median, at its scale).

    A cloudy backdrop or a coarse weave has unevenness of the find's size all around it; a speck has not.
    """
    x, y = ground.to_here(find.x, find.y)
    size = max(3.0, find.size_px / ground.step)
    reach = int(_AROUND * size)
    x0, y0 = max(0, int(x) - reach), max(0, int(y) - reach)
    part = np.ascontiguousarray(ground.lab[y0 : int(y) + reach + 1, x0 : int(x) + reach + 1, 0])
    clear = ground.bare[y0 : int(y) + reach + 1, x0 : int(x) + reach + 1] > 0.5
    change = np.abs(cv2.GaussianBlur(part, (0, 0), _FINE * size) - cv2.GaussianBlur(part, (0, 0), _COARSE * size))
    ys, xs = np.mgrid[: part.shape[0], : part.shape[1]]
    away = np.hypot(ys + y0 - y, xs + x0 - x)
    own, around = change[away < 0.3 * size], change[(away > size) & clear]
    if not own.size or around.size < _LEAST_AROUND_PX:
        return np.inf
    return float(own.max() / max(float(np.median(around)), 1e-3))
