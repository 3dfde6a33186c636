"""Areas: hollows under the eyes, marks pressed into skin, blotches, redness, shine."""

import cv2
import numpy as np

from lather.core.find.lines.skin_lines import band
from lather.core.practice.flaws.base import BLOOD, MELANIN, Flaw, Scene, blob, relief, to_contrast
from lather.core.practice.flaws.lines import follow_form, wander
from lather.core.practice.flaws.tube import as_points, distance_to_path, line_flaw, path_bounds
from lather.core.practice.sitters import SKIN

_TRIES = 60
_COLOURLESS = 0.12  # share of the blotches that are mere shade
_HOLLOW = np.array([0.85, 0.95, 0.75], np.float32)  # veins and shade under thin skin: darker, a little bluish


def make_under_eye(scene: Scene) -> Flaw | None:
    """The hollow under one eye: a crescent along the lower lid, dark and a little blue."""
    rng, marks = scene.rng, scene.sitter.landmarks
    if "eye_left" not in marks:
        return None
    apart = abs(marks["eye_right"][0] - marks["eye_left"][0])
    for name in rng.permutation(["eye_left", "eye_right"]):
        ex, ey = marks[name]
        half, drop = 0.24 * apart, 0.20 * apart
        t = np.linspace(-1, 1, 31)
        path = np.stack([ex + half * t, ey + drop * (1 - 0.35 * t**2)], 1)
        if not scene.places.take_path(path[::5], 1.0, None):
            continue
        width = 0.075 * apart
        rect = path_bounds(path, 4 * width, scene.whole)
        distance, along = distance_to_path(path, rect, 4 * width)
        skin = cv2.GaussianBlur((scene.zones(rect) == SKIN).astype(np.float32), (0, 0), 1.5)
        hollow = np.exp(-((distance / (1.1 * width)) ** 2)) * np.clip(np.sin(np.pi * along), 0, 1) ** 0.7
        hollow = (hollow * (distance < 1e5) * skin).astype(np.float32)
        before = scene.read(rect)
        after, reached = to_contrast(
            lambda s: before * np.exp(-s * _HOLLOW * hollow[..., None]), before, hollow, rng.uniform(4, 7)
        )
        scene.write(rect, after)
        return Flaw(
            "under_eye",
            float(ex),
            float(ey + drop),
            2 * half,
            reached,
            False,
            band(path, 1.3 * width),
            path=as_points(path),
            width_px=2 * width,
        )
    return None


def make_strap_mark(scene: Scene) -> Flaw | None:
    """What a strap left: a red band with two pressed edges and the trace of its weave."""
    rng = scene.rng
    width = float(max(5.0, rng.uniform(3.0, 5.0) * scene.per_mm))
    for _ in range(_TRIES):
        place = scene.places.propose(width, SKIN, gap=8)
        if place is None:
            return None
        path = follow_form(scene, *place, rng.uniform(18, 30) * scene.per_mm, rng.uniform(-0.5, 0.5))
        if not scene.places.take_path(path[::4], 0.8 * width, SKIN):
            continue
        rect = path_bounds(path, 2 * width + 4, scene.whole)
        distance, along = distance_to_path(path, rect, 2 * width)
        fade = np.clip(np.sin(np.pi * np.clip(along, 0, 1)), 0, 1) ** 0.4 * (distance < 1e5)
        across = np.abs(distance) / (0.5 * width)
        band = np.clip(1.15 - across, 0, 0.3) / 0.3 * fade
        edges = np.exp(-(((across - 0.9) / 0.22) ** 2)) * fade
        length = np.hypot(*np.diff(path, axis=0).T).sum()
        weave = 0.5 + 0.5 * np.sin(along * length / (0.55 * scene.per_mm) * np.pi)
        depth = cv2.GaussianBlur((-band * (1 + 0.25 * weave)).astype(np.float32), (0, 0), 1.0) * width * 0.25
        shade = relief(depth, scene.light, 0.10)[..., None]
        density = (0.75 * band + 0.45 * edges)[..., None]
        return _press(scene, "strap_mark", path, width, rect, density, shade, band)
    return None


def make_jewellery_mark(scene: Scene) -> Flaw | None:
    """What a fine chain left: a curved row of small red dents."""
    rng = scene.rng
    bead = float(max(2.0, rng.uniform(0.55, 0.8) * scene.per_mm))
    for _ in range(_TRIES):
        place = scene.places.propose(2 * bead, SKIN, gap=8)
        if place is None:
            return None
        path = wander(rng, *place, rng.uniform(14, 24) * scene.per_mm, rng.uniform(-0.6, 0.6), 0.9)
        if not scene.places.take_path(path[::3], 2 * bead, SKIN):
            continue
        rect = path_bounds(path, 4 * bead + 4, scene.whole)
        distance, along = distance_to_path(path, rect, 4 * bead)
        length = np.hypot(*np.diff(path, axis=0).T).sum()
        link = 0.5 + 0.5 * np.cos(along * length / (1.9 * bead) * 2 * np.pi)
        fade = np.clip(np.sin(np.pi * np.clip(along, 0, 1)), 0, 1) ** 0.4 * (distance < 1e5)
        dents = (np.exp(-((distance / (0.62 * bead)) ** 2)) * (0.35 + 0.65 * link) * fade).astype(np.float32)
        shade = relief(-cv2.GaussianBlur(dents, (0, 0), 0.8) * bead * 0.5, scene.light, 0.12)[..., None]
        return _press(scene, "jewellery_mark", path, 2 * bead, rect, dents[..., None], shade, dents)
    return None


def _press(scene: Scene, kind: str, path, width: float, rect, density, shade, mask) -> Flaw:
    before = scene.read(rect)

    def draw(strength):
        return before * np.exp(-strength * BLOOD * density) * (1 + (shade - 1) * min(1.0, 2 * strength))

    after, reached = to_contrast(draw, before, mask, scene.rng.uniform(4.5, 7.5))
    scene.write(rect, after)
    return line_flaw(kind, path, width, reached, 0.65 * width)


def soft_area(scene: Scene, kind: str, size_mm, draw, contrast_de, where=None) -> Flaw | None:
    """A wide soft patch somewhere on skin; `draw(before, mask, strength, rect)`."""
    rng = scene.rng
    size = rng.uniform(*size_mm) * scene.per_mm
    place = scene.places.take(0.4 * size, SKIN, gap=4, where=where, among="areas")
    return None if place is None else area_at(scene, kind, *place, size, draw, contrast_de)


def area_at(scene: Scene, kind: str, x: float, y: float, size: float, draw, contrast_de) -> Flaw:
    """A wide soft patch of skin around a place, of a size in px."""
    rect = scene.window(x, y, 1.2 * size)
    mask, outline = blob(scene, rect, x, y, size / 2, softness=1.5, rough=0.3)
    skin = cv2.GaussianBlur((scene.zones(rect) == SKIN).astype(np.float32), (0, 0), 1.5)
    mask = mask * skin
    before = scene.read(rect)
    after, reached = to_contrast(
        lambda s: draw(before, mask[..., None], s, rect), before, mask, scene.rng.uniform(*contrast_de)
    )
    scene.write(rect, after)
    return Flaw(kind, x, y, float(size), reached, False, outline)


def make_blotch(scene: Scene) -> Flaw | None:
    """Pigment: the skin a little darker or lighter over some millimetres, by melanin and blood; seldom by neither."""
    rng = scene.rng
    sign, melanin = rng.choice([1.0, -0.8], p=[0.65, 0.35]), rng.uniform(0, 1)
    colour = melanin * MELANIN + (1 - melanin) * BLOOD
    if rng.uniform() < _COLOURLESS:
        colour = np.full(3, 0.8, np.float32)
    kind = "blotch_dark" if sign > 0 else "blotch_bright"
    return soft_area(scene, kind, (2, 8), lambda b, m, s, _: b * np.exp(-sign * s * colour * m), (2.0, 4.0))


def make_redness(scene: Scene) -> Flaw | None:
    """A soft patch of blood under skin, 10 to 22 mm across, 3 to 6 ΔE."""
    return soft_area(scene, "redness", (10, 22), lambda b, m, s, _: b * np.exp(-s * BLOOD * m), (3.0, 6.0))


def make_shine(scene: Scene) -> Flaw | None:
    """A hot spot of oily skin, where it faces the light."""
    bright = cv2.GaussianBlur(scene.linear.mean(-1), (0, 0), 2 * scene.per_mm)
    where = bright > np.percentile(bright[scene.sitter.zones == SKIN], 55)
    return soft_area(scene, "shine", (6, 12), gloss_on(scene), (11.0, 19.0), where)


def gloss_on(scene: Scene):
    """Draws the light's own white over skin, broken up by the pores."""
    luminance = scene.linear.mean(-1)
    pores = luminance / np.maximum(cv2.GaussianBlur(luminance, (0, 0), 0.5 * scene.per_mm), 1e-4) - 1
    gloss = np.clip(1 + 2.1 * pores, 0.2, 2.2)[..., None]

    def draw(before, mask, strength, rect):
        return np.minimum(before + strength * 0.45 * mask * gloss[rect.slices(scene.whole)], 1.0)

    return draw
