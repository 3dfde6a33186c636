"""What does not belong to the person: lint on cloth, marks on the lens, something at the frame's edge, braces."""

import cv2
import numpy as np

from lather.core.find.lines.skin_lines import band
from lather.core.practice.flaws.base import Flaw, Scene, blob, contrast, to_contrast
from lather.core.practice.flaws.lines import wander
from lather.core.practice.flaws.tube import as_points, distance_to_path, path_bounds
from lather.core.practice.sitters import CLOTHING, SKIN, TEETH

_TRIES = 60


def make_cloth_speck(scene: Scene) -> Flaw | None:
    """Lint on cloth: a short pale fibre or a small fluffy dot, with its shadow."""
    rng = scene.rng
    size = float(max(5.0, rng.uniform(1.2, 3.0) * scene.per_mm))
    place = scene.places.take(size, CLOTHING, gap=size + 6, least_light=0.0)
    if place is None:
        return None
    x, y = place
    if rng.random() < 0.5:
        mask, outline = blob(scene, scene.window(x, y, 1.5 * size), x, y, 0.4 * size, softness=0.9, rough=0.4)
        rect = scene.window(x, y, 1.5 * size)
    else:
        path = wander(rng, x - size / 2, y, 1.3 * size, rng.uniform(0, 2 * np.pi), 2.5, 20)
        path += np.array([x, y]) - path.mean(0)
        rect = scene.window(x, y, 1.6 * size)
        half = max(0.9, 0.07 * size)
        distance, _ = distance_to_path(path, rect, 3 * half + 3)
        mask = np.clip(half + 0.5 - np.abs(distance), 0, 1).astype(np.float32)
        outline = band(path, half + 1)
    before = scene.read(rect)
    cloth = np.median(before.reshape(-1, 3), axis=0)
    lint = np.array([0.6, 0.58, 0.55], np.float32) if cloth.mean() < 0.3 else cloth * 0.35
    after, reached = to_contrast(
        lambda s: before + np.minimum(s * mask, 0.95)[..., None] * (lint - before), before, mask, rng.uniform(10, 18)
    )
    scene.write(rect, after)
    return Flaw("cloth_speck", x, y, size, reached, False, outline)


def make_lens_mark(scene: Scene) -> Flaw | None:
    """Dust before the lens or on the sensor: a round, out-of-focus darkening over plain ground."""
    rng = scene.rng
    size = float(max(9.0, rng.uniform(2.5, 6.0) * max(scene.per_mm, scene.whole.width / 500)))
    place = scene.places.take(size, 0, gap=size, least_light=0.008)
    if place is None:
        return None
    x, y = place
    rect = scene.window(x, y, 1.4 * size)
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32) + 0.5
    r = np.hypot(xs - x, ys - y) / (size / 2)
    mask = np.clip((1.3 - r) / 0.6, 0, 1) * (0.8 + 0.2 * np.clip(r, 0, 1))
    before = scene.read(rect)
    after, reached = to_contrast(
        lambda s: before * (1 - min(0.9, 0.5 * s) * mask[..., None]), before, mask, rng.uniform(3.5, 6)
    )
    scene.write(rect, after)
    around = np.linspace(0, 2 * np.pi, 25)[:-1]
    outline = [(float(x + 0.55 * size * np.cos(a)), float(y + 0.55 * size * np.sin(a))) for a in around]
    return Flaw("lens_mark", x, y, size, reached, False, outline)


def make_intruder(scene: Scene) -> Flaw | None:
    """A thumb before the lens: a large, soft, skin-coloured shape that comes in from the frame's edge."""
    rng, whole = scene.rng, scene.whole
    skin = scene.sitter.zones == SKIN
    colour = np.median(scene.linear[skin], axis=0) * rng.uniform(0.55, 0.9)
    short = min(whole.width, whole.height)
    for _ in range(_TRIES):
        radius = rng.uniform(0.05, 0.09) * short
        side = rng.integers(4)
        along = rng.uniform(0.12, 0.88)
        x = (along * whole.width, along * whole.width, 0.0, float(whole.width))[side]
        y = (0.0, float(whole.height), along * whole.height, along * whole.height)[side]
        rect = scene.window(x, y, 2.4 * radius)
        zones = scene.zones(rect)
        if not np.isin(zones, (0, CLOTHING)).all() or not scene.places.free(x, y, 1.6 * radius):
            continue
        scene.places.claim(x, y, 1.6 * radius)
        mask, outline = blob(scene, rect, x, y, 1.25 * radius, softness=0.5, rough=0.12)
        mask = cv2.GaussianBlur(mask, (0, 0), 0.12 * radius)
        before = scene.read(rect)
        ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32)
        shade = 1 - 0.35 * np.clip(np.hypot(xs - x, ys - y) / (1.3 * radius), 0, 1) ** 2
        after = before + mask[..., None] * (colour * shade[..., None] - before)
        scene.write(rect, after.astype(np.float32))
        inside = [(min(max(a, 0.0), float(whole.width)), min(max(b, 0.0), float(whole.height))) for a, b in outline]
        return Flaw(
            "intruder",
            float(min(max(x, 1), whole.width - 1)),
            float(min(max(y, 1), whole.height - 1)),
            float(2.5 * radius),
            contrast(before, after, mask),
            False,
            inside,
        )
    return None


def make_braces(scene: Scene) -> Flaw | None:
    """Brackets on the teeth and the wire that joins them. One flaw: its outline holds all of it."""
    teeth = scene.sitter.zones == TEETH
    where = np.argwhere(teeth).mean(0) if teeth.any() else (0, 0)
    if teeth.sum() < 400 or not scene.places.free(where[1], where[0], 1.0):
        return None  # none to see, or they have their brackets already
    scene.places.claim(where[1], where[0], 1.0)
    rng = scene.rng
    columns = np.flatnonzero(teeth.any(0))
    left, right = columns[0], columns[-1]
    rows = [np.flatnonzero(teeth[:, c]) for c in range(left, right + 1) if teeth[:, c].any()]
    tall = np.array([len(r) for r in rows], float)
    height = np.percentile(tall, 75)
    xs = np.array([c for c in range(left, right + 1) if teeth[:, c].any()], float)
    middle = np.array([r.mean() for r in rows])
    curve = np.polynomial.Polynomial.fit(xs, middle, 4, w=np.sqrt(tall))
    use = tall > 0.45 * height
    first, last = xs[use][0], xs[use][-1]
    wire = np.stack([np.linspace(first, last, 60), curve(np.linspace(first, last, 60))], 1)
    rect = path_bounds(wire, 1.2 * height, scene.whole)
    distance, along = distance_to_path(wire, rect, height)
    inside = (scene.zones(rect) == TEETH).astype(np.float32)
    before = scene.read(rect)
    out = before.copy()
    thick = max(0.9, 0.05 * height)
    metal = np.array([0.30, 0.31, 0.33], np.float32)

    def lay(alpha, tone):
        nonlocal out
        alpha = (cv2.GaussianBlur(alpha.astype(np.float32), (0, 0), 0.6) * inside)[..., None]
        out = out + alpha * (metal * tone[..., None] - out)

    lay(np.abs(distance) < thick, 0.8 + 0.9 * np.exp(-(((distance + 0.4 * thick) / (0.5 * thick)) ** 2)))
    spacing = 0.95 * height
    count = max(2, int((last - first) / spacing))
    half = 0.22 * height
    alpha, tone = np.zeros_like(distance), np.ones_like(distance)
    for i in range(count):
        at = (i + 0.5) / count
        step = np.abs(along - at) * (last - first)
        bracket = (step < half) & (np.abs(distance) < 0.8 * half)
        alpha = np.maximum(alpha, bracket)
        slope = (along - at) * (last - first) / half
        tone = np.where(bracket, 0.9 + 0.5 * slope - 0.6 * distance / half + 0.1 * rng.normal(), tone)
    lay(alpha, np.clip(tone, 0.25, 2.4))
    scene.write(rect, out.astype(np.float32))
    changed = np.abs(out - before).max(-1) > 1e-4
    mask = changed.astype(np.float32)
    return Flaw(
        "braces",
        float(wire[30, 0]),
        float(wire[30, 1]),
        float(last - first),
        contrast(before, out, mask),
        False,
        band(wire, half + 1),
        path=as_points(wire),
        width_px=float(2 * half),
    )
