"""Which boundary cells of a heal to believe: those that agree with the others."""

import numpy as np

_LEAST_SCALE = 0.006
_REACH = 3.0
_ITERATIONS = 5


def agreement(data: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """Weights 0-1 by how well each cell's difference fits the plane of most others.

    data: (h, w, 3) differences in encoded RGB; weight: (h, w), 0 where there is none. Iteratively reweighted
    least squares (Holland and Welsch 1977) with the Geman-McClure weight, from a median start: a jaw line,
    a collar or hair under part of the ring falls out, while shading along the ring (a slope) stays in.
    """
    ys, xs = np.nonzero(weight > 0)
    result = np.zeros(weight.shape, np.float32)
    if len(ys) == 0:
        return result
    d = data[ys, xs].astype(np.float64)
    base = weight[ys, xs].astype(np.float64)
    span = max(weight.shape) / 2
    basis = np.stack([np.ones(len(ys)), (ys - ys.mean()) / span, (xs - xs.mean()) / span], 1)
    fit = np.median(d, axis=0, keepdims=True)
    for _ in range(_ITERATIONS):
        residual = np.sqrt(((d - fit) ** 2).sum(1))
        scale = max(_LEAST_SCALE, 1.4826 * float(np.median(residual)))
        w = (1 / (1 + (residual / (_REACH * scale)) ** 2)) ** 2
        bw = base * w
        if len(ys) < 8:
            break
        normal = basis.T @ (bw[:, None] * basis) + 1e-6 * np.eye(3) * bw.sum()
        fit = basis @ np.linalg.solve(normal, basis.T @ (bw[:, None] * d))
    result[ys, xs] = w
    return result


def disagreement_share(weight: np.ndarray, agree: np.ndarray) -> float:
    """Share 0-1 of the boundary that does not fit the rest, for the warning on the outline."""
    total = float(weight.sum())
    return 1 - float((weight * agree).sum()) / total if total else 0.0
