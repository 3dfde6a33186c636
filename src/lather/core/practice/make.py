"""Make a practice plate: a sitter with known flaws, the same sitter without them, and the list."""

import json
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from lather.core.colour import profiles, srgb
from lather.core.errors import RequestError, SaveError
from lather.core.imageio.write import write_picture
from lather.core.practice.flaws.base import Flaw
from lather.core.practice.flaws.crease import draw_crease
from lather.core.practice.flaws.spots import SPOTS, draw_spot, spot_size_px
from lather.core.practice.grain import Grain, grain_field
from lather.core.practice.sitters import SKIN, Sitter, load_sitter

KINDS = (*SPOTS, "crease")
DEFAULT_FLAWS = {
    "blemish_dark": 14, "blemish_red": 12, "blemish_bright": 8, "mole": 2, "freckle": 10, "crease": 1,
}
_TRIES = 4000


@dataclass
class Plate:
    """photo and truth: uint16 (h, w, 3) sRGB, equal wherever no flaw was drawn. zones: labels."""

    sitter: Sitter
    seed: int
    photo: np.ndarray
    truth: np.ndarray
    zones: np.ndarray
    flaws: list[Flaw]
    grain: Grain

    def to_json(self) -> dict:
        height, width = self.zones.shape
        return {
            "width": width, "height": height, "sitter": self.sitter.name, "seed": self.seed,
            "grain": {
                "level_percent": self.grain.level_percent, "size_px": self.grain.size_px,
                "chroma_share": self.grain.chroma_share,
            },
            "finds": [flaw.to_json() for flaw in self.flaws],
        }


def light_direction(sitter: Sitter) -> tuple[float, float]:
    """Unit vector in the picture towards the light: from the darker to the brighter half of the skin."""
    skin = sitter.zones == SKIN
    ys, xs = np.nonzero(skin[::4, ::4])
    lum = sitter.linear[::4, ::4].mean(-1)[ys, xs]
    weight = lum - lum.mean()
    vector = np.array([(weight * xs).sum(), (weight * ys).sum()])
    length = np.hypot(*vector)
    return tuple(float(v) for v in vector / length) if length > 0 else (0.0, -1.0)


class _Places:
    """Free places on skin: clear of its edges and of flaws already drawn."""

    def __init__(self, sitter: Sitter, rng: np.random.Generator):
        skin = (sitter.zones == SKIN).astype(np.uint8)
        pad = cv2.copyMakeBorder(skin, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)
        self._clear = cv2.distanceTransform(pad, cv2.DIST_L2, 5)[1:-1, 1:-1]
        self._luminance = cv2.GaussianBlur(sitter.linear.mean(-1), (0, 0), 4)
        self._taken: list[tuple[float, float, float]] = []
        self._rng = rng

    def take(self, radius: float, *, edge_margin: float, gap: float) -> tuple[float, float] | None:
        """A free middle for a flaw of `radius` px, or None if the skin is full."""
        ys, xs = np.nonzero(self._clear > radius + edge_margin)
        if len(ys) == 0:
            return None
        for _ in range(_TRIES):
            i = self._rng.integers(len(ys))
            x, y = float(xs[i]) + 0.5, float(ys[i]) + 0.5
            if not 0.02 < self._luminance[ys[i], xs[i]] < 0.85:
                continue  # neither deep shadow nor burnt out: a flaw would not show there
            if all(np.hypot(x - a, y - b) > radius + r + gap for a, b, r in self._taken):
                self._taken.append((x, y, radius))
                return x, y
        return None


def make_plate(
    sitter: Sitter | str, seed: int, *, flaws: dict[str, int] | None = None, grain: Grain | None = None,
    edge_margin_px: float = 6.0,
) -> Plate:
    """Draw flaws on a sitter. The same arguments give the same plate.

    flaws: {kind: count}, kinds of KINDS. edge_margin_px: how far flaws keep from the border of skin.
    Raises RequestError for an unknown kind.
    """
    sitter = load_sitter(sitter) if isinstance(sitter, str) else sitter
    wanted = DEFAULT_FLAWS if flaws is None else flaws
    for kind in wanted:
        if kind not in KINDS:
            raise RequestError(f"There is no flaw “{kind}”; choose from {', '.join(KINDS)}.")
    grain = grain or Grain()
    rng = np.random.default_rng([seed, sum(map(ord, sitter.name))])
    light = light_direction(sitter)
    places = _Places(sitter, rng)
    linear = sitter.linear.copy()
    drawn: list[Flaw] = []
    for kind in KINDS:
        for _ in range(wanted.get(kind, 0)):
            flaw = _draw(kind, linear, sitter, places, light, edge_margin_px, rng)
            if flaw is not None:
                flaw.id, flaw.zone = len(drawn) + 1, sitter.zone_at(flaw.x, flaw.y)
                drawn.append(flaw)
    clean = srgb.encode(sitter.linear)
    noise = grain_field(clean, grain, rng)
    truth = _codes(clean + noise)
    changed = (linear != sitter.linear).any(-1)
    photo = np.where(changed[..., None], _codes(srgb.encode(np.clip(linear, 0, 1)) + noise), truth)
    return Plate(sitter, seed, photo, truth, sitter.zones, drawn, grain)


def _codes(encoded: np.ndarray) -> np.ndarray:
    return np.round(np.clip(encoded, 0, 1) * 65535).astype(np.uint16)


def _draw(kind, linear, sitter, places, light, edge_margin, rng) -> Flaw | None:
    if kind == "crease":
        width = max(2.0, rng.uniform(0.5, 0.9) * sitter.pixels_per_mm)
        length = rng.uniform(12, 22) * sitter.pixels_per_mm
        place = places.take(length * 0.55, edge_margin=edge_margin, gap=8)
        if place is None:
            return None
        return draw_crease(linear, *place, length, width, direction=rng.uniform(-0.35, 0.35), light=light, rng=rng)
    size = spot_size_px(kind, rng, sitter.pixels_per_mm)
    place = places.take(size * 0.7, edge_margin=edge_margin, gap=0.6 * size + 6)
    return draw_spot(linear, kind, *place, size, light=light, rng=rng) if place else None


def write_plate(plate: Plate, folder: str | Path) -> None:
    """photo.png, truth.png, zones.png and flaws.json in `folder`, which is made. Raises SaveError."""
    folder = Path(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SaveError(f"The folder {folder} cannot be made ({error.strerror}); choose another.") from error
    profile = profiles.srgb_profile()
    write_picture(folder / "photo.png", plate.photo, profile=profile)
    write_picture(folder / "truth.png", plate.truth, profile=profile)
    zones = cv2.imencode(".png", plate.zones)[1].tobytes()
    for name, data in (("zones.png", zones), ("flaws.json", json.dumps(plate.to_json(), indent=1).encode())):
        try:
            (folder / name).write_bytes(data)
        except OSError as error:
            raise SaveError(f"{name} could not be written to {folder} ({error.strerror}).") from error
