"""Stray hairs of the brows: single hairs on the skin around a brow, outside its mass."""

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000
from lather.core.find.lines.ridges import Line, ridge_responses, trace_lines
from lather.core.find.lines.skin_lines import band
from lather.core.find.scene import FindScene
from lather.core.job.finds import Find
from lather.core.types import Mask

_CORE = (0.34, 0.06)  # half width and half height of where a brow is for sure, in eye distances
_WIDE_CORE = (0.46, 0.17)
_HALF_WIDTH, _ABOVE, _BELOW = 0.6, 0.24, 0.11  # in eye distances from the middle of the brow: further down are lashes
_WINDOW, _LEAST_WINDOW_PX = 0.7, 24  # half a side, in eye distances
_LEAST_PX_PER_MM = 3.0  # a hair of less than half a pixel is none to mend
_WIDTHS_MM = (0.13, 0.24)
_HAIRY, _DENSE_MM, _DENSE, _RIM_MM = 4.0, 1.3, 0.45, 1.1  # the mass: where as many ridges are as in the thick of it
_USUAL_MM, _HIGH, _LOW, _LEAST_HIGH = 5.0, 5.0, 2.0, 1.6  # times the usual ridge response around it; ΔL*
_LEAST_DENSE, _LEAST_BROW, _FROM_HAIR_MM = 0.15, 0.2, 1.5
_DARK_MM, _LEAST_DARKER, _LONE_MM = 0.6, 4.0, 0.8
_LEAST_MM, _LEAST_CONTRAST_DE = 2.2, 8.5
_SURE_CONTRAST_DE, _SURE_MM = 12.0, 6.0


def find_brow_hairs(scene: FindScene) -> list[Find]:
    """Hairs that stand off the brows, most certain first; path from the tip to the end nearer to the brow."""
    face = scene.measures.face
    if face is None or scene.per_mm < _LEAST_PX_PER_MM:
        return []
    found = []
    for side in ("left", "right"):
        found += _around_a_brow(scene, side)
    return sorted(found, key=lambda f: -f.confidence)


def _around_a_brow(scene: FindScene, side: str) -> list[Find]:
    seen = _window(scene, side)
    if seen is None:
        return []
    lab, corner, u, v = seen
    core = (u / _CORE[0]) ** 2 + (v / _CORE[1]) ** 2 < 1
    around = (np.abs(u) < _HALF_WIDTH) & (v > -_ABOVE) & (v < _BELOW)
    beside = around & (np.abs(v) > 2 * _CORE[1])
    if not (core.any() and beside.any()):
        return []
    light = np.ascontiguousarray(lab[..., 0])
    both = ridge_responses(light, sorted({max(0.8, 0.5 * w * scene.per_mm) for w in _WIDTHS_MM}), (True, False))
    mass = _dense([response for response, _, _ in both], core, scene.per_mm) | _dark(light, core, beside, scene.per_mm)
    side_px = 2 * round(_LONE_MM * scene.per_mm) + 1  # a lone hair is no mass, however dark
    mass = cv2.morphologyEx(mass, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side_px, side_px)))
    if mass[core].mean() < _LEAST_BROW:
        return []
    off = cv2.distanceTransform(1 - mass, cv2.DIST_L2, 5) - _RIM_MM * scene.per_mm
    wide = (u / _WIDE_CORE[0]) ** 2 + (v / _WIDE_CORE[1]) ** 2 < 1  # the map of skin leaves the brow and its rim out
    x0, y0 = corner
    skin = scene.skin[y0 : y0 + lab.shape[0], x0 : x0 + lab.shape[1]] > 0.5
    skin = (wide | skin).astype(np.uint8) | mass
    far = cv2.distanceTransform(skin, cv2.DIST_L2, 5) > _FROM_HAIR_MM * scene.per_mm  # not of the hair that hangs there
    traced = _traced(both, (around & far & (off > 0)).astype(np.float32), scene.per_mm)
    return [find for line in traced if (find := _as_find(scene, line, lab, off, corner, side)) is not None]


def _window(scene: FindScene, side: str):
    """(Lab around a brow, its corner (x, y) in px here, across and down from its middle in eye distances), or None."""
    face = scene.measures.face
    d, (_, across, down) = face.eye_distance_px, face.frame
    middle = np.array(scene.to_here(*(np.array(face.points[f"eye_{side}"]) - scene.brow_rise * d * down)))
    half = _WINDOW * d / scene.step
    (x0, y0), (x1, y1) = np.maximum(middle - half, 0).astype(int), np.maximum(middle + half, 0).astype(int)
    lab = np.ascontiguousarray(scene.lab[y0:y1, x0:x1])
    if min(lab.shape[:2]) < _LEAST_WINDOW_PX:
        return None
    ys, xs = np.mgrid[: lab.shape[0], : lab.shape[1]].astype(np.float32)
    away = np.stack([xs + x0, ys + y0], -1) + 0.5 - middle.astype(np.float32)
    u, v = (away @ axis.astype(np.float32) * np.float32(scene.step / d) for axis in (across, down))
    return lab, (int(x0), int(y0)), u, v


def _traced(ridges, where: np.ndarray, per_mm: float) -> list[Line]:
    """Lines, dark and bright, that stand out from the usual ridges around them; where: float32 (h, w) 0 or 1."""
    traced, around_px = [], (2 * int(_USUAL_MM * per_mm) + 1,) * 2
    for response, angle, scale in ridges:
        response = response * where
        usual = (cv2.blur(response, around_px) + 0.02) / (cv2.blur(where, around_px) + 0.05)
        traced += trace_lines(response, angle, scale, low=np.maximum(_LEAST_HIGH / 2, _LOW * usual),
                              high=np.maximum(_LEAST_HIGH, _HIGH * usual), least_length=_LEAST_MM * per_mm)
    return traced


def _dense(ridges: list[np.ndarray], core: np.ndarray, per_mm: float) -> Mask:
    """Where hairs lie nearly as close together as in the thick of a brow, uint8 0 or 1. core: where that is."""
    strongest = np.maximum(*ridges)
    usual = float(np.median(strongest[~core])) + 0.05
    dense = cv2.GaussianBlur((strongest > _HAIRY * usual).astype(np.float32), (0, 0), _DENSE_MM * per_mm)
    return (dense > max(_LEAST_DENSE, _DENSE * float(np.percentile(dense[core], 98)))).astype(np.uint8)


def _dark(light: np.ndarray, core: np.ndarray, beside: np.ndarray, per_mm: float) -> Mask:
    """What is nearer in lightness to the thick of a dark brow than to the skin above and below, uint8 0 or 1."""
    smooth = cv2.GaussianBlur(light, (0, 0), _DARK_MM * per_mm)
    brow, skin = float(np.percentile(smooth[core], 10)), float(np.median(smooth[beside]))
    return (smooth < skin - max(_LEAST_DARKER, 0.5 * (skin - brow))).astype(np.uint8)


def _as_find(scene: FindScene, line: Line, lab, off, corner, side: str) -> Find | None:
    points = line.points
    rows, columns = (np.clip(points[:, i].astype(int), 0, lab.shape[1 - i] - 1) for i in (1, 0))
    if off[rows[0], columns[0]] < off[rows[-1], columns[-1]]:
        points = points[::-1]
    contrast = _contrast(lab, points, max(1.0, line.width))
    if contrast < _LEAST_CONTRAST_DE:
        return None
    path = tuple(scene.to_source(float(x) + corner[0], float(y) + corner[1]) for x, y in points)
    x, y = path[len(path) // 2]
    length_mm = line.length / scene.per_mm
    sure = min(1.0, contrast / _SURE_CONTRAST_DE) * min(1.0, length_mm / _SURE_MM)
    width = line.width * scene.step
    return Find(
        f"brow_hair-{x:.0f}-{y:.0f}", "brow_hair", x, y, line.length * scene.step, contrast,
        float(0.45 + 0.5 * sure), f"brow, {side}", False, True, band(path, max(1.5, width)), path, width,
    )


def _contrast(lab, points, width: float) -> float:
    """ΔE00 between a line and both its sides."""
    way = np.gradient(points, axis=0)
    normal = np.stack([-way[:, 1], way[:, 0]], 1) / np.maximum(np.hypot(*way.T), 1e-6)[:, None]

    def seen(aside: float) -> np.ndarray:
        at = (points + aside * normal - 0.5).astype(np.float32)[None]
        return cv2.remap(lab, at[..., 0].copy(), at[..., 1].copy(), cv2.INTER_LINEAR)[0]

    beside = 0.5 * (seen(2.5 * width) + seen(-2.5 * width))
    return float(delta_e2000(np.median(seen(0.0), 0)[None], np.median(beside, 0)[None])[0])
