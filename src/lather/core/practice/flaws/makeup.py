"""Make-up where it should not be: caught in a fold, smeared over the lip's edge."""

import cv2
import numpy as np

from lather.core.practice.flaws.base import Flaw, Scene, blob, to_contrast
from lather.core.practice.flaws.lines import draw_crease, follow_form
from lather.core.practice.flaws.tube import distance_to_path, line_flaw, path_bounds
from lather.core.practice.sitters import LIPS, SKIN

_TRIES = 60


def make_makeup_fold(scene: Scene) -> Flaw | None:
    """A fold in which foundation has gathered: a crease with a paler, dry, broken line along it."""
    rng = scene.rng
    width = float(max(2.0, rng.uniform(0.5, 0.8) * scene.per_mm))
    for _ in range(_TRIES):
        place = scene.places.propose(width * 2, SKIN, gap=8)
        if place is None:
            return None
        path = follow_form(scene, *place, rng.uniform(8, 14) * scene.per_mm, rng.uniform(-0.35, 0.35))
        if not scene.places.take_path(path[::4], 2.5 * width, SKIN):
            continue
        draw_crease(scene, path, width, rng.uniform(2.5, 4))
        rect = path_bounds(path, 4 * width + 4, scene.whole)
        distance, along = distance_to_path(path, rect, 4 * width)
        grains = cv2.GaussianBlur(
            rng.standard_normal(distance.shape).astype(np.float32), (0, 0), max(0.8, 0.35 * width)
        )
        broken = np.clip(0.75 + 0.5 * grains / max(float(grains.std()), 1e-6), 0, 1.4)
        fade = np.clip(np.sin(np.pi * np.clip(along, 0, 1)), 0, 1) ** 0.5
        line = (np.exp(-(((np.abs(distance) - 0.8 * width) / (0.5 * width)) ** 2)) * broken * fade).astype(np.float32)
        before = scene.read(rect)
        powder = np.median(before.reshape(-1, 3), axis=0) * np.array([1.5, 1.38, 1.2], np.float32)
        after, reached = to_contrast(
            lambda s: before + np.minimum(s * line, 1)[..., None] * (powder - before), before, line, rng.uniform(4.5, 7)
        )
        scene.write(rect, after)
        return line_flaw("makeup_fold", path, 4 * width, reached, 2 * width)
    return None


def make_smeared_lip(scene: Scene) -> Flaw | None:
    """Lip colour dragged over the lip's edge onto the skin."""
    rng = scene.rng
    lips = (scene.sitter.zones == LIPS).astype(np.uint8)
    if lips.sum() < 200:
        return None
    rim = cv2.dilate(lips, np.ones((5, 5), np.uint8)) - lips
    ys, xs = np.nonzero((rim > 0) & (scene.sitter.zones == SKIN))
    if len(xs) == 0:
        return None
    colour = np.median(scene.linear[lips > 0], axis=0)
    middle_x, middle_y = np.nonzero(lips)[1].mean(), np.nonzero(lips)[0].mean()
    for _ in range(_TRIES):
        i = rng.integers(len(xs))
        outward = np.array([xs[i] - middle_x, 3 * (ys[i] - middle_y)])
        outward = outward / max(np.hypot(*outward), 1e-6)
        size = rng.uniform(3.5, 7) * scene.per_mm
        x, y = np.array([xs[i], ys[i]]) + outward * 0.35 * size
        if not (0 < x < scene.whole.x1 and 0 < y < scene.whole.y1) or not scene.places.free(x, y, 0.6 * size):
            continue
        scene.places.claim(x, y, 0.6 * size)
        rect = scene.window(x, y, size)
        turn = np.arctan2(outward[1], outward[0]) + rng.normal(0, 0.5)
        mask, outline = blob(scene, rect, x, y, 0.36 * size, softness=1.0, rough=0.35, stretch=1.7, turn=turn)
        streaks = cv2.GaussianBlur(rng.standard_normal(mask.shape).astype(np.float32), (0, 0), max(1.0, 0.08 * size))
        mask = mask * np.clip(0.85 + 0.25 * streaks / max(float(streaks.std()), 1e-6), 0, 1.2)
        mask = (mask * cv2.GaussianBlur((scene.zones(rect) == SKIN).astype(np.float32), (0, 0), 0.8)).astype(np.float32)
        if mask.max() < 0.3:
            continue
        before = scene.read(rect)
        tint = before * np.clip(colour / np.maximum(np.median(before.reshape(-1, 3), axis=0), 1e-3), 0, 1.5)
        after, reached = to_contrast(
            lambda s: before + np.minimum(0.7 * s * mask, 0.9)[..., None] * (tint - before),
            before,
            mask,
            rng.uniform(6, 10),
        )
        scene.write(rect, after)
        return Flaw("smeared_lip", float(x), float(y), float(size), reached, False, outline)
    return None
