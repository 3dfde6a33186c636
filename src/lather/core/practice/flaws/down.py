"""Down: a field of fine short hairs over skin, pale or dark, that lie nearly one way.

A hair is thinner than a pixel on most photos; it is drawn as a line of one pixel that covers as much as its width does.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.practice.flaws.base import Flaw, Scene, contrast
from lather.core.practice.flaws.lines import hair_colour
from lather.core.practice.sitters import SKIN
from lather.core.types import Mask, Rect

DENSITIES = (0.25, 0.6, 1.2)
"""Hairs to a square millimetre: thin, middling, dense."""
LENGTH_MM, WIDTH_MM = (1.2, 6.0), (0.03, 0.08)
_FRACTION = 4  # bits of a pixel that OpenCV draws by
_STEPS = 5
_BLOND = np.array([1.0, 0.88, 0.72], np.float32)
_LEAST_FIELD_MM2 = 60.0
_PLACES = {  # of a face: middle and half sizes, in distances between the eyes from their middle: across, down
    "forehead": (0.0, -0.75, 0.75, 0.3), "cheek, left": (-0.62, 0.75, 0.32, 0.4),
    "cheek, right": (0.62, 0.75, 0.32, 0.4), "upper lip": (0.0, 1.13, 0.35, 0.13),
    "chin": (0.0, 1.75, 0.35, 0.2), "neck": (0.0, 2.5, 0.8, 0.35),
}


@dataclass(frozen=True)
class Fur:
    """How down grows. per_mm2: hairs to a square millimetre; way: the angle they lie at, rad; spread: of single hairs
    about it; length_mm, width_mm: (shortest, longest); colour: linear RGB.
    """

    per_mm2: float
    way: float
    colour: np.ndarray
    spread: float = 0.3
    length_mm: tuple[float, float] = LENGTH_MM
    width_mm: tuple[float, float] = WIDTH_MM


def cover_of(fur: Fur, where: Mask, per_mm: float, rng: np.random.Generator) -> Mask:
    """How far hairs cover each pixel of `where` (h, w), their roots inside it: float32 0-1."""
    height, width = where.shape
    count = int(fur.per_mm2 * height * width / per_mm**2)
    roots = rng.uniform((0, 0), (width, height), (count, 2))
    inside = where[roots[:, 1].astype(int), roots[:, 0].astype(int)] > rng.uniform(0, 1, count)
    roots = roots[inside]
    rough = tuple(max(2, int(n / (12 * per_mm)) + 2) for n in (height, width))
    turn = cv2.resize(rng.normal(0, 0.5, rough).astype(np.float32), (width, height), interpolation=cv2.INTER_CUBIC)
    drawn = np.zeros(where.shape, np.uint8)
    for root in roots:
        way = fur.way + turn[int(root[1]), int(root[0])] + rng.normal(0, fur.spread)
        length = per_mm * np.exp(rng.uniform(*np.log(fur.length_mm)))
        wide = per_mm * rng.uniform(*fur.width_mm)
        bend = rng.normal(0, 0.5)
        way = way + bend * np.linspace(-0.5, 0.5, _STEPS)
        steps = np.stack([np.cos(way), np.sin(way)], 1) * length / _STEPS
        path = root + np.concatenate([[[0, 0]], np.cumsum(steps, 0)])
        at = np.round((path - 0.5) * (1 << _FRACTION)).astype(np.int32)
        for k in range(_STEPS):
            here = wide * (1.1 - 0.8 * k / _STEPS)  # it tapers to its tip
            value = int(255 * min(1.0, here))
            cv2.line(drawn, at[k].tolist(), at[k + 1].tolist(), value, max(1, round(here)), cv2.LINE_AA, _FRACTION)
    return cv2.GaussianBlur(drawn, (0, 0), 0.45).astype(np.float32) / 255 * (where > 0)


def lay(pixels: np.ndarray, cover: Mask, colour: np.ndarray) -> np.ndarray:
    """Linear pixels (h, w, 3) with hairs of a colour, (3,) or (h, w, 3), over them."""
    return (pixels + cover[..., None] * (colour - pixels)).astype(np.float32)


def make_down(scene: Scene) -> Flaw | None:
    """A field of down on one part of the face, as dense as one of `DENSITIES`; None where too little skin is free."""
    rng, marks = scene.rng, scene.sitter.landmarks
    if not {"eye_left", "eye_right", "chin"} <= set(marks):
        return None
    left, right, chin = (np.array(marks[name]) for name in ("eye_left", "eye_right", "chin"))
    apart, middle = float(np.hypot(*(right - left))), (left + right) / 2
    across = (right - left) / max(apart, 1e-6)
    down = np.array([-across[1], across[0]])
    down = down if down @ (chin - middle) > 0 else -down
    for name in rng.permutation(list(_PLACES)):
        u, v, half_u, half_v = (apart * value for value in _PLACES[name])
        x, y = middle + u * across + v * down
        rect = scene.window(x, y, 1.3 * max(half_u, half_v))
        if rect.empty or not scene.places.free(x, y, min(half_u, half_v), among="down"):
            continue
        where = _field(scene, rect, (x, y), (half_u, half_v), across, down)
        if (where > 0.5).sum() > _LEAST_FIELD_MM2 * scene.per_mm**2:
            scene.places.claim(x, y, min(half_u, half_v), "down")
            way = float(np.arctan2(*down[::-1]) + rng.normal(0, 0.5))
            fur = Fur(float(rng.choice(DENSITIES)), way, _colour(scene, rect))
            return draw_down(scene, rect, where, fur)
    return None


def draw_down(scene: Scene, rect: Rect, where: Mask, fur: Fur) -> Flaw | None:
    """Down over a part `where` (0-1) of a rectangle, drawn in place; None where no hair has room."""
    before = scene.read(rect)
    cover = cover_of(fur, where, scene.per_mm, scene.rng)
    rims, _ = cv2.findContours((where > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    if not rims or not cover.any():
        return None
    after = lay(before, cover, fur.colour * _light_here(before, scene.per_mm))
    scene.write(rect, after)
    rim = cv2.approxPolyDP(max(rims, key=cv2.contourArea), 2.0, True)[:, 0] + (rect.x0 + 0.5, rect.y0 + 0.5)
    x, y = rim.mean(0)
    across = float(np.hypot(*np.ptp(rim, axis=0)))
    return Flaw("down", float(x), float(y), across, contrast(before, after, cover), False,
                [(float(a), float(b)) for a, b in rim],
                extra={"per_mm2": fur.per_mm2, "way_degrees": round(float(np.degrees(fur.way)), 1)})


def _light_here(pixels: np.ndarray, per_mm: float) -> np.ndarray:
    """How much light falls on each place against the usual: (h, w, 1). Hairs are lit as what they lie on."""
    light = cv2.GaussianBlur(pixels.mean(-1), (0, 0), 2.5 * per_mm)
    return (light / max(float(np.median(light)), 1e-4))[..., None]


def _field(scene: Scene, rect: Rect, middle, halves, across, down) -> Mask:
    """A soft ellipse over a rectangle, of skin only."""
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] + 0.5
    off = np.stack([xs - middle[0], ys - middle[1]], -1)
    far = np.hypot(off @ across / halves[0], off @ down / halves[1])
    clear = scene.places.clear(SKIN)[rect.slices(scene.whole)]
    return (np.clip((1.1 - far) / 0.2, 0, 1) * np.clip(clear / scene.per_mm - 0.5, 0, 1)).astype(np.float32)


def _colour(scene: Scene, rect: Rect) -> np.ndarray:
    """Of the hairs: of the sitter's hair, paler or darker than the skin they lie on."""
    skin = np.median(scene.read(rect).reshape(-1, 3), axis=0)
    if scene.rng.random() < 0.5:
        return np.clip(skin.mean() * _BLOND * scene.rng.uniform(1.5, 2.1) + 0.03, 0, 0.95)  # no blood is in it
    hair = hair_colour(scene)
    return hair if hair.mean() < 0.5 * skin.mean() else 0.35 * hair * skin.mean() / max(float(hair.mean()), 1e-4)
