"""A crease: a soft dark furrow with a lit flank, along a slightly bent path."""

import cv2
import numpy as np

from lather.core.practice.flaws.base import MELANIN, Flaw, to_contrast
from lather.core.types import LinearRGB, Rect


def draw_crease(linear: LinearRGB, x: float, y: float, length_px: float, width_px: float, *, direction: float,
                light: tuple[float, float], rng: np.random.Generator) -> Flaw:
    """Draw one crease into `linear` (in place). direction: radians. Returns its description with path."""
    t = np.linspace(-0.5, 0.5, 25)
    bend = rng.uniform(-0.16, 0.16) * length_px
    along, across = t * length_px, bend * (1 - (2 * t) ** 2)
    px = x + along * np.cos(direction) - across * np.sin(direction)
    py = y + along * np.sin(direction) + across * np.cos(direction)
    path = np.stack([px, py], 1)
    margin = int(length_px * 0.75 + 4 * width_px) + 4
    whole = Rect(0, 0, linear.shape[1], linear.shape[0])
    rect = Rect(int(x) - margin, int(y) - margin, int(x) + margin, int(y) + margin).intersect(whole)
    line = np.zeros((rect.height, rect.width), np.float32)
    weight = np.sin(np.pi * (t + 0.5)) ** 0.6  # fades at both ends
    for i in range(len(path) - 1):
        segment = np.zeros_like(line)
        ends = [np.round((path[j] - [rect.x0, rect.y0]) * 16).astype(int) for j in (i, i + 1)]
        cv2.line(segment, tuple(map(int, ends[0])), tuple(map(int, ends[1])), float(weight[i]), 1, cv2.LINE_AA, 4)
        np.maximum(line, segment, out=line)
    furrow = cv2.GaussianBlur(line, (0, 0), width_px * 0.42)
    furrow /= max(float(furrow.max()), 1e-6)
    normal = np.array([-np.sin(direction), np.cos(direction)])
    if normal @ np.array(light) > 0:
        normal = -normal
    shift = np.float32([[1, 0, normal[0] * width_px * 0.9], [0, 1, normal[1] * width_px * 0.9]])
    lit = cv2.warpAffine(furrow, shift, (rect.width, rect.height))
    before = linear[rect.slices(whole)].copy()

    def draw(strength: float) -> LinearRGB:
        return before * np.exp(-strength * MELANIN * furrow[..., None]) * (1 + 0.22 * strength * lit[..., None])

    after, contrast_de = to_contrast(draw, before, furrow, rng.uniform(5, 9))
    linear[rect.slices(whole)] = after
    side = np.stack([-np.gradient(py), np.gradient(px)], 1)
    side /= np.maximum(np.hypot(*side.T), 1e-6)[:, None]
    outline = np.concatenate([path + side * width_px, (path - side * width_px)[::-1]])
    return Flaw("crease", x, y, length_px, contrast_de, False, [(float(a), float(b)) for a, b in outline[::3]],
                path=[(float(a), float(b)) for a, b in path[::2]], width_px=width_px)
