"""The other side of a face: where a place and a move are mirrored to, by the face's own points."""

import numpy as np

from lather.core.job.face_map import FaceMap
from lather.core.job.face_mesh import (
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

_AROUND = 0.32  # of the face's width: points so near have the most to say
_FRONTAL = 0.07  # the other side's scale is off by no more: the face looks ahead, and lengths stay as they are


def _pairs() -> np.ndarray:
    """(n, 2) indices of points that are each other's mirror, both ways round."""
    pairs = []
    for ring in (OVAL, NOSE):
        pairs += [(ring[n], ring[-n % len(ring)]) for n in range(len(ring))]
    for ring in (LIPS_OUTER, LIPS_INNER):
        pairs += [(ring[n], ring[(10 - n) % 20]) for n in range(20)]
    for part in (EYES, LIDS, UNDER_EYES, BROWS, NOSTRILS):
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
    sigma = _AROUND * face.width_px
    weights = np.exp(-0.5 * ((here - (x, y)) ** 2).sum(1) / sigma**2) + 1e-3
    share = (weights / weights.sum())[:, None]
    middle, other = (share * here).sum(0), (share * there).sum(0)
    a, b = here - middle, there - other
    linear = np.linalg.solve((share * a).T @ a + 1e-6 * np.eye(2), (share * a).T @ b).T
    u, _, v = np.linalg.svd(linear)
    if looks_ahead(face):
        linear = u @ v
    shift = other - linear @ middle
    return (*(float(n) for n in linear.ravel()), *(float(n) for n in shift))


def looks_ahead(face: FaceMap) -> bool:
    """True if both halves of the face are about equally wide."""
    origin, across, _ = face.frame
    tip = (face.mesh_px[[1, 4, 168]] - origin) @ across
    sides = (face.mesh_px[[93, 234, 323, 454]] - origin) @ across
    left, right = tip.mean() - sides[:2].mean(), sides[2:].mean() - tip.mean()
    return bool(abs(left - right) < 2 * _FRONTAL * (left + right))
