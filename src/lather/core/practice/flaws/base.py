"""What every flaw maker shares: a description of the flaw, blob shapes, and pigments of skin."""

from dataclasses import dataclass, field

import cv2
import numpy as np

from lather.core.colour import srgb
from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.types import LinearRGB, Mask, Rect

# absorbance of the pigment per unit, R, G, B (melanin falls with wavelength; blood takes green most)
MELANIN = np.array([0.55, 0.85, 1.15], np.float32)
BLOOD = np.array([0.16, 1.0, 0.80], np.float32)
PALE = np.array([-0.75, -0.95, -1.05], np.float32)


@dataclass
class Flaw:
    """One made flaw. x, y: its middle; outline: polygon in px; path and width_px for lines."""

    kind: str
    x: float
    y: float
    size_px: float
    contrast_de: float
    keeper: bool
    outline: list[tuple[float, float]]
    zone: str = "skin"
    path: list[tuple[float, float]] | None = None
    width_px: float | None = None
    id: int = 0
    extra: dict = field(default_factory=dict)

    def to_json(self) -> dict:
        data = {
            "id": self.id, "kind": self.kind, "x": round(self.x, 1), "y": round(self.y, 1),
            "size_px": round(self.size_px, 1), "contrast_de": round(self.contrast_de, 2), "zone": self.zone,
            "keeper": self.keeper, "worth": bool(self.size_px >= 4 and self.contrast_de >= 2),
            "outline": [[round(px, 1), round(py, 1)] for px, py in self.outline],
        }
        if self.path is not None:
            data["path"] = [[round(px, 1), round(py, 1)] for px, py in self.path]
            data["width_px"] = round(self.width_px or 0, 1)
        return data


def blob(rng: np.random.Generator, rect: Rect, x: float, y: float, radius: float, *, softness: float,
         rough: float = 0.18) -> tuple[Mask, list[tuple[float, float]]]:
    """An irregular round mask 0-1 over `rect` and its outline at half height."""
    angles = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    wobble = np.ones_like(angles)
    for order in (2, 3, 4, 5):
        wobble += rough / order * rng.normal() * np.cos(order * angles + rng.uniform(0, 2 * np.pi))
    wobble = np.clip(wobble, 0.6, 1.5)
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32) + 0.5
    angle = np.arctan2(ys - y, xs - x) % (2 * np.pi)
    local = radius * np.interp(angle, np.append(angles, 2 * np.pi), np.append(wobble, wobble[0]))
    distance = np.hypot(xs - x, ys - y) / local
    mask = np.clip((1 + softness / 2 - distance) / softness, 0, 1).astype(np.float32)
    mask = mask * mask * (3 - 2 * mask)
    outline = [
        (float(x + radius * w * np.cos(a)), float(y + radius * w * np.sin(a))) for a, w in zip(angles, wobble)
    ]
    return mask, outline[::2]


def contrast(before: LinearRGB, after: LinearRGB, mask: Mask) -> float:
    """Mean CIEDE2000 where the flaw is strongest (mask over 0.7 of its peak)."""
    core = mask > 0.7 * mask.max()
    if not core.any():
        return 0.0
    lab = [srgb_to_lab(srgb.encode(np.clip(p[core], 0, 1)).mean(0, keepdims=True)) for p in (before, after)]
    return float(delta_e2000(lab[0], lab[1])[0])


def to_contrast(draw, before: LinearRGB, mask: Mask, wanted_de: float) -> tuple[LinearRGB, float]:
    """Draw with the strength that gives a wanted contrast; `draw(strength)` returns linear pixels."""
    low, high = 0.0, 3.0
    for _ in range(14):
        middle = (low + high) / 2
        if contrast(before, draw(middle), mask) < wanted_de:
            low = middle
        else:
            high = middle
    after = draw(high)
    return after, contrast(before, after, mask)


def relief(mask: Mask, light: tuple[float, float], height_px: float) -> np.ndarray:
    """Shading factor of a bump shaped like the mask: one side lit, the other in shade."""
    smooth = cv2.GaussianBlur(mask, (0, 0), max(0.8, height_px * 0.25))
    gx, gy = cv2.Sobel(smooth, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(smooth, cv2.CV_32F, 0, 1) / 8
    return 1 - np.clip(height_px * (gx * light[0] + gy * light[1]), -0.5, 0.5)
