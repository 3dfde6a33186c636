"""Spots on skin: blemishes dark, red and bright, flakes, scars; moles and freckles, which are keepers."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.practice.flaws.base import (
    BLOOD,
    MELANIN,
    PALE,
    PALE_MELANIN,
    STALE_BLOOD,
    Flaw,
    Scene,
    blob,
    relief,
    scattered,
    speckled,
    to_contrast,
)
from lather.core.practice.sitters import SKIN


@dataclass(frozen=True)
class Spot:
    """pigment: absorbance; softness of the rim; diameter in mm; contrast in ΔE00; bump: strength of its shading."""

    pigment: np.ndarray
    softness: float
    size_mm: tuple[float, float]
    contrast_de: tuple[float, float]
    bump: float = 0.0
    keeper: bool = False
    rough: float = 0.18


SPOTS = {
    "blemish_dark": Spot(STALE_BLOOD, 1.0, (1.0, 3.2), (4.5, 10.0), 0.02),
    "blemish_red": Spot(BLOOD, 1.4, (1.2, 4.0), (4.5, 9.0), 0.10, rough=0.12),
    "blemish_bright": Spot(PALE, 1.1, (0.9, 2.6), (4.5, 8.0), 0.07, rough=0.08),
    "mole": Spot(MELANIN, 0.45, (2.2, 4.5), (14.0, 24.0), 0.05, keeper=True, rough=0.07),
    "freckle": Spot(PALE_MELANIN, 0.9, (0.8, 1.7), (3.0, 5.5), keeper=True, rough=0.22),
}


def make_spot(scene: Scene, kind: str) -> Flaw | None:
    """A spot of a kind of `SPOTS`, where there is room for it; None where there is none."""
    spot, rng = SPOTS[kind], scene.rng
    size = float(max(4.0, rng.uniform(*spot.size_mm) * scene.per_mm))
    place = scene.places.take(size * 0.7, SKIN, gap=0.6 * size + 6)
    return draw_spot(scene, kind, *place, size, rng.uniform(*spot.contrast_de)) if place else None


def draw_spot(scene: Scene, kind: str, x: float, y: float, size_px: float, contrast_de: float) -> Flaw:
    """Draw one spot of a given diameter and contrast."""
    spot = SPOTS[kind]
    rect = scene.window(x, y, size_px * 1.5 + 6)
    mask, outline = blob(scene, rect, x, y, size_px / 2, softness=spot.softness, rough=spot.rough)
    spread = scattered(speckled(scene, mask, size_px, 0.08), size_px)
    halo = cv2.GaussianBlur(mask, (0, 0), 0.32 * size_px)[..., None] if kind == "blemish_red" else 0.0
    before = scene.read(rect)
    dome = cv2.GaussianBlur(mask, (0, 0), max(0.8, 0.16 * size_px)) * size_px * 0.5
    shade = relief(dome, scene.light, spot.bump)[..., None] if spot.bump else np.float32(1)

    def draw(strength):
        density = strength * spot.pigment * spread + strength * 0.35 * BLOOD * halo
        return before * np.exp(-density) * (1 + (shade - 1) * min(1.0, strength * 4))

    after, reached = to_contrast(draw, before, mask, contrast_de)
    scene.write(rect, after)
    return Flaw(kind, x, y, size_px, reached, spot.keeper, outline)


def make_flake(scene: Scene) -> Flaw | None:
    """Dry skin: a few thin scales close together, pale, with one raised rim that catches light."""
    rng = scene.rng
    size = float(max(5.0, rng.uniform(1.6, 3.4) * scene.per_mm))
    place = scene.places.take(size * 0.8, SKIN, gap=0.6 * size + 6)
    if place is None:
        return None
    x, y = place
    rect = scene.window(x, y, size * 1.4 + 6)
    mask = np.zeros((rect.height, rect.width), np.float32)
    for _ in range(int(rng.integers(2, 5))):
        angle, far = rng.uniform(0, 2 * np.pi), rng.uniform(0, 0.28) * size
        part, _ = blob(
            scene,
            rect,
            x + far * np.cos(angle),
            y + far * np.sin(angle),
            size * rng.uniform(0.16, 0.3),
            softness=0.25,
            rough=0.45,
            stretch=rng.uniform(1.2, 2.2),
            turn=rng.uniform(0, np.pi),
        )
        mask = np.maximum(mask, part * rng.uniform(0.6, 1.0))
    before = scene.read(rect)
    rim = relief(cv2.GaussianBlur(mask, (0, 0), max(0.7, size * 0.05)) * size * 0.3, scene.light, 0.16)[..., None]

    def draw(strength):
        return (
            before * (1 + 0.5 * strength * mask[..., None]) * (1 + (rim - 1) * min(1.0, 2 * strength))
            + 0.02 * strength * mask[..., None]
        )

    after, reached = to_contrast(draw, before, mask, rng.uniform(5.0, 8.5))
    scene.write(rect, after)
    contours, _ = cv2.findContours(
        (cv2.GaussianBlur(mask, (0, 0), size * 0.12) > 0.15).astype(np.uint8),
        cv2.RETR_EXTERNAL,
        cv2.CHAIN_APPROX_SIMPLE,
    )
    rim_points = max(contours, key=cv2.contourArea)[:, 0] + [rect.x0, rect.y0]
    return Flaw("flake", x, y, size, reached, False, [(float(a), float(b)) for a, b in rim_points[::2]])


def make_scar(scene: Scene) -> Flaw | None:
    """A healed cut: a narrow, smooth, paler or pinker band, slightly raised; its pores are gone."""
    rng = scene.rng
    length = rng.uniform(6, 13) * scene.per_mm
    width = float(max(3.0, rng.uniform(0.9, 1.6) * scene.per_mm))
    place = scene.places.take(length * 0.55, SKIN, gap=8)
    if place is None:
        return None
    x, y = place
    turn = rng.uniform(0, np.pi)
    rect = scene.window(x, y, length * 0.8 + 6)
    mask, outline = blob(
        scene, rect, x, y, np.sqrt(length * width) / 2, softness=0.6, rough=0.14, stretch=length / width, turn=turn
    )
    before = scene.read(rect)
    smooth = cv2.GaussianBlur(before, (0, 0), max(1.0, 0.35 * width))
    shade = relief(cv2.GaussianBlur(mask, (0, 0), 0.25 * width) * width * 0.3, scene.light, 0.10)[..., None]
    pigment = PALE * 0.8 if rng.random() < 0.5 else BLOOD * 0.8 + PALE * 0.25

    def draw(strength):
        skin = before + min(1.0, strength * 2) * 0.7 * mask[..., None] * (smooth - before)
        return skin * np.exp(-strength * pigment * mask[..., None]) * (1 + (shade - 1) * min(1.0, 2 * strength))

    after, reached = to_contrast(draw, before, mask, rng.uniform(4.5, 8.0))
    scene.write(rect, after)
    along = np.linspace(-0.46, 0.46, 13)[:, None] * length * np.array([np.cos(turn), np.sin(turn)])
    return Flaw(
        "scar",
        x,
        y,
        float(length),
        reached,
        False,
        outline,
        path=[(float(x + a), float(y + b)) for a, b in along],
        width_px=width,
    )
