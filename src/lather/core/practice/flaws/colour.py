"""Colour that is off over a whole part: reddened ears and neck, a blue forehead, yellow teeth, dull eyes, an uneven
ground behind.

A flaw over a zone of the plate says which one (`label` in flaws.json): it is judged there, and not inside its outline.
"""

from collections.abc import Callable

import cv2
import numpy as np

from lather.core.job.face_map import POINTS, FaceMap
from lather.core.practice.flaws.areas import area_at, gloss_on
from lather.core.practice.flaws.base import BLOOD, Flaw, Scene, contrast, to_contrast
from lather.core.practice.sitters import EYE_WHITE, HAIR, IRIS, SKIN, TEETH
from lather.core.types import LinearRGB, Mask

VENOUS = np.array([1.0, 0.55, 0.18], np.float32)
"""What shimmers through thin skin takes red."""
_YELLOW = np.array([0.10, 0.22, 1.0], np.float32)
_DULL = np.array([0.55, 0.62, 1.0], np.float32)  # grey and a little yellow
_LEAST_PX, _SAMPLE = 200, 30_000
_LEAST_IRIS_PX = 40
_STUBBLE_MM, _SHORT_MM, _LEAST_STUBBLE, _TRIES = 2.0, 3.0, 0.02, 60


def _flaw_over(scene: Scene, kind: str, mask: Mask, absorbs: np.ndarray, wanted_de: float, label: int | None = None
               ) -> Flaw | None:
    """A flaw where a mask (h, w) 0-1 is set. absorbs: of red, green and blue, (3,) or (h, w, 3)."""
    ys, xs = np.nonzero(mask > 0)
    if (mask > 0.5).sum() < _LEAST_PX:
        return None
    density = mask[ys, xs, None] * (absorbs if absorbs.ndim == 1 else absorbs[ys, xs])
    before = scene.linear[ys, xs]
    some = slice(None, None, max(1, len(ys) // _SAMPLE))
    strength = 0.0

    def draw(amount: float) -> LinearRGB:
        nonlocal strength
        strength = amount
        return before[some] * np.exp(-amount * density[some])

    _, reached = to_contrast(draw, before[some], mask[ys, xs][some], wanted_de)
    scene.linear[ys, xs] = before * np.exp(-strength * density)
    contours, _ = cv2.findContours((mask > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    largest = max(contours, key=cv2.contourArea)[:, 0].astype(float) + 0.5
    x, y = largest.mean(0)
    extra = {} if label is None else {"label": label}
    return Flaw(kind, float(x), float(y), float(np.sqrt((mask > 0.5).sum())), reached, False,
                [(float(a), float(b)) for a, b in largest[:: max(1, len(largest) // 200)]], extra=extra)


def _part_of_skin(scene: Scene, inside: Callable[[np.ndarray, np.ndarray, dict], np.ndarray]) -> Mask | None:
    """Skin whose place in the frame of the face passes a test, softly bounded; None without landmarks."""
    marks = scene.sitter.landmarks
    if not set(POINTS) <= set(marks):
        return None
    face = FaceMap({name: marks[name] for name in POINTS})
    height, width = scene.sitter.zones.shape
    ys, xs = np.mgrid[:height, :width].astype(np.float32) + np.float32(0.5)
    u, v = face.in_frame(xs, ys)
    places = {name: tuple(float(n) for n in face.in_frame(*face.points[name])) for name in POINTS}
    places["wide"] = (face.width_px / face.eye_distance_px, 0.0)
    part = inside(u, v, places).astype(np.float32)
    soft = cv2.GaussianBlur(part, (0, 0), max(1.0, 1.2 * scene.per_mm))
    skin = cv2.GaussianBlur((scene.sitter.zones == SKIN).astype(np.float32), (0, 0), 1.0)
    return soft * skin


def make_red_ears(scene: Scene) -> Flaw | None:
    """Ears that are redder than the face."""

    def inside(u, v, at):
        wide = at["wide"][0]
        jaw = np.where(u < 0, -at["jaw_left"][0], at["jaw_right"][0])
        return (np.abs(u) > 1.15 * jaw) & (np.abs(u) < 0.85 * wide) & (v > -0.5) & (v < at["mouth_left"][1])

    mask = _part_of_skin(scene, inside)
    return None if mask is None else _flaw_over(scene, "red_ears", mask, BLOOD, scene.rng.uniform(4, 7))


def make_red_neck(scene: Scene) -> Flaw | None:
    """A neck redder and darker than the face."""
    mask = _part_of_skin(scene, lambda u, v, at: (v > at["chin"][1] + 0.15) & (v < at["chin"][1] + 2.0))
    return None if mask is None else _flaw_over(scene, "red_neck", mask, BLOOD, scene.rng.uniform(4, 7))


def make_red_hands(scene: Scene) -> Flaw | None:
    """Hands redder than the face: the lowest part of skin that hangs down beside the body. None where none is seen."""
    marks, skin = scene.sitter.landmarks, (scene.sitter.zones == SKIN).astype(np.uint8)
    if "chin" not in marks:
        return None
    skin[: int(marks["chin"][1] + 0.6 * scene.sitter.face_width_px)] = 0
    count, labels, stats, _ = cv2.connectedComponentsWithStats(skin)
    hands = np.zeros(skin.shape, np.float32)
    for n in range(1, count):
        _, y, width, height, area = stats[n]
        if height > 2 * width * 0.8 and area > 4 * _LEAST_PX and y + height < skin.shape[0] - 4:  # an arm, not a leg
            hands[int(y + 0.74 * height) :] = np.maximum(
                hands[int(y + 0.74 * height) :], labels[int(y + 0.74 * height) :] == n)
    mask = cv2.GaussianBlur(hands, (0, 0), max(1.0, 4 * scene.per_mm)) * cv2.GaussianBlur(
        (scene.sitter.zones == SKIN).astype(np.float32), (0, 0), 1.0)
    return _flaw_over(scene, "red_hands", mask, BLOOD, scene.rng.uniform(4, 7))


def make_blue_forehead(scene: Scene) -> Flaw | None:
    """A forehead that stands in bluer light than the cheeks."""
    mask = _part_of_skin(scene, lambda u, v, at: (v < -0.42) & (v > at["hairline"][1] - 0.1) & (np.abs(u) < 1.0))
    return None if mask is None else _flaw_over(scene, "blue_forehead", mask, VENOUS, scene.rng.uniform(4, 7))


def _of_label(scene: Scene, label: int) -> Mask:
    return cv2.GaussianBlur((scene.sitter.zones == label).astype(np.float32), (0, 0), 0.8)


def make_yellow_teeth(scene: Scene) -> Flaw | None:
    """All teeth that are seen, yellower and a little darker."""
    return _flaw_over(scene, "yellow_teeth", _of_label(scene, TEETH), _YELLOW, scene.rng.uniform(6, 9), TEETH)


def make_dull_eyes(scene: Scene) -> Flaw | None:
    """Both eye whites, greyer and yellower."""
    return _flaw_over(scene, "dull_eyes", _of_label(scene, EYE_WHITE), _DULL, scene.rng.uniform(5, 8),
                      EYE_WHITE)


def make_uneven_ground(scene: Scene) -> Flaw | None:
    """The ground behind, lit from one side, with a wide stain."""
    rng, zones = scene.rng, scene.sitter.zones
    height, width = zones.shape
    ys, xs = np.mgrid[:height, :width].astype(np.float32) / np.float32(max(height, width))
    turn = rng.uniform(0, 2 * np.pi)
    slope = np.cos(turn) * (xs - xs.mean()) + np.sin(turn) * (ys - ys.mean())
    stain = np.exp(-(((xs - rng.uniform(0.1, 0.9) * xs.max()) ** 2 + (ys - rng.uniform(0.1, 0.6)) ** 2) / 0.03))
    field = 1.6 * slope + 0.8 * stain
    ground = cv2.GaussianBlur((zones == 0).astype(np.float32), (0, 0), 1.0)
    grey = np.array([0.9, 1.0, 1.05], np.float32)
    return _flaw_over(scene, "uneven_ground", ground, grey * field[..., None], rng.uniform(3, 5), 0)


def make_shine_beard(scene: Scene) -> Flaw | None:
    """Shine on skin between the hairs of a beard; None where there is no beard."""
    marks, zones = scene.sitter.landmarks, scene.sitter.zones
    if not {"nose_tip", "chin"} <= set(marks):
        return None
    height, width = zones.shape
    ys, xs = np.mgrid[:height, :width]
    middle, half = marks["nose_tip"][0], 0.3 * scene.sitter.face_width_px  # long hair hangs further out
    lower = (ys > marks["nose_tip"][1]) & (ys < marks["chin"][1] + 10) & (np.abs(xs - middle) < half)
    _, labels, stats, _ = cv2.connectedComponentsWithStats((zones == HAIR).astype(np.uint8))
    short = stats[:, cv2.CC_STAT_AREA] < (_SHORT_MM * scene.per_mm) ** 2  # a strand that hangs there is no stubble
    stubble = (short[labels] & (zones == HAIR) & lower).astype(np.float32)
    near = cv2.GaussianBlur(stubble, (0, 0), _STUBBLE_MM * scene.per_mm)
    ys, xs = np.nonzero((near > 0.35 * near.max()) & (zones == SKIN))
    if near.max() < _LEAST_STUBBLE or not len(ys):
        return None
    size = scene.rng.uniform(6, 10) * scene.per_mm
    for n in scene.rng.integers(len(ys), size=_TRIES):
        x, y = float(xs[n]) + 0.5, float(ys[n]) + 0.5
        if scene.places.free(x, y, 0.4 * size, 4, "areas"):
            scene.places.claim(x, y, 0.4 * size, "areas")
            return area_at(scene, "shine_beard", x, y, size, gloss_on(scene), (9.0, 15.0))
    return None

_FLASH = np.array([0.42, 0.030, 0.022], np.float32)
"""Linear light that comes back from inside an eye: red."""
_PUPIL_OF_IRIS, _CATCHLIGHT = (0.55, 0.8), 0.55  # of its radius; linear light from where it is a catchlight


def make_red_eye(scene: Scene) -> Flaw | None:
    """Flash that comes back red from a wide pupil; the catchlight stays on it. None where no iris is seen."""
    iris = (scene.sitter.zones == IRIS).astype(np.uint8)
    count, labels, stats, middles = cv2.connectedComponentsWithStats(iris)
    whole = [n for n in range(1, count) if stats[n, cv2.CC_STAT_AREA] > _LEAST_IRIS_PX]
    free = [n for n in whole if scene.places.free(*middles[n], 2.0, 0.0, "eyes")]
    if not free:
        return None
    number = free[int(scene.rng.integers(len(free)))]
    x, y = (float(v) + 0.5 for v in middles[number])
    scene.places.claim(x, y, 2.0, "eyes")
    radius = float(scene.rng.uniform(*_PUPIL_OF_IRIS) * 0.5 * stats[number, cv2.CC_STAT_WIDTH])
    rect = scene.window(x, y, radius + 4)
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32) + np.float32(0.5)
    away = np.hypot(xs - x, ys - y)
    mask = np.clip(radius + 0.5 - away, 0, 1) * (labels[rect.slices(scene.whole)] == number)
    before = scene.read(rect)
    light = before.mean(-1)
    mask *= 1 - np.clip((light - _CATCHLIGHT / 3) / (_CATCHLIGHT - _CATCHLIGHT / 3), 0, 1)
    glow = _FLASH * scene.rng.uniform(0.6, 1.1) * (1 - 0.35 * (away / radius) ** 2)[..., None]
    after = before + mask[..., None] * (np.maximum(glow, 0.01) - before)
    scene.write(rect, after)
    contours, _ = cv2.findContours((mask > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not contours:
        return None
    rim = max(contours, key=cv2.contourArea)[:, 0].astype(float) + np.array([rect.x0 + 0.5, rect.y0 + 0.5])
    outline = [(float(a), float(b)) for a, b in rim]
    return Flaw("red_eye", x, y, 2 * radius, contrast(before, after, mask), False, outline, "eye")
