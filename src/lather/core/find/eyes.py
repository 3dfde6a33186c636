"""Under and in the eyes: hollows under them, vessels in their white."""

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000
from lather.core.find.lines import band
from lather.core.find.ridges import ridge_response, trace_lines
from lather.core.find.scene import FindScene
from lather.core.job.finds import Find

_HOLLOW_DE, _HOLLOW_BLUE = 4.2, -0.9  # darker than the cheek by, and less yellow by, before it is proposed
_VEIN_DARK = 0.15  # what lightness counts beside a*: a vessel is red, and a little darker
_VEIN_FROM, _VEIN_ON, _LEAST_VEIN_MM = 4.0, 2.0, 1.0  # times the white's own ridge response: where it starts, goes on
_LEAST_VEIN_SIGHT = 4.5  # strength times root of length in mm


def find_hollows(scene: FindScene) -> list[Find]:
    """The crescent under each eye against the cheek below it and the lid above."""
    face = scene.measures.face
    if face is None:
        return []
    _, across, down = face.frame
    d = face.eye_distance_px
    found = []
    for side in ("left", "right"):
        eye = np.array(face.points[f"eye_{side}"])
        t = np.linspace(-1, 1, 31)
        path = eye + d * (0.22 * t[:, None] * across + (0.20 * (1 - 0.35 * t[:, None] ** 2)) * down)
        hollow = _samples(scene, path, 0.02 * d, down)
        cheek = _samples(scene, path + 0.24 * d * down, 0.03 * d, down)
        above = _samples(scene, path - 0.055 * d * down, 0.01 * d, down)
        change = hollow - cheek
        valley = hollow[0] - 0.5 * (cheek[0] + above[0])
        de = float(delta_e2000(hollow[None], cheek[None])[0])
        if change[0] > -2.0 or valley > -2.0 or de < _HOLLOW_DE or change[2] > _HOLLOW_BLUE:
            continue
        confidence = float(np.clip(0.5 + 0.08 * (de - _HOLLOW_DE), 0.5, 0.95))
        x, y = path[len(path) // 2]
        points = tuple((float(a), float(b)) for a, b in path)
        found.append(
            Find(
                f"under_eye-{side}",
                "under_eye",
                float(x),
                float(y),
                0.44 * d,
                de,
                confidence,
                f"under-eye, {side}",
                False,
                True,
                band(points, 0.075 * d),
                points,
                0.12 * d,
            )
        )
    return found


def _samples(scene: FindScene, path: np.ndarray, half: float, down: np.ndarray) -> np.ndarray:
    """Median Lab in a band around a path of source places."""
    rows = [path + s * half * down for s in (-1, -0.5, 0, 0.5, 1)]
    points = np.array([scene.to_here(float(x), float(y)) for row in rows for x, y in row[6:-6]], np.float32)
    values = cv2.remap(scene.lab, points[None, :, 0].copy(), points[None, :, 1].copy(), cv2.INTER_LINEAR)[0]
    return np.median(values, axis=0)


def find_eye_veins(scene: FindScene) -> list[Find]:
    """Red ridges inside the white of the eyes: bright, nearly without colour, inside the eye's ellipse."""
    face = scene.measures.face
    if face is None:
        return []
    d = face.eye_distance_px
    found = []
    for side in ("left", "right"):
        x, y = scene.to_here(*face.points[f"eye_{side}"])
        half_w, half_h = int(0.32 * d / scene.step), int(0.15 * d / scene.step)
        x0, y0 = max(0, int(x) - half_w), max(0, int(y) - half_h)
        part = scene.lab[y0 : int(y) + half_h, x0 : int(x) + half_w]
        if part.size == 0 or min(part.shape[:2]) < 8:
            continue
        smooth = cv2.medianBlur(np.ascontiguousarray(part), 5)
        skin_l = float(np.median(scene.lab[..., 0][scene.skin > 0.5])) if (scene.skin > 0.5).any() else 60.0
        white = (np.hypot(smooth[..., 1], smooth[..., 2]) < 12) & (smooth[..., 0] > max(40.0, 0.7 * skin_l))
        white = cv2.erode(white.astype(np.uint8), np.ones((5, 5), np.uint8))
        if white.sum() < 60:
            continue
        redder = np.ascontiguousarray(part[..., 1] - _VEIN_DARK * part[..., 0])
        response, angle, scale = ridge_response(redder, (1.0, 1.5), dark=False)
        calm = response[(white > 0) & (response > 0)]
        usual = float(np.median(calm)) + 0.05 if len(calm) else 1.0
        lines = trace_lines(
            response * white, angle, scale, low=_VEIN_ON * usual, high=_VEIN_FROM * usual,
            least_length=_LEAST_VEIN_MM * scene.per_mm,
        )
        lines = [line for line in lines if line.strength / usual * np.sqrt(line.length / scene.per_mm)
                 > _LEAST_VEIN_SIGHT]
        for line in lines[:4]:
            path = tuple(scene.to_source(float(a) + x0, float(b) + y0) for a, b in line.points)
            mx, my = path[len(path) // 2]
            found.append(
                Find(
                    f"vein_eye-{mx:.0f}-{my:.0f}",
                    "vein_eye",
                    mx,
                    my,
                    line.length * scene.step,
                    float(1.6 * line.strength),
                    float(np.clip(0.35 * line.strength, 0.5, 0.9)),
                    f"eye, {side}",
                    False,
                    True,
                    band(path, max(1.5, line.width * scene.step)),
                    path,
                    line.width * scene.step,
                )
            )
    return found
