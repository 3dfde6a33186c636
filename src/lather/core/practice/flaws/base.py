"""What every flaw maker shares: the scene it draws on, the flaw's description, pigments of skin, blob shapes."""

from dataclasses import dataclass, field

import cv2
import numpy as np

from lather.core.colour import srgb
from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.practice.places import Places
from lather.core.practice.sitters import Sitter
from lather.core.types import LinearRGB, Mask, Rect

# absorbance of the pigment per unit, R, G, B (melanin falls with wavelength; blood takes green most)
MELANIN = np.array([0.55, 0.85, 1.15], np.float32)
PALE_MELANIN = np.array([0.34, 0.82, 1.45], np.float32)  # of freckles: yellower than that of a mole
STALE_BLOOD = np.array([0.72, 1.0, 0.98], np.float32)  # what a healed spot leaves: darker, hardly yellow
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
        """As flaws.json holds it."""
        data = {
            "id": self.id,
            "kind": self.kind,
            "x": round(self.x, 1),
            "y": round(self.y, 1),
            "size_px": round(self.size_px, 1),
            "contrast_de": round(self.contrast_de, 2),
            "zone": self.zone,
            "keeper": self.keeper,
            "worth": bool(self.size_px >= 4 and self.contrast_de >= 2),
            "outline": [[round(px, 1), round(py, 1)] for px, py in self.outline],
        } | self.extra
        if self.path is not None:
            data["path"] = [[round(px, 1), round(py, 1)] for px, py in self.path]
            data["width_px"] = round(self.width_px or 0, 1)
        return data


@dataclass(eq=False)
class Scene:
    """What makers draw on: `linear` (h, w, 3) in linear light, changed in place. `light`: towards it, in the picture.

    `screen` holds what lies in front of the lens and is out of focus: drawn last, over everything.
    """

    sitter: Sitter
    linear: LinearRGB
    places: Places
    rng: np.random.Generator
    light: tuple[float, float]

    @property
    def whole(self) -> Rect:
        """All of the picture."""
        return Rect(0, 0, self.linear.shape[1], self.linear.shape[0])

    @property
    def per_mm(self) -> float:
        """Pixels to a millimetre of skin."""
        return self.sitter.pixels_per_mm

    def window(self, x: float, y: float, margin: float) -> Rect:
        """A square around a place, as far as the picture goes."""
        m = int(np.ceil(margin))
        return Rect(int(x) - m, int(y) - m, int(x) + m + 1, int(y) + m + 1).intersect(self.whole)

    def read(self, rect: Rect) -> LinearRGB:
        """A copy of a rectangle, linear light 0-1."""
        return self.linear[rect.slices(self.whole)].copy()

    def write(self, rect: Rect, pixels: LinearRGB) -> None:
        """Put a rectangle back."""
        self.linear[rect.slices(self.whole)] = pixels

    def zones(self, rect: Rect) -> np.ndarray:
        """Zone labels of a rectangle, as the plates have them."""
        return self.sitter.zones[rect.slices(self.whole)]


def blob(
    scene: Scene,
    rect: Rect,
    x: float,
    y: float,
    radius: float,
    *,
    softness: float,
    rough: float = 0.18,
    stretch: float = 1.0,
    turn: float = 0.0,
) -> tuple[Mask, list[tuple[float, float]]]:
    """An irregular round mask 0-1 over `rect` and its outline at half height.

    It lies on the form: where the skin turns away it is seen narrower. stretch, turn: longer along an angle.
    """
    rng = scene.rng
    angles = np.linspace(0, 2 * np.pi, 72, endpoint=False)
    wobble = np.ones_like(angles)
    for order in (2, 3, 4, 5, 7):
        wobble += rough / order * rng.normal() * np.cos(order * angles + rng.uniform(0, 2 * np.pi))
    wobble = np.clip(wobble, 0.65, 1.45)
    shape = seen_shape(scene, x, y) @ turned(turn, stretch)
    back = np.linalg.inv(shape)
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32) + 0.5
    u = back[0, 0] * (xs - x) + back[0, 1] * (ys - y)
    v = back[1, 0] * (xs - x) + back[1, 1] * (ys - y)
    local = radius * np.interp(
        np.arctan2(v, u) % (2 * np.pi), np.append(angles, 2 * np.pi), np.append(wobble, wobble[0])
    )
    distance = np.hypot(u, v) / local
    mask = np.clip((1 + softness / 2 - distance) / softness, 0, 1).astype(np.float32)
    mask = mask * mask * (3 - 2 * mask)
    rim = shape @ (radius * wobble * np.array([np.cos(angles), np.sin(angles)]))
    return mask, [(float(x + a), float(y + b)) for a, b in rim.T[::3]]


def turned(angle: float, stretch: float) -> np.ndarray:
    """(2, 2) stretch along an angle, area kept."""
    c, s = np.cos(angle), np.sin(angle)
    rotation = np.array([[c, -s], [s, c]])
    return rotation @ np.diag([stretch**0.5, stretch**-0.5]) @ rotation.T


def seen_shape(scene: Scene, x: float, y: float) -> np.ndarray:
    """(2, 2) map from the skin's own plane to the picture: narrower along the tilt."""
    nx, ny, nz = scene.sitter.normal_at(x, y)
    tilt = np.hypot(nx, ny)
    if tilt < 1e-3:
        return np.eye(2)
    a, b = nx / tilt, -ny / tilt  # the picture's y goes down
    squeeze = max(0.6, nz)
    return np.eye(2) - (1 - squeeze) * np.array([[a * a, a * b], [a * b, b * b]])


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


def relief(height: np.ndarray, light: tuple[float, float], strength: float) -> np.ndarray:
    """Shading factor of a surface raised by `height` (px): the side towards the light is lit, the other in shade."""
    gx, gy = cv2.Sobel(height, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(height, cv2.CV_32F, 0, 1) / 8
    slope = -(gx * light[0] + gy * light[1])  # rising away from the light is turned towards it
    return 1 + strength * np.tanh(slope)


def scattered(mask: Mask, size_px: float) -> np.ndarray:
    """The mask for R, G, B: light goes further in red, so that the rim of a pigment is redder and wider."""
    return np.stack([cv2.GaussianBlur(mask, (0, 0), max(0.3, s * size_px)) for s in (0.07, 0.035, 0.025)], -1)


def speckled(scene: Scene, mask: Mask, size_px: float, amount: float) -> Mask:
    """Pigment is never laid evenly."""
    noise = cv2.GaussianBlur(scene.rng.standard_normal(mask.shape).astype(np.float32), (0, 0), max(0.8, size_px / 8))
    return mask * (1 + amount * noise / max(float(noise.std()), 1e-6))
