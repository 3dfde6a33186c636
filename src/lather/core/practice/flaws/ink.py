"""What is drawn on skin: strokes of ink, as of letters and ornaments; they are to stay."""

import cv2
import numpy as np

from lather.core.practice.flaws.base import Flaw, Scene, contrast
from lather.core.practice.sitters import SKIN

_INKS = (  # absorbance in R, G, B
    np.array([2.0, 1.9, 1.75], np.float32),  # black
    np.array([2.2, 1.7, 1.1], np.float32),  # blue
    np.array([0.55, 1.5, 2.0], np.float32),  # henna
)
_SIZE_MM, _STROKE_MM = (14, 30), (0.7, 1.6)
_OFF_FACE_MM = 6.0
_SMALLER = 0.8
_LEAST_MM = 9.0


def make_drawn_mark(scene: Scene) -> Flaw | None:
    """A few curved strokes of ink with sharp edges, off the face; None where no skin has room for them."""
    rng = scene.rng
    off_face = _off_face(scene)
    size = rng.uniform(*_SIZE_MM) * scene.per_mm
    place = None
    while place is None and size > _LEAST_MM * scene.per_mm:
        place = scene.places.take(0.5 * size, SKIN, gap=6, where=off_face, least_light=0.01)
        size = size if place is not None else _SMALLER * size
    if place is None:
        return None
    x, y = place
    rect = scene.window(x, y, 0.6 * size)
    drawn = np.zeros((rect.height, rect.width), np.uint8)
    width = max(2, round(rng.uniform(*_STROKE_MM) * scene.per_mm))
    turn, count = rng.uniform(-0.6, 0.6), int(rng.integers(3, 6))
    along = np.array([np.cos(turn), np.sin(turn)])
    for n in range(count):  # side by side, as letters are
        at = np.array([x - rect.x0, y - rect.y0]) + size * 0.75 * ((n + 0.5) / count - 0.5) * along
        corners = at + rng.normal(0, 0.13, (4, 2)) * size * (0.6, 1.0)
        cv2.polylines(drawn, [np.round(16 * _curve(corners)).astype(np.int32)], False, 255, width, cv2.LINE_AA, 4)
    mask = drawn.astype(np.float32) / 255 * (scene.zones(rect) == SKIN)
    before = scene.read(rect)
    ink = _INKS[rng.integers(len(_INKS))] * rng.uniform(0.5, 0.9)
    after = before * np.exp(-ink * mask[..., None])
    scene.write(rect, after)
    side = 2 * max(1, round(1.5 * scene.per_mm)) + 1
    ball = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    whole = cv2.morphologyEx((mask > 0.3).astype(np.uint8), cv2.MORPH_CLOSE, ball)
    contours, _ = cv2.findContours(whole, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    if not contours:
        return None
    rim = cv2.convexHull(np.vstack(contours))[:, 0]
    outline = [(float(a + rect.x0 + 0.5), float(b + rect.y0 + 0.5)) for a, b in rim]
    return Flaw("drawn_mark", x, y, float(size), contrast(before, after, mask), True, outline)


def _curve(corners: np.ndarray) -> np.ndarray:
    """Points (n, 2) of a Bézier curve."""
    t = np.linspace(0, 1, 40)[:, None]
    a, b, c, d = corners
    return (1 - t) ** 3 * a + 3 * t * (1 - t) ** 2 * b + 3 * t**2 * (1 - t) * c + t**3 * d


def _off_face(scene: Scene) -> np.ndarray:
    """True below and beside the face."""
    marks, zones = scene.sitter.landmarks, scene.sitter.zones
    ys, _ = np.mgrid[: zones.shape[0], : zones.shape[1]]
    return ys > marks["chin"][1] + _OFF_FACE_MM * scene.per_mm
