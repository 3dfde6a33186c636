"""Which boundary cells of a heal to believe, and the plane that those cells agree on."""

from dataclasses import dataclass

import numpy as np

from lather.core.loop_parts import median_of, solve_three
from lather.core.loops import loop

_LEAST_SCALE = 0.012
_REACH = 7.0
_ITERATIONS = 4
_STARTS = 28
_LOOKED_AT = 160


@dataclass(frozen=True)
class BoundaryFit:
    """agree: weights 0-1 (h, w). plane: (3, 3), per channel constant, slope down, slope right, in cells."""

    agree: np.ndarray
    plane: np.ndarray
    middle: tuple[float, float]
    span: float

    def on_cells(self) -> np.ndarray:
        """The plane on every cell, float32 (h, w, 3)."""
        height, width = self.agree.shape
        ys = (np.arange(height, dtype=np.float32) - self.middle[0]) / self.span
        xs = (np.arange(width, dtype=np.float32) - self.middle[1]) / self.span
        p = self.plane.astype(np.float32)
        return p[0] + ys[:, None, None] * p[1] + xs[None, :, None] * p[2]


def fit_boundary(data: np.ndarray, weight: np.ndarray) -> BoundaryFit:
    """A plane through the differences of most cells, and how well each cell fits it.

    data: (h, w, 3) differences in encoded RGB; weight: (h, w), 0 where there is none. Start: the best of many
    planes through three cells by least median of residuals (Rousseeuw 1984), or the median; then iteratively
    reweighted least squares (Holland and Welsch 1977) with the Geman-McClure weight. A jaw line, a collar or
    hair under part of the ring falls out, while shading along the ring (a slope) stays in.
    """
    ys, xs = np.nonzero(weight > 0)
    span = max(weight.shape) / 2
    agree = np.zeros(weight.shape, np.float32)
    if len(ys) == 0:
        return BoundaryFit(agree, np.zeros((3, 3)), (0.0, 0.0), span)
    d = data[ys, xs].astype(np.float64)
    base = weight[ys, xs].astype(np.float64)
    middle = (float(ys.mean()), float(xs.mean()))
    basis = np.stack([np.ones(len(ys)), (ys - middle[0]) / span, (xs - middle[1]) / span], 1)
    plane = np.zeros((3, 3))
    plane[0] = np.median(d, axis=0)
    if len(ys) >= 8:
        plane = np.ascontiguousarray(_start(basis, d, plane))
        for _ in range(_ITERATIONS):
            plane = _refitted(basis, d, base * _weights(basis, d, plane))
    agree[ys, xs] = _weights(basis, d, plane)
    return BoundaryFit(agree, plane, middle, span)


@loop(fastmath=True)
def _squares(basis, d, plane):  # pragma: no cover - compiled
    """Squared residual of each cell."""
    out = np.empty(d.shape[0])
    for n in range(d.shape[0]):
        out[n] = 0.0
        for c in range(3):
            off = d[n, c] - (basis[n, 0] * plane[0, c] + basis[n, 1] * plane[1, c] + basis[n, 2] * plane[2, c])
            out[n] += off * off
    return out


@loop("f8[:, ::1], f8[:, ::1], f8[:, ::1]", fastmath=True)
def _weights(basis, d, plane):  # pragma: no cover - compiled
    """The Geman-McClure weight of each cell, 0-1."""
    square = _squares(basis, d, plane)
    out = square.copy()
    scale = max(_LEAST_SCALE, 1.4826 * np.sqrt(median_of(square)))
    for n in range(out.shape[0]):
        out[n] = (1 / (1 + out[n] / (_REACH * scale) ** 2)) ** 2
    return out


@loop("f8[:, ::1], f8[:, ::1], f8[::1]", fastmath=True)
def _refitted(basis, d, weight):  # pragma: no cover - compiled
    """The plane by weighted least squares, slopes held back a little."""
    normal, wanted, total = np.zeros((3, 3)), np.zeros((3, 3)), 0.0
    for n in range(d.shape[0]):
        total += weight[n]
        for i in range(3):
            own = weight[n] * basis[n, i]
            for k in range(3):
                normal[i, k] += own * basis[n, k]
                wanted[i, k] += own * d[n, k]
    normal[1, 1] += 1e-4 * total
    normal[2, 2] += 1e-4 * total
    solve_three(normal, wanted)
    return wanted


def _start(basis: np.ndarray, d: np.ndarray, flat: np.ndarray) -> np.ndarray:
    """The candidate plane with the smallest median residual; the same cells give the same plane."""
    rng = np.random.default_rng(len(d))
    seen = np.linspace(0, len(d) - 1, min(len(d), _LOOKED_AT)).astype(int)
    triples = rng.integers(0, len(d), (_STARTS, 3))
    corners = basis[triples]
    good = np.abs(np.linalg.det(corners)) > 0.05
    planes = np.linalg.solve(corners[good], d[triples[good]]) if good.any() else np.zeros((0, 3, 3))
    return _best(basis[seen], d[seen], np.concatenate([flat[None], planes]))


@loop("f8[:, ::1], f8[:, ::1], f8[:, :, ::1]", fastmath=True)
def _best(basis, d, planes):  # pragma: no cover - compiled
    best, least = 0, np.inf
    for n in range(planes.shape[0]):
        median = median_of(_squares(basis, d, planes[n]))
        if median < least:
            best, least = n, median
    return planes[best]


def disagreement_share(weight: np.ndarray, agree: np.ndarray) -> float:
    """Share 0-1 of the boundary that does not fit the rest, for the warning on the outline."""
    total = float(weight.sum())
    return 1 - float((weight * agree).sum()) / total if total else 0.0
