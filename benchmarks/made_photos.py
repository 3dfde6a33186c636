"""Photos with known flaws for fitting the finder: the shipped sitters and the crowd, as cameras give them.

Of the crowd the picture with even pigment is taken, with some of the unevenness put back: what would be called a flaw
on it is a flaw that was drawn here. Deep creases, glasses and jewellery are drawn on some of them beforehand.
"""

import importlib.util
import re
import sys
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)]
from camera import photographed

from lather.core.colour import srgb
from lather.core.engine.photo import Photo
from lather.core.find.scene import FindScene
from lather.core.imageio.picture import Picture
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.flaws.base import MELANIN, Flaw, Scene
from lather.core.practice.flaws.lines import draw_crease
from lather.core.practice.grain import Grain
from lather.core.practice.make import Plate, light_direction, make_plate
from lather.core.practice.places import Places
from lather.core.practice.sitters import SKIN, Sitter, load_sitter

CROWD = Path(__file__).parents[2] / "shared" / "crowd"
NEVER_FITTED = tuple(f"p{number:04d}" for number in range(47, 62))
_MAKE = Path(__file__).parents[2] / "shared" / "plates" / "make"
_OTHER = 10  # zone of glasses and jewellery


def crowd_of(folders: list[str]) -> list[str]:
    """People of the crowd and of more folders like it who may be fitted on: those whose zones are known."""
    found = []
    for folder in (CROWD, *map(Path, folders)):
        for path in sorted(folder.glob("p????.jpg")):
            if path.stem not in NEVER_FITTED and int(path.stem[1:]) < 1500 and (
                    cv2.imread(str(path.with_name(f"{path.stem}-zones.png")), cv2.IMREAD_UNCHANGED) == SKIN).any():
                found.append(str(path))
    return found


def is_crowd(name: str) -> bool:
    """True of a path to one of the crowd, False of a shipped sitter."""
    return re.fullmatch(r"p\d{4}", Path(name).stem) is not None


def has_own_lines(name: str) -> bool:
    """True of those of the crowd who were drawn with wrinkles: on them a line without a flaw may well be one."""
    spec = importlib.util.spec_from_file_location("crowd_recipes", _MAKE / "crowd.py")
    module = importlib.util.module_from_spec(spec)
    sys.path.insert(0, str(_MAKE))
    try:
        spec.loader.exec_module(module)
    finally:
        sys.path.remove(str(_MAKE))
    return bool(module.sitter(int(Path(name).stem[1:]))["wrinkles"])


def scene_of(pixels) -> FindScene:
    return FindScene(PhotoMeasures(Photo(Picture(pixels), b"", "plate")))


def made_photo(name: str, seed: int, flaws: dict[str, int], *, salt: int = 7, gentle: float = 1.0) -> Plate:
    """A plate of a sitter or one of the crowd with flaws, as a camera gives it; the same arguments, the same plate.

    gentle: over 1, most cameras do little to it.
    """
    rng = np.random.default_rng([salt, seed, sum(map(ord, Path(name).stem))])
    grain = Grain(float(rng.uniform(0.3, 1.2)), float(rng.uniform(0.4, 0.9)), float(rng.uniform(0.1, 0.5)))
    crowd = is_crowd(name)
    sitter = _of_crowd(name, rng.uniform(0, 0.4)) if crowd else replace(load_sitter(name))
    if not crowd and seed % 4 > 1:
        other_skin(sitter, rng)
    if crowd and rng.random() < 0.3:
        worn(sitter, rng)
    drawn = deep_creases(sitter, rng) if flaws.get("crease") and seed % 3 else []
    plate = make_plate(sitter, seed, flaws=flaws if seed % 3 else {}, grain=grain)
    for flaw in drawn:
        flaw.id = len(plate.flaws) + 1
        plate.flaws.append(flaw)
    if crowd or seed % 2:
        vary(plate, rng)
    if crowd or seed % 4 == 3:
        face_px = plate.sitter.face_width_px * plate.photo.shape[1] / plate.zones.shape[1]
        hard = float(rng.uniform(0, 1) ** gentle)
        seen = photographed(plate.photo.astype(np.float32) / 65535, rng, face_px=face_px, hard=hard)
        plate.photo = np.round(seen * 65535).astype(np.uint16)
    return plate


def clean(name: str) -> Sitter:
    """Somebody without flaws: a shipped sitter, or one of the crowd with even pigment."""
    return _of_crowd(name, 0.0) if is_crowd(name) else load_sitter(name)


def _of_crowd(name: str, unevenness: float) -> Sitter:
    """One of the crowd with a share of the unevenness of their skin."""
    sitter = load_sitter(name)
    even = srgb.decode(cv2.imread(str(Path(name).with_name(f"{Path(name).stem}-even.jpg")))[..., ::-1]
                       .astype(np.float32) / 255)
    sitter.linear = (even + np.float32(unevenness) * (sitter.linear - even)).astype(np.float32)
    return sitter


def other_skin(sitter, rng):
    """Skin of another person on the sitter (in place): pores deeper or shallower, stubble, uneven tone; no flaws.

    For a face never met before, this is what is most often taken for flaws.
    """
    per_mm, linear = sitter.pixels_per_mm, sitter.linear
    skin = cv2.GaussianBlur((sitter.zones == SKIN).astype(np.float32), (0, 0), 0.4 * per_mm)[..., None]
    log = np.log(np.maximum(linear, 1e-4))
    relief = log - cv2.GaussianBlur(log, (0, 0), 0.5 * per_mm)
    changed = log + skin * float(rng.uniform(-0.4, 0.8)) * np.clip(relief, -0.5, 0.5)
    small = tuple(max(2, int(n / (rng.uniform(3, 8) * per_mm))) for n in skin.shape[1::-1])
    mottled = cv2.resize(rng.normal(size=small[::-1]).astype(np.float32), skin.shape[1::-1],
                         interpolation=cv2.INTER_CUBIC)
    changed -= skin * float(rng.uniform(0, 0.035)) * mottled[..., None] * MELANIN
    drawn = np.exp(changed)
    for bright in (0, 1):
        if rng.random() < 0.6:
            cover = stubble(sitter, rng, skin[..., 0])[..., None] * float(rng.uniform(0.3, 0.9))
            drawn += cover * (float(rng.uniform(0.15, 0.5) if bright else rng.uniform(0.005, 0.05)) - drawn)
    sitter.linear = np.clip(drawn, 0, 1).astype(np.float32)


def stubble(sitter, rng, skin):
    """How far short hairs cover each pixel, float32 (h, w) 0-1: on the lower face and neck, or all over."""
    per_mm, marks = sitter.pixels_per_mm, sitter.landmarks
    cover = np.zeros(skin.shape, np.uint8)
    top = marks["nose_tip"][1] if rng.random() < 0.7 else marks["hairline"][1]
    bottom = min(skin.shape[0], marks["chin"][1] + 60 * per_mm)
    left, right = (float(marks[k][0]) for k in ("jaw_left", "jaw_right"))
    area = (right - left) * (bottom - top) / per_mm**2
    for x, y in rng.uniform((left, top), (right, bottom), (int(area * rng.uniform(0.02, 0.3)), 2)):
        way = np.pi / 2 + rng.normal(0, 0.6)
        end = np.array([x, y]) + rng.uniform(0.5, 3.0) * per_mm * np.array([np.cos(way), np.sin(way)])
        ends = [tuple(int(v) for v in np.round(16 * np.array(p))) for p in ((x, y), end)]
        cv2.line(cover, *ends, int(rng.uniform(90, 255)), 1, cv2.LINE_AA, 4)
    return cv2.GaussianBlur(cover.astype(np.float32) / 255, (0, 0), max(0.4, 0.06 * per_mm)) * skin


def _frame(sitter: Sitter):
    """(middle of the eyes, unit across, unit down, eye distance) of a face."""
    left, right, chin = (np.array(sitter.landmarks[k]) for k in ("eye_left", "eye_right", "chin"))
    middle, d = (left + right) / 2, float(np.hypot(*(right - left)))
    across = (right - left) / max(d, 1e-6)
    down = np.array([-across[1], across[0]])
    return middle, across, down if down @ (chin - middle) > 0 else -down, d


def deep_creases(sitter: Sitter, rng) -> list[Flaw]:
    """Lines of the forehead, crow's feet and lines of the neck, drawn on the sitter in place."""
    scene = Scene(sitter, sitter.linear.copy(), Places(sitter, rng, 3.0), rng, light_direction(sitter))
    middle, across, down, d = _frame(sitter)
    hairline, chin = (np.array(sitter.landmarks[k]) for k in ("hairline", "chin"))
    high, low = (hairline - middle) @ down, (chin - middle) @ down
    paths = []
    t = np.linspace(-1, 1, 41)[:, None]
    if rng.random() < 0.6:
        for share in rng.uniform(0.25, 0.85, rng.integers(1, 4)):
            half, rise = rng.uniform(0.35, 0.8) * d, rng.uniform(-0.08, 0.08) * d
            at = middle + (0.42 * -d + share * (high + 0.42 * d)) * down + rng.normal(0, 0.1) * d * across
            paths.append(at + half * t * across + rise * t**2 * down)
    if rng.random() < 0.5:
        for side in (-1, 1):
            for turn in np.linspace(-0.45, 0.45, rng.integers(2, 4)) + rng.normal(0, 0.08):
                start = middle + side * rng.uniform(0.78, 0.86) * d * across + 0.4 * turn * d * down
                way = side * np.cos(turn) * across + np.sin(turn) * down
                paths.append(start + rng.uniform(0.15, 0.4) * d * (t + 1) / 2 * way)
    if rng.random() < 0.3:
        for share in rng.uniform(0.25, 0.9, rng.integers(1, 3)):
            at = middle + (low + share * 0.7 * d) * down
            paths.append(at + rng.uniform(0.5, 0.9) * d * t * across + rng.uniform(0.0, 0.2) * d * (1 - t**2) * down)
    found = []
    clear = scene.places.clear(SKIN)
    height, width = sitter.zones.shape
    for path in paths:
        inside = (path > 1).all(1) & (path[:, 0] < width - 2) & (path[:, 1] < height - 2)
        at = np.clip(path.astype(int), 0, (width - 1, height - 1))
        wide = float(max(1.0, rng.uniform(0.5, 1.6) * scene.per_mm))
        if (inside & (clear[at[:, 1], at[:, 0]] > 1.2 * wide)).all():
            path = path + cv2.GaussianBlur(rng.normal(0, 1.0, path.shape), (1, 9), 3) * 0.3 * scene.per_mm
            flaw = draw_crease(scene, path, wide, float(rng.uniform(4, 12)))
            flaw.zone = sitter.zone_at(flaw.x, flaw.y)
            found.append(flaw)
    sitter.linear = scene.linear
    return found


def worn(sitter: Sitter, rng) -> None:
    """Glasses, a chain or earrings over a sitter (in place): neither skin nor flaw."""
    middle, across, down, d = _frame(sitter)
    cover = np.zeros(sitter.zones.shape, np.uint8)

    def at(*offsets):
        return tuple(int(v) for v in np.round(16 * (middle + d * (offsets[0] * across + offsets[1] * down))))

    wide = max(1, round(rng.uniform(0.015, 0.06) * d))
    what = rng.choice(3)
    if what == 0:
        axes = tuple(int(16 * v * d) for v in (rng.uniform(0.3, 0.42), rng.uniform(0.2, 0.33)))
        angle = float(np.degrees(np.arctan2(across[1], across[0])))
        for side in (-0.52, 0.52):
            cv2.ellipse(cover, at(side, 0.05), axes, angle, 0, 360, 255, wide, cv2.LINE_AA, 4)
        cv2.line(cover, at(-0.15, 0), at(0.15, 0), 255, wide, cv2.LINE_AA, 4)
        for side in (-1, 1):
            cv2.line(cover, at(side * 0.9, 0), at(side * 1.3, -0.05), 255, wide, cv2.LINE_AA, 4)
    elif what == 1:
        low = ((np.array(sitter.landmarks["chin"]) - middle) @ down) / d + rng.uniform(0.3, 0.8)
        t = np.linspace(-1, 1, 30)
        points = [at(a * 0.9, low + 0.4 * (1 - a * a)) for a in t]
        cv2.polylines(cover, [np.int32(points)], False, 255, wide, cv2.LINE_AA, 4)
    else:
        for side in (-1, 1):
            radius = int(16 * rng.uniform(0.03, 0.12) * d)
            cv2.circle(cover, at(side * rng.uniform(1.0, 1.2), 0.65), radius, 255, -1, cv2.LINE_AA, 4)
    tone = rng.uniform(0.01, 0.8, 3) if rng.random() < 0.5 else np.full(3, rng.uniform(0.005, 0.7))
    shaded = tone * rng.uniform(0.6, 1.4, (*cover.shape, 1))
    shaded = cv2.GaussianBlur(shaded, (0, 0), max(0.5, 0.02 * d)).reshape((*cover.shape, 3))
    alpha = cover[..., None].astype(np.float32) / 255
    sitter.linear = (sitter.linear + alpha * (np.clip(shaded, 0, 1) - sitter.linear)).astype(np.float32)
    sitter.zones = np.where(cover > 60, _OTHER, sitter.zones).astype(np.uint8)


def vary(plate, rng):
    """Another camera: the plate (in place) at another size, tone and saturation, so that few sitters stand for many."""
    k = float(rng.uniform(0.7, 1.25))
    photo = cv2.resize(plate.photo.astype(np.float32) / 65535, None, fx=k, fy=k,
                       interpolation=cv2.INTER_AREA if k < 1 else cv2.INTER_CUBIC)
    photo = np.clip(photo, 0, 1) ** float(rng.uniform(0.75, 1.3))
    grey = photo.mean(-1, keepdims=True)
    photo = np.clip(grey + float(rng.uniform(0.75, 1.25)) * (photo - grey), 0, 1)
    plate.photo = np.round(photo * 65535).astype(np.uint16)
    for flaw in plate.flaws:
        flaw.x, flaw.y, flaw.size_px = k * flaw.x, k * flaw.y, k * flaw.size_px
        flaw.outline = [(k * a, k * b) for a, b in flaw.outline]
        if flaw.path is not None:
            flaw.path, flaw.width_px = [(k * a, k * b) for a, b in flaw.path], k * flaw.width_px
