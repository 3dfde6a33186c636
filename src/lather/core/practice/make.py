"""Make a practice plate: a sitter with known flaws, the same sitter without them, and the list."""

import json
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from lather.core.colour import profiles, srgb
from lather.core.errors import RequestError, SaveError
from lather.core.imageio.atomic import write_atomically
from lather.core.imageio.png import encode_png
from lather.core.imageio.write import write_picture
from lather.core.phrases import phrase
from lather.core.practice.flaws.base import Flaw, Scene
from lather.core.practice.flaws.registry import MAKERS
from lather.core.practice.grain import Grain, grain_field
from lather.core.practice.places import Places
from lather.core.practice.sitters import SKIN, Sitter, load_sitter

KINDS = tuple(MAKERS)
DEFAULT_FLAWS = {
    "blemish_dark": 14,
    "blemish_red": 12,
    "blemish_bright": 8,
    "mole": 2,
    "freckle": 10,
    "crease": 1,
    "flake": 2,
    "scar": 1,
    "hair_on_skin": 1,
}


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

    def wanted(self) -> np.ndarray:
        """What a perfect hand makes of the photo, uint16 (h, w, 3): the truth, with the marks that are to stay."""
        picture = self.truth.copy()
        for flaw in self.flaws:
            if flaw.keeper:
                reach = int(1.5 * flaw.size_px) + 3
                part = np.s_[max(0, int(flaw.y) - reach) : int(flaw.y) + reach,
                             max(0, int(flaw.x) - reach) : int(flaw.x) + reach]
                own = np.zeros(self.zones[part].shape, np.uint8)
                corner = (part[1].start, part[0].start)
                cv2.fillPoly(own, [np.round(np.array(flaw.outline) - corner).astype(np.int32).reshape(-1, 1, 2)], 1)
                own = cv2.dilate(own, np.ones((7, 7), np.uint8)) > 0
                picture[part][own] = self.photo[part][own]
        return picture

    def to_json(self) -> dict:
        """As flaws.json holds it."""
        height, width = self.zones.shape
        return {
            "width": width,
            "height": height,
            "face_width_px": round(self.sitter.face_width_px, 1),
            "sitter": self.sitter.name,
            "seed": self.seed,
            "grain": {
                "level_percent": self.grain.level_percent,
                "size_px": self.grain.size_px,
                "chroma_share": self.grain.chroma_share,
            },
            "finds": [flaw.to_json() for flaw in self.flaws],
        }


def light_direction(sitter: Sitter) -> tuple[float, float]:
    """Unit vector in the picture towards the light: least squares of skin's luminance on its normals.

    Without normals: from the darker to the brighter half of the skin.
    """
    skin = sitter.zones == SKIN
    ys, xs = np.nonzero(skin[::6, ::6])
    luminance = sitter.linear[::6, ::6].mean(-1)[ys, xs]
    if sitter.normals is not None:
        normals = np.array([sitter.normal_at(6 * x, 6 * y) for y, x in zip(ys[::7], xs[::7])])
        basis = np.column_stack([normals, np.ones(len(normals))])
        slope = np.linalg.lstsq(basis, luminance[::7], rcond=None)[0]
        vector = np.array([slope[0], -slope[1]])
    else:
        weight = luminance - luminance.mean()
        vector = np.array([(weight * xs).sum(), (weight * ys).sum()])
    length = np.hypot(*vector)
    return tuple(float(v) for v in vector / length) if length > 0 else (0.0, -1.0)


def make_plate(
    sitter: Sitter | str,
    seed: int,
    *,
    flaws: dict[str, int] | None = None,
    grain: Grain | None = None,
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
            raise RequestError(phrase("There is no flaw “%1”; choose from %2.", kind, ", ".join(KINDS)))
    grain = grain or Grain()
    photo, truth, drawn = _drawn(sitter, seed, wanted, grain, edge_margin_px)
    return Plate(sitter, seed, photo, truth, sitter.zones, drawn, grain)


def _drawn(
    sitter: Sitter, seed: int, wanted: dict[str, int], grain: Grain, edge_margin_px: float
) -> tuple[np.ndarray, np.ndarray, list[Flaw]]:
    """(photo, truth, flaws) of a plate."""
    rng = np.random.default_rng([seed, sum(map(ord, sitter.name))])
    scene = Scene(sitter, sitter.linear.copy(), Places(sitter, rng, edge_margin_px), rng, light_direction(sitter))
    drawn: list[Flaw] = []
    for kind, make in MAKERS.items():
        for _ in range(wanted.get(kind, 0)):
            flaw = make(scene)
            if flaw is not None:
                flaw.id, flaw.zone = len(drawn) + 1, sitter.zone_at(flaw.x, flaw.y)
                drawn.append(flaw)
    clean = sitter.encoded
    noise = grain_field(clean, grain, rng)
    truth = _codes(clean + noise)
    changed = (scene.linear != sitter.linear).any(-1)
    photo = truth.copy()
    photo[changed] = _codes(srgb.encode(np.clip(scene.linear[changed], 0, 1)) + noise[changed])
    return photo, truth, drawn


def _codes(encoded: np.ndarray) -> np.ndarray:
    return np.round(np.clip(encoded, 0, 1) * 65535).astype(np.uint16)


FILES = ("photo.png", "truth.png", "wanted.png", "zones.png", "flaws.json")
"""Of a practice folder."""


def write_plate(plate: Plate, folder: str | Path) -> None:
    """All `FILES` in `folder`, which is made. Raises SaveError."""
    folder = Path(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SaveError(phrase("The folder %1 cannot be made (%2); choose another.", folder, error.strerror)) from error
    profile = profiles.srgb_profile()
    write_picture(folder / "photo.png", plate.photo, profile=profile)
    write_picture(folder / "truth.png", plate.truth, profile=profile)
    write_picture(folder / "wanted.png", plate.wanted(), profile=profile)
    zones = encode_png(plate.zones)
    for name, data in (("zones.png", zones), ("flaws.json", json.dumps(plate.to_json(), indent=1).encode())):
        write_atomically(folder / name, lambda file, data=data: file.write(data))
