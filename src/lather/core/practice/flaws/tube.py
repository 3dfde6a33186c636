"""Lines with width: the distance of every pixel to a path, from which hairs, furrows and veins are drawn."""

import numpy as np

from lather.core.find.lines.skin_lines import band
from lather.core.loops import loop
from lather.core.practice.flaws.base import Flaw
from lather.core.types import Rect


@loop("f8[:, ::1], f8, i8, i8, f4[:, ::1], f4[:, ::1]")
def _nearest(path, reach, x0, y0, distance, along):  # pragma: no cover - compiled
    height, width = distance.shape
    done = 0.0
    for i in range(path.shape[0] - 1):
        ax, ay, bx, by = path[i, 0], path[i, 1], path[i + 1, 0], path[i + 1, 1]
        length = np.hypot(bx - ax, by - ay)
        if length < 1e-9:
            continue
        ux, uy = (bx - ax) / length, (by - ay) / length
        for y in range(max(0, int(min(ay, by) - reach - y0)), min(height, int(max(ay, by) + reach - y0) + 2)):
            for x in range(max(0, int(min(ax, bx) - reach - x0)), min(width, int(max(ax, bx) + reach - x0) + 2)):
                px, py = x + x0 + 0.5 - ax, y + y0 + 0.5 - ay
                t = min(max(px * ux + py * uy, 0.0), length)
                d = np.hypot(px - t * ux, py - t * uy)
                if d < abs(distance[y, x]):
                    side = 1.0 if ux * py - uy * px >= 0 else -1.0
                    distance[y, x] = side * d
                    along[y, x] = done + t
        done += length


def distance_to_path(path: np.ndarray, rect: Rect, reach: float) -> tuple[np.ndarray, np.ndarray]:
    """Signed distance (px; positive right of the way the path goes, as the picture's y falls) and share 0-1 along.

    path: (n, 2). Further away than `reach` the distance is 1e6. Both float32 (h, w) over `rect`.
    """
    path = np.ascontiguousarray(path, np.float64)
    distance = np.full((rect.height, rect.width), 1e6, np.float32)
    along = np.zeros_like(distance)
    _nearest(path, float(reach), rect.x0, rect.y0, distance, along)
    total = np.hypot(*np.diff(path, axis=0).T).sum()
    return distance, along / max(total, 1e-6)


def path_bounds(path: np.ndarray, margin: float, whole: Rect) -> Rect:
    """Pixels within a margin of a path (n, 2), inside the picture."""
    low, high = path.min(0) - margin, path.max(0) + margin
    return Rect(int(low[0]), int(low[1]), int(high[0]) + 2, int(high[1]) + 2).intersect(whole)


def line_flaw(kind: str, path: np.ndarray, width_px: float, contrast_de: float, half_px: float) -> Flaw:
    """Description of a flaw along a path (n, 2); its outline is the path widened by `half_px` to both sides."""
    length = float(np.hypot(*np.diff(path, axis=0).T).sum())
    middle = path[len(path) // 2]
    outline = list(band(path, half_px))
    return Flaw(kind, float(middle[0]), float(middle[1]), length, contrast_de, False, outline,
                path=as_points(path), width_px=width_px)


def as_points(path: np.ndarray, most: int = 40) -> list[tuple[float, float]]:
    """At most `most` points of a path (n, 2), for flaws.json."""
    keep = np.unique(np.linspace(0, len(path) - 1, min(len(path), most)).round().astype(int))
    return [(float(a), float(b)) for a, b in path[keep]]
