"""Under and in the eyes: hollows under them, vessels in their white."""

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000
from lather.core.find.lines.ridges import ridge_response, trace_lines
from lather.core.find.lines.skin_lines import band
from lather.core.find.scene import FindScene
from lather.core.job.face_map import SIDES, FaceMap
from lather.core.job.finds import Find

_HOLLOW_AT, _BELOW_AT = (-0.03, 0.0, 0.03), 0.09  # eye distances below the crescent: in it, and just past it
_HOLLOW_WEIGHTS, _HOLLOW_START = (-0.324, -0.605, -0.913, -0.9, -0.917), -4.003
"""Of `hollow_features`, and where none of them is; fitted by benchmarks/fit_hollows.py."""
_LEAST_DE = 2.0  # to what is just past it
_VEIN_DARK = 0.15  # what lightness counts beside a*: a vessel is red, and a little darker
_VEIN_FROM, _VEIN_ON, _LEAST_VEIN_MM = 4.0, 2.0, 1.0  # times the white's own ridge response: where it starts, goes on
_LEAST_VEIN_SIGHT = 4.5  # strength times root of length in mm


def crescent(face: FaceMap, side: str) -> np.ndarray:
    """(31, 2) source places along the lower lid of an eye, "left" or "right" as seen."""
    _, across, down = face.frame
    t = np.linspace(-1, 1, 31)[:, None]
    return face.eye_middle(side) + face.eye_distance_px * (
        0.22 * t * across + 0.20 * (1 - 0.35 * t**2) * down
    )


def hollow_features(scene: FindScene, path: np.ndarray) -> tuple[np.ndarray, float]:
    """What tells a hollow along `path` from a face's own shading, (5,), and its contrast in ΔE00.

    The form of a face darkens lids and cheeks too, but widely, and keeps their hue: a hollow is narrow, and takes
    yellow away. So it is held against the skin just past it: changes of L* (of skin of L* 50) and b*.
    """
    face = scene.measures.face
    _, _, down = face.frame
    d = face.eye_distance_px
    upper, middle, lower, below = (
        _samples(scene, path + at * d * down, 0.012 * d, down) for at in (*_HOLLOW_AT, _BELOW_AT)
    )
    features = np.array([
        50 * (middle - below)[0] / max(below[0], 20.0), (lower - below)[0],
        (middle - below)[2], (upper - below)[2], (lower - below)[2],
    ])
    return features, float(delta_e2000(middle[None], below[None])[0])


def find_hollows(scene: FindScene) -> list[Find]:
    """The crescent under each eye where it is darker and bluer than a face's own shading makes it."""
    face = scene.measures.face
    if face is None:
        return []
    d = face.eye_distance_px
    found = []
    for side in ("left", "right"):
        path = crescent(face, side)
        features, de = hollow_features(scene, path)
        confidence = 1 / (1 + np.exp(-(_HOLLOW_START + features @ _HOLLOW_WEIGHTS)))
        if confidence < 0.5 or de < _LEAST_DE:
            continue
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
                float(confidence),
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
    person = scene.measures.people.person_of(face)
    found = []
    for side in SIDES:
        if person is not None and side in person.closed:
            continue
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
