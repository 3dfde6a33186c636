"""The shipped sitters, and plates of one's own: a clean picture, its zone map and landmarks."""

from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from lather.core.colour import srgb
from lather.core.errors import RequestError
from lather.core.imageio.picture import Picture
from lather.core.imageio.read import read_picture
from lather.core.job.face_map import POINTS, FaceMap
from lather.core.phrases import phrase
from lather.core.strict_json import MALFORMED, read
from lather.core.types import EncodedRGB, LinearRGB, as_float32

FOLDER = Path(__file__).parent.parent / "data" / "sitters"
ZONES = {
    0: "background", 1: "skin", 2: "lips", 3: "teeth", 4: "eye white", 5: "iris", 6: "hair", 7: "brows and lashes",
    8: "clothing", 9: "mouth", 10: "other",
}
SKIN, LIPS, TEETH, EYE_WHITE, IRIS, HAIR, BROWS, CLOTHING = 1, 2, 3, 4, 5, 6, 7, 8


def sitter_names() -> list[str]:
    """Those that ship, by name."""
    return sorted(path.stem for path in FOLDER.glob("*.json"))


@dataclass(eq=False)
class Sitter:
    """`zones`: uint8 (h, w) labels of ZONES. `landmarks`: {name: (x, y)} in px, left/right as seen."""

    name: str
    picture: Picture
    zones: np.ndarray
    landmarks: dict[str, tuple[float, float]]
    pixels_per_mm: float
    normals: np.ndarray | None = None
    """uint8 (h', w', 3) at any scale: right, up, towards the camera as 127.5 + 127.5 n; None if there are none."""

    @cached_property
    def linear(self) -> LinearRGB:
        """The clean picture in linear light, float32 (h, w, 3), 0-1."""
        return srgb.decode(as_float32(self.picture.pixels))

    @cached_property
    def encoded(self) -> EncodedRGB:
        """What `linear` is encoded as: without the picture's own steps."""
        return srgb.encode(self.linear)

    @cached_property
    def edge_of_hair(self) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """(ys, xs) of places where the mass of hair ends, and its gradients (h, w) along x and y."""
        mass = cv2.GaussianBlur((self.zones == HAIR).astype(np.float32), (0, 0), 2 * self.pixels_per_mm)
        ys, xs = np.nonzero((mass > 0.25) & (mass < 0.6))
        gy, gx = np.gradient(cv2.GaussianBlur(mass, (0, 0), 2 * self.pixels_per_mm))
        return ys, xs, gx, gy

    @property
    def face_width_px(self) -> float:
        """Jaw angle to jaw angle."""
        left, right = self.landmarks["jaw_left"], self.landmarks["jaw_right"]
        return float(np.hypot(right[0] - left[0], right[1] - left[1]))

    @cached_property
    def _form(self) -> tuple[np.ndarray, np.ndarray, float]:
        """Smoothed unit normals, the direction of equal slant (h', w', 2), and their scale against the picture."""
        raw = self.normals
        if raw is None:
            raw = np.full((8, 8, 3), (127, 127, 255), np.uint8)
        normals = raw.astype(np.float32) / 127.5 - 1
        normals[(raw < 3).all(-1)] = (0, 0, 1)
        scale = raw.shape[1] / self.zones.shape[1]
        normals = cv2.GaussianBlur(normals, (0, 0), max(0.8, 3 * self.pixels_per_mm * scale))
        normals /= np.maximum(np.linalg.norm(normals, axis=-1, keepdims=True), 1e-6)
        wide = cv2.GaussianBlur(normals[..., 1], (0, 0), max(0.8, 5 * self.pixels_per_mm * scale))
        gy, gx = np.gradient(wide)
        around = np.stack([-gy, gx], -1)
        length = np.linalg.norm(around, axis=-1, keepdims=True)
        usual = np.percentile(length, 80) + 1e-9
        around = around / np.maximum(length, 1e-9) * np.clip(length / usual, 0, 1)
        return normals, around, scale

    def _form_at(self, field: np.ndarray, x: float, y: float, scale: float) -> np.ndarray:
        row = min(max(int(y * scale), 0), field.shape[0] - 1)
        return field[row, min(max(int(x * scale), 0), field.shape[1] - 1)]

    def normal_at(self, x: float, y: float) -> np.ndarray:
        """Unit normal of the form: right, up, towards the camera."""
        normals, _, scale = self._form
        return self._form_at(normals, x, y, scale)

    def around_form(self, x: float, y: float) -> np.ndarray:
        """Direction (x, y) in which the form keeps its slant; length 0-1 says how sure that is."""
        _, around, scale = self._form
        return self._form_at(around, x, y, scale)

    def zone_at(self, x: float, y: float) -> str:
        """Zone name at a place; skin is told apart by the landmarks where it can be."""
        label = ZONES[int(self.zones[int(y), int(x)])]
        if label != "skin" or not set(POINTS) <= set(self.landmarks):
            return label
        return FaceMap({name: self.landmarks[name] for name in POINTS}).zone_at(x, y) or label


def load_sitter(name_or_path: str) -> Sitter:
    """A shipped sitter by name, or the plate PLATE.jpg with PLATE-zones.png and PLATE.json beside it.

    Raises RequestError or PictureError.
    """
    if Path(name_or_path).suffix:
        return _read(Path(name_or_path))
    if name_or_path not in sitter_names():
        raise RequestError(phrase("There is no sitter “%1”; choose from %2.", name_or_path, ", ".join(sitter_names())))
    return _shipped(name_or_path)


@lru_cache(2)
def _shipped(name: str) -> Sitter:
    """Plates of one sitter are often made one after another."""
    return _read(FOLDER / f"{name}.jpg")


def _read(path: Path) -> Sitter:
    picture = read_picture(path)
    zones = cv2.imread(str(path.with_name(f"{path.stem}-zones.png")), cv2.IMREAD_UNCHANGED)
    if zones is None or zones.shape != picture.pixels.shape[:2]:
        raise RequestError(phrase("%1 needs a zone map %2-zones.png of the same size beside it.", path.name, path.stem))
    try:
        facts: Any = read(path.with_suffix(".json"))
        marks = {key: (float(x), float(y)) for key, (x, y) in facts["landmarks"].items()}
        per_mm = float(facts["pixels_per_mm_at_face"])
    except (OSError, *MALFORMED):
        raise RequestError(phrase("%1 needs its landmarks in %2.json beside it.", path.name, path.stem)) from None
    form = path.with_name(f"{path.stem}-normals.png")
    normals = cv2.imread(str(form)) if form.is_file() else None
    return Sitter(path.stem, picture, zones, marks, per_mm, None if normals is None else normals[..., ::-1])


GROUNDS = ("own", "light", "dark", "graded", "cloth", "cloudy", "lines")


def _clouds(height: int, width: int) -> np.ndarray:
    """Soft clouds of many sizes, each size half as strong as the one before; about ±10 % in all."""
    rng = np.random.default_rng(19)
    field = np.zeros((height, width), np.float32)
    for octave in range(6):
        cells = 5 * 2**octave
        rough = rng.standard_normal((cells * height // width + 2, cells + 2)).astype(np.float32)
        field += 0.5**octave * cv2.resize(rough, (width, height), interpolation=cv2.INTER_CUBIC)
    return np.float32(0.05) * field


def _joints(height: int, width: int, seed: int) -> np.ndarray:
    """Straight lines at any angle on a plain wall: dark joints and pale edges, factors of brightness (h, w)."""
    rng = np.random.default_rng([23, seed])
    field = np.ones((height, width), np.float32)
    ys, xs = np.mgrid[:height, :width].astype(np.float32)
    side = max(height, width)
    turn = rng.uniform(-12, 12)
    for angle, count in ((turn, 3), (turn + 90, 3), (rng.uniform(20, 70), 1)):
        along = np.radians(angle)
        off = xs * np.float32(-np.sin(along)) + ys * np.float32(np.cos(along))
        for at in rng.uniform(0.06, 0.94, count):
            middle = off.min() + at * (off.max() - off.min())
            wide = rng.uniform(0.0012, 0.003) * side
            field *= 1 - rng.uniform(0.25, 0.5) * np.exp(-0.5 * ((off - middle) / wide) ** 2)
    return field


def on_ground(sitter: Sitter, ground: str, seed: int = 0) -> Sitter:
    """The sitter before another background: light or dark and plain, graded from corner to corner, slightly
    structured like hung cloth, softly cloudy like a painted backdrop, or a wall with straight lines (by seed).
    Raises RequestError.
    """
    if ground == "own":
        return sitter
    if ground not in GROUNDS:
        raise RequestError(phrase("There is no background “%1”; choose from %2.", ground, ", ".join(GROUNDS)))
    height, width = sitter.zones.shape
    ys, xs = np.mgrid[:height, :width].astype(np.float32) / np.float32(max(height, width))
    level = {"light": 0.55, "dark": 0.035}.get(ground, 0.16)
    field = np.full((height, width), level, np.float32)
    if ground == "graded":
        field = 0.04 + 0.5 * (0.6 * xs + 0.4 * ys)
    elif ground == "cloth":
        rng = np.random.default_rng(7)
        rough = rng.standard_normal((height // 8, width // 8)).astype(np.float32)
        folds = cv2.GaussianBlur(rough, (0, 0), 6, sigmaY=30)
        weave = cv2.GaussianBlur(rng.standard_normal((height, width)).astype(np.float32), (0, 0), 1.6)
        field = field * (1 + 0.12 * cv2.resize(folds / folds.std(), (width, height)) + 0.02 * weave / weave.std())
    elif ground == "cloudy":
        field = field * (1 + _clouds(height, width))
    elif ground == "lines":
        field = 0.26 * _joints(height, width, seed)
    tint = np.array([1.0, 0.97, 0.93], np.float32) if ground != "graded" else np.array([0.9, 0.97, 1.05], np.float32)
    matte = cv2.GaussianBlur((sitter.zones == 0).astype(np.float32), (0, 0), 0.8)[..., None]
    mixed = sitter.linear + matte * (field[..., None] * tint - sitter.linear)
    pixels = np.round(np.clip(srgb.encode(np.clip(mixed, 0, 1)), 0, 1) * 65535).astype(np.uint16)
    picture = replace(sitter.picture, pixels=pixels)
    return replace(sitter, picture=picture)
