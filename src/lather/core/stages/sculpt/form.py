"""The form as the light shows it: where it rises towards the light, where it falls away, where nothing may be laid."""

import cv2
import numpy as np

from lather.core.job.face_mesh import EYES, LIPS_OUTER
from lather.core.stages.base import Surroundings
from lather.core.stages.light.cells import POINTS, Field, Grid, Seen, assembled
from lather.core.stages.light.needed import SKIN, NeededLight, faces_key
from lather.core.types import Rect

RISES, FALLS, OPEN, ON_SKIN = 0, 1, 2, 3
"""Channels: how far light follows here (0-1), how far shade does, 0 at edges that stay as they are, share of skin."""
_SCALES = ((3.2, 17.0), (1.8, 6.0))  # points, near and wide: 2 % and 11 % of the width of a face; 1 % and 4 %
_REACH = 44  # points
_FROM, _FULLY = -0.06, 0.10  # natural logarithm over its surroundings from which light follows, and wholly
_EDGE, _EDGE_SOFT = 1.6, 1.4  # points on each side of an edge
_SMOOTH = 2.2  # points: what follows changes no faster than the form itself, so that no stripe is laid beside a fold


class Form:
    """Cells of the form, kept by what they are made from."""

    def __init__(self, needed: NeededLight):
        self._needed = needed

    def over(self, around: Surroundings, rect: Rect) -> Field:
        """Channels RISES, FALLS, OPEN and ON_SKIN around a level-0 rectangle."""
        seen, photo = Seen.input_of(around), Seen.photo_of(around)
        return assembled(seen, rect, lambda column, row: self._cell(seen, photo, column, row))

    def _cell(self, seen: Seen, photo: Seen, column: int, row: int) -> np.ndarray:
        grid = seen.grid
        cell = Rect(column * grid.side, row * grid.side, (column + 1) * grid.side, (row + 1) * grid.side)
        reads = cell.expand(int(_REACH * grid.px)).intersect(seen.bounds)

        def work() -> np.ndarray:
            light, skin = self._needed.light(seen, reads).cut(reads), self._needed.over(photo, reads).cut(reads)
            form = _form(light.values[..., 0], skin.values[..., SKIN], light, grid, seen.faces)
            x, y = (round((a - b) / grid.px) for a, b in zip((cell.x0, cell.y0), light.origin))
            own = form[max(0, y) : y + POINTS, max(0, x) : x + POINTS]
            below, right = POINTS - own.shape[0], POINTS - own.shape[1]
            return cv2.copyMakeBorder(np.ascontiguousarray(own), 0, below, 0, right, cv2.BORDER_REPLICATE)

        return self._needed.kept(("form", grid, seen.fingerprint(reads), faces_key(seen.faces), photo.skin_key, column,
                                  row), work)


def _form(light: np.ndarray, skin: np.ndarray, field: Field, grid: Grid, faces) -> np.ndarray:
    """Skin is compared with skin, all else (hair, cloth) with all that is around; the scale that says more counts."""
    weight = np.maximum(skin, 1e-4)
    offs = [np.where(skin > 0.5, _near_less_wide(light, weight, *scale), _near_less_wide(light, None, *scale))
            for scale in _SCALES]
    rises, falls = (np.maximum(*(_step((sign * off - _FROM) / (_FULLY - _FROM)) for off in offs)) for sign in (1, -1))
    rises, falls = (cv2.GaussianBlur(one, (0, 0), _SMOOTH) for one in (rises, falls))
    edges = np.clip(4 * skin * (1 - skin), 0, 1)
    lines = np.zeros(skin.shape, np.uint8)
    for face in faces:
        if face.mesh:
            for outline in (LIPS_OUTER, *EYES.values()):
                places = np.round(((face.mesh_px[list(outline)] - field.origin) / field.px - 0.5) * 16).astype(np.int32)
                cv2.polylines(lines, [places], True, 1, 1, shift=4)
    size = 2 * round(_EDGE) + 1
    edges = cv2.dilate(np.maximum(edges, lines).astype(np.float32), np.ones((size, size)))
    closed = np.clip(1.5 * cv2.GaussianBlur(edges, (0, 0), _EDGE_SOFT), 0, 1)
    return np.stack([rises, falls, 1 - closed, skin], -1).astype(np.float32)


def _near_less_wide(light: np.ndarray, weight: np.ndarray | None, near: float, wide: float) -> np.ndarray:
    if weight is None:
        return cv2.GaussianBlur(light, (0, 0), near) - cv2.GaussianBlur(light, (0, 0), wide)
    means = [cv2.GaussianBlur(light * weight, (0, 0), s) / np.maximum(cv2.GaussianBlur(weight, (0, 0), s), 1e-4)
             for s in (near, wide)]
    return means[0] - means[1]


def _step(share: np.ndarray) -> np.ndarray:
    share = np.clip(share, 0, 1)
    return share * share * (3 - 2 * share)
