"""The other side of a face: where a place and a move are mirrored to, by the face's own points."""

import numpy as np

from lather.core.job.face_map import FaceMap
from lather.core.job.face_mesh import (
    BETWEEN,
    BROWS,
    EYES,
    LIDS,
    LIPS_INNER,
    LIPS_OUTER,
    NOSE,
    NOSTRILS,
    OVAL,
    UNDER_EYES,
)

_AROUND = 0.45  # half faces: points so near have the most to say
_BESIDE = 0.012
_FRONTAL = 0.07  # the halves differ by no more: the face looks ahead, and lengths stay as they are


def _pairs() -> np.ndarray:
    """(n, 2) indices of points that are each other's mirror, both ways round."""
    pairs = []
    for ring in (OVAL, NOSE):
        pairs += [(ring[n], ring[-n % len(ring)]) for n in range(len(ring))]
    for ring in (LIPS_OUTER, LIPS_INNER):
        pairs += [(ring[n], ring[(10 - n) % 20]) for n in range(20)]
    for part in (EYES, LIDS, UNDER_EYES, BROWS, NOSTRILS, BETWEEN):
        both = list(zip(part["left"], part["right"]))
        pairs += both + [(b, a) for a, b in both]
    return np.array(pairs)


PAIRS = _pairs()


def mirror_at(face: FaceMap, x: float, y: float) -> tuple[float, ...] | None:
    """The map (a, b, c, d, tx, ty) from around a place to the other side: (a·x + b·y + tx, c·x + d·y + ty).

    Affine, fitted to the pairs of points around (weighted least squares). On a face that looks ahead a plain
    reflection, so that both sides move alike to the pixel. None where there is no mesh.
    """
    if not face.mesh:
        return None
    here, there = face.mesh_px[PAIRS[:, 0]], face.mesh_px[PAIRS[:, 1]]
    away = ((_spread(face, here) - _spread(face, np.array([[x, y]]))) ** 2).sum(1)
    weights = np.exp(-0.5 * away / _AROUND**2) + 1e-4
    share = (weights / weights.sum())[:, None]
    a, b = here - (share * here).sum(0), there - (share * there).sum(0)
    linear = np.linalg.solve((share * a).T @ a + 1e-6 * np.eye(2), (share * a).T @ b).T
    u, _, v = np.linalg.svd(linear)
    if looks_ahead(face):
        linear = u @ v
    # where the place itself goes is told by the points right beside it: on a turned head no plane fits both halves
    near = (away + _BESIDE**2) ** -2.0
    shift = (near[:, None] * (there - here @ linear.T)).sum(0) / near.sum()
    return (*(float(n) for n in linear.ravel()), *(float(n) for n in shift))


def _halves(face: FaceMap) -> tuple[float, float, float]:
    """(middle, width of the left half, of the right half), along the line between the eyes."""
    origin, across, _ = face.frame
    middle = float(((face.mesh_px[[1, 4, 168]] - origin) @ across).mean())
    sides = (face.mesh_px[[93, 234, 323, 454]] - origin) @ across
    return middle, max(middle - float(sides[:2].mean()), 1.0), max(float(sides[2:].mean()) - middle, 1.0)


def _spread(face: FaceMap, places: np.ndarray) -> np.ndarray:
    """Places (n, 2) in half faces: a turned head's far half counts as much as the near one."""
    origin, across, down = face.frame
    middle, left, right = _halves(face)
    aside = (places - origin) @ across - middle
    half = np.where(aside < 0, left, right)
    return np.column_stack([aside / half, (places - origin) @ down / (0.5 * (left + right))])


def looks_ahead(face: FaceMap) -> bool:
    """True if both halves of the face are about equally wide."""
    _, left, right = _halves(face)
    return bool(abs(left - right) < _FRONTAL * (left + right))
