"""Lines: creases that follow the form, veins, hairs on skin and stray hairs against the background."""

import cv2
import numpy as np

from lather.core.practice.flaws.base import BLOOD, MELANIN, Flaw, Scene, contrast, to_contrast
from lather.core.practice.flaws.tube import distance_to_path, line_flaw, path_bounds
from lather.core.practice.sitters import BROWS, EYE_WHITE, HAIR, SKIN

_TRIES = 60


def follow_form(scene: Scene, x: float, y: float, length_px: float, direction: float) -> np.ndarray:
    """A path (n, 2) through (x, y) that runs around the form: along lines of equal slant, near a direction (rad)."""
    step = max(1.0, length_px / 40)
    halves = []
    for way in (1.0, -1.0):
        points, heading = [np.array([x, y])], np.array([np.cos(direction), np.sin(direction)]) * way
        for _ in range(int(length_px / 2 / step)):
            around = scene.sitter.around_form(*points[-1])
            if around @ heading < 0:
                around = -around
            heading = 0.75 * heading + 0.25 * around * np.clip(np.hypot(*around), 0, 1)
            heading /= max(np.hypot(*heading), 1e-6)
            points.append(points[-1] + heading * step)
        halves.append(np.array(points))
    return np.concatenate([halves[1][::-1], halves[0][1:]])


def make_crease(scene: Scene) -> Flaw | None:
    """A fold that follows the form: a dark bed with a lit lip beside it."""
    rng = scene.rng
    width = float(max(2.0, rng.uniform(0.5, 0.9) * scene.per_mm))
    length = rng.uniform(12, 22) * scene.per_mm
    for _ in range(_TRIES):
        place = scene.places.propose(width * 2, SKIN, gap=8)
        if place is None:
            return None
        path = follow_form(scene, *place, length, rng.uniform(-0.35, 0.35))
        if scene.places.take_path(path[::4], 2 * width, SKIN):
            return draw_crease(scene, path, width, rng.uniform(5, 9))
    return None


def draw_crease(scene: Scene, path: np.ndarray, width: float, contrast_de: float) -> Flaw:
    """A soft dark furrow that fades at its ends, with a lit flank on the side turned to the light."""
    rect = path_bounds(path, 4 * width + 4, scene.whole)
    distance, along = distance_to_path(path, rect, 4 * width)
    fade = np.clip(np.sin(np.pi * np.clip(along, 0, 1)), 0, 1) ** 0.6
    furrow = np.exp(-((distance / (0.5 * width)) ** 2)) * fade
    way = path[-1] - path[0]
    right = np.array([-way[1], way[0]]) / max(np.hypot(*way), 1e-6)
    lit_side = -1.0 if right @ np.array(scene.light) > 0 else 1.0  # the flank away from the light faces it
    lit = np.exp(-(((distance - lit_side * 0.95 * width) / (0.7 * width)) ** 2)) * fade
    before = scene.read(rect)

    def draw(strength):
        pigment = 0.75 * MELANIN + 0.25 * BLOOD
        return before * np.exp(-strength * pigment * furrow[..., None]) * (1 + 0.2 * strength * lit[..., None])

    after, reached = to_contrast(draw, before, furrow, contrast_de)
    scene.write(rect, after)
    return line_flaw("crease", path, width, reached, width)


def wander(rng, x: float, y: float, length_px: float, direction: float, bend: float, steps: int = 40) -> np.ndarray:
    """A smooth random path (n, 2) that starts at (x, y)."""
    curl = rng.normal(0, bend / length_px) + np.cumsum(rng.normal(0, bend / length_px / np.sqrt(steps), steps))
    headings = direction + np.cumsum(curl) * (length_px / steps)
    moves = np.stack([np.cos(headings), np.sin(headings)], 1) * (length_px / steps)
    return np.concatenate([[[x, y]], np.array([x, y]) + np.cumsum(moves, 0)])


def _draw_vein(scene: Scene, kind: str, path: np.ndarray, width: float, contrast_de: float) -> Flaw:
    rect = path_bounds(path, 3 * width + 4, scene.whole)
    distance, along = distance_to_path(path, rect, 3 * width + 2)
    vessel = np.exp(-((distance / (0.6 * width)) ** 2)) * np.clip(1.15 - along, 0, 1) * (distance < 1e5)
    inside = np.isin(scene.zones(rect), (EYE_WHITE,) if kind == "vein_eye" else (SKIN,))
    vessel = (vessel * inside).astype(np.float32)
    before = scene.read(rect)
    after, reached = to_contrast(lambda s: before * np.exp(-s * BLOOD * vessel[..., None]), before, vessel, contrast_de)
    scene.write(rect, after)
    return line_flaw(kind, path, width, reached, max(1.5, width))


def make_vein_nose(scene: Scene) -> Flaw | None:
    """A fine red vessel beside the wing of the nose."""
    rng, marks = scene.rng, scene.sitter.landmarks
    if "nose_tip" not in marks:
        return None
    width = float(max(1.4, 0.28 * scene.per_mm))
    for _ in range(_TRIES):
        side = rng.choice([-1, 1])
        x = marks["nose_tip"][0] + side * rng.uniform(9, 17) * scene.per_mm
        y = marks["nose_tip"][1] + rng.uniform(-12, 3) * scene.per_mm
        path = wander(rng, x, y, rng.uniform(4, 8) * scene.per_mm, np.pi / 2 + rng.normal(0, 0.5), 1.2)
        if scene.places.take_path(path[::4], 2 * width, SKIN):
            return _draw_vein(scene, "vein_nose", path, width, rng.uniform(5, 8))
    return None


def make_vein_eye(scene: Scene) -> Flaw | None:
    """A vessel in the white of the eye, from its corner towards the iris."""
    rng = scene.rng
    ys, xs = np.nonzero(scene.sitter.zones == EYE_WHITE)
    if len(xs) < 80:
        return None
    clear = scene.places.clear(EYE_WHITE)
    width = float(max(1.3, 0.16 * scene.per_mm))
    for _ in range(_TRIES * 3):
        i = rng.integers(len(xs))
        if clear[ys[i], xs[i]] < 1.5 * width:
            continue
        path = wander(
            rng, xs[i] + 0.5, ys[i] + 0.5, rng.uniform(2.2, 4.5) * scene.per_mm, rng.uniform(0, 2 * np.pi), 1.0
        )
        inside = [
            clear[int(b), int(a)] > width for a, b in path[::3] if 0 <= b < clear.shape[0] and 0 <= a < clear.shape[1]
        ]
        if len(inside) == len(path[::3]) and all(inside) and scene.places.take_path(path[::4], width, None):
            return _draw_vein(scene, "vein_eye", path, width, rng.uniform(5, 8))
    return None


def hair_colour(scene: Scene) -> np.ndarray:
    """Linear RGB of the sitter's hair where it is thick; a middle brown if there is none."""
    thick = scene.places.clear(HAIR) > 3
    if thick.sum() < 200:
        return np.array([0.09, 0.055, 0.035], np.float32)
    return np.array([np.median(channel) for channel in np.ascontiguousarray(scene.linear[thick].T)])


def draw_hair(scene: Scene, kind: str, path: np.ndarray, width: float, colour: np.ndarray, *, shadow: float) -> Flaw:
    """A hair with taper, gloss where it lies across the light, and its shadow on what is beneath."""
    rng = scene.rng
    rect = path_bounds(path, 6 * width + 6, scene.whole)
    distance, along = distance_to_path(path, rect, 5 * width + 4)
    taper = np.clip(1.25 - along, 0.25, 1) * np.clip(along * 12 + 0.6, 0, 1)
    alpha = np.clip(0.5 + 0.5 * width * taper - np.abs(distance), 0, 1) * (distance < 1e5)
    heading = np.gradient(path, axis=0)
    heading /= np.maximum(np.hypot(*heading.T), 1e-6)[:, None]
    across = 1 - (heading @ np.array(scene.light)) ** 2  # Kajiya and Kay 1989: gloss of a fibre across the light
    gloss = np.interp(along, np.linspace(0, 1, len(path)), across**4)
    sheen = 1 + 1.6 * gloss * np.exp(-((distance / (0.35 * width + 0.3)) ** 2)) + 0.1 * rng.normal()
    hair = colour * sheen[..., None] + 0.012 * gloss[..., None]
    before = scene.read(rect)
    under = before
    if shadow:
        shift = -np.array(scene.light) * 1.3 * width
        moved = cv2.warpAffine(
            alpha.astype(np.float32), np.float32([[1, 0, shift[0]], [0, 1, shift[1]]]), (rect.width, rect.height)
        )
        under = before * (1 - shadow * cv2.GaussianBlur(moved, (0, 0), max(0.7, 0.6 * width)))[..., None]
    after = (under + alpha[..., None] * (hair - under)).astype(np.float32)
    scene.write(rect, after)
    return line_flaw(kind, path, width, contrast(before, after, alpha), max(1.5, width))


def hair_width(scene: Scene) -> float:
    """Of one hair, px: 0.22 to 0.42 mm, never under a pixel and a half."""
    return float(max(1.5, scene.rng.uniform(0.22, 0.42) * scene.per_mm))


def make_hair_on_skin(scene: Scene) -> Flaw | None:
    """A hair with gloss and shadow that crosses skin; None where there is no room."""
    rng = scene.rng
    for _ in range(_TRIES):
        width = hair_width(scene)
        place = scene.places.propose(width, SKIN, gap=6)
        if place is None:
            return None
        path = wander(rng, *place, rng.uniform(9, 24) * scene.per_mm, rng.uniform(0, 2 * np.pi), 1.0)
        if scene.places.take_path(path[::3], 2 * width + 1, SKIN):
            colour = hair_colour(scene)
            skin = scene.linear[int(place[1]), int(place[0])]
            if colour.mean() > 0.5 * skin.mean():  # a hair like the skin would not show
                colour = colour * 0.4
            return draw_hair(scene, "hair_on_skin", path, width, colour, shadow=0.3)
    return None


def make_brow_hair(scene: Scene) -> Flaw | None:
    """A hair of the brow's colour that grows on the skin just above or below it, nearly its way."""
    rng, marks = scene.rng, scene.sitter.landmarks
    side = rng.choice(["left", "right"])
    if not {"eye_left", "eye_right", f"brow_{side}"} <= set(marks):
        return None  # a plate of one's own need not say where the brows are
    brow, eye = np.array(marks[f"brow_{side}"]), np.array(marks[f"eye_{side}"])
    apart = float(np.hypot(*(np.array(marks["eye_right"]) - marks["eye_left"])))
    height, width_px = scene.sitter.zones.shape
    x0, x1 = max(0, int(eye[0] - 0.42 * apart)), int(eye[0] + 0.42 * apart)
    y0, y1 = max(0, int(brow[1] - 0.2 * apart)), int(0.62 * brow[1] + 0.38 * eye[1])
    hairs = np.zeros((height, width_px), bool)
    hairs[y0:y1, x0:x1] = scene.sitter.zones[y0:y1, x0:x1] == BROWS
    if hairs.sum() < 80:
        return None
    ys, xs = np.nonzero(hairs)
    colour = np.quantile(scene.linear[hairs], 0.15, axis=0)
    slope = np.polyfit(xs, ys, 1)[0]
    clear = scene.places.clear(SKIN)
    for _ in range(4 * _TRIES):
        i = rng.integers(len(xs))
        aside = rng.choice([-1.0, 1.0], p=[0.4, 0.6]) * rng.uniform(2.5, 5.0) * scene.per_mm
        x, y = xs[i] + 0.5, ys[i] + 0.5 + aside
        way = np.arctan(slope) + rng.normal(0, 0.5) + (np.pi if (x < brow[0]) != (side == "left") else 0)
        path = wander(rng, x, y, rng.uniform(3, 6) * scene.per_mm, way, 0.5)
        if not (max(0, y0 - 2 * abs(aside)) < path[:, 1].min() and path[:, 1].max() < min(y1, height)):
            continue
        rows, columns = path[:, 1].astype(int), np.clip(path[:, 0].astype(int), 0, width_px - 1)
        if clear[rows, columns].min() > 1.2 * scene.per_mm and scene.places.take_path(path[::3], 2, SKIN):
            width = float(max(1.3, rng.uniform(0.14, 0.24) * scene.per_mm))
            return draw_hair(scene, "brow_hair", path, width, colour, shadow=0.3)
    return None


def make_stray_hair(scene: Scene) -> Flaw | None:
    """A hair that leaves the mass and stands against the background, tapering to its tip."""
    rng = scene.rng
    background = scene.places.clear(0)
    ys, xs, gx, gy = scene.sitter.edge_of_hair
    if len(xs) < 50:
        return None
    height, width_px = scene.sitter.zones.shape
    for _ in range(_TRIES * 4):
        i = rng.integers(len(xs))
        outward = -np.array([gx[ys[i], xs[i]], gy[ys[i], xs[i]]])
        heading = np.arctan2(outward[1], outward[0]) + rng.normal(0, 0.55)
        path = wander(rng, xs[i] + 0.5, ys[i] + 0.5, rng.uniform(14, 38) * scene.per_mm, heading, 1.3, 60)
        inside = (path > 2).all() and (path[:, 0] < width_px - 2).all() and (path[:, 1] < height - 2).all()
        if not inside:
            continue
        free = background[path[:, 1].astype(int), path[:, 0].astype(int)] > 2
        if free[len(path) // 4 :].all() and scene.places.take_path(path[len(path) // 4 :: 4], 3, None):
            return draw_hair(scene, "stray_hair", path, hair_width(scene), hair_colour(scene), shadow=0)
    return None
