"""The membrane under a heal: the smoothest surface through the difference at the boundary.

Solves Σ_neighbours (u_i − u_j) + λ w_i (u_i − d_i) = 0 over a domain: Laplace's equation inside (Pérez, Gangnet
and Blake, "Poisson image editing", 2003) with a soft hold on a ring of boundary cells instead of one hard row of
pixels, so that grain and pores in the ring average out, cells with weight 0 are free, and the picture's border
is free by itself. Solver: cascadic multigrid (Bornemann and Deuflhard 1996).
"""

import numpy as np

from lather.core.loops import loop

HOLD = 1.0  # as strong as one neighbour: the ring is followed within a pixel or two
_SWEEPS = 14
_OVER_RELAXATION = np.float32(1.5)


@loop("f4[:, :, ::1], u1[:, ::1], f4[:, :, ::1], f4[:, ::1], i8, f4", fastmath=True)
def _relax(u, domain, data, weight, sweeps, omega):  # pragma: no cover - compiled
    height, width = domain.shape
    for _sweep in range(sweeps):
        for colour in range(2):
            for y in range(height):
                for x in range((y + colour) & 1, width, 2):
                    if domain[y, x] == 0:
                        continue
                    n = weight[y, x]
                    s0, s1, s2 = n * data[y, x, 0], n * data[y, x, 1], n * data[y, x, 2]
                    if y > 0 and domain[y - 1, x]:
                        n += 1.0
                        s0, s1, s2 = s0 + u[y - 1, x, 0], s1 + u[y - 1, x, 1], s2 + u[y - 1, x, 2]
                    if y + 1 < height and domain[y + 1, x]:
                        n += 1.0
                        s0, s1, s2 = s0 + u[y + 1, x, 0], s1 + u[y + 1, x, 1], s2 + u[y + 1, x, 2]
                    if x > 0 and domain[y, x - 1]:
                        n += 1.0
                        s0, s1, s2 = s0 + u[y, x - 1, 0], s1 + u[y, x - 1, 1], s2 + u[y, x - 1, 2]
                    if x + 1 < width and domain[y, x + 1]:
                        n += 1.0
                        s0, s1, s2 = s0 + u[y, x + 1, 0], s1 + u[y, x + 1, 1], s2 + u[y, x + 1, 2]
                    if n > 0.0:
                        u[y, x, 0] += omega * (s0 / n - u[y, x, 0])
                        u[y, x, 1] += omega * (s1 / n - u[y, x, 1])
                        u[y, x, 2] += omega * (s2 / n - u[y, x, 2])


@loop("u1[:, ::1], f4[:, :, ::1], f4[:, ::1]", fastmath=True)
def _restrict(domain, data, weight):  # pragma: no cover - compiled
    height, width = (domain.shape[0] + 1) // 2, (domain.shape[1] + 1) // 2
    domain2 = np.zeros((height, width), np.uint8)
    weight2 = np.zeros((height, width), np.float32)
    data2 = np.zeros((height, width, 3), np.float32)
    for y in range(domain.shape[0]):
        for x in range(domain.shape[1]):
            if domain[y, x]:
                domain2[y // 2, x // 2] = 1
                w = weight[y, x]
                weight2[y // 2, x // 2] += w
                for c in range(3):
                    data2[y // 2, x // 2, c] += w * data[y, x, c]
    for y in range(height):
        for x in range(width):
            if weight2[y, x] > 0:
                for c in range(3):
                    data2[y, x, c] /= weight2[y, x]
    return domain2, data2, weight2


@loop(fastmath=True)
def _sample(u, domain, y, x, out):
    """Bilinear value of u at (y, x) in cell coordinates, from cells inside the domain only."""
    height, width = domain.shape
    y0, x0 = int(np.floor(y)), int(np.floor(x))
    fy, fx = y - y0, x - x0
    total = 0.0
    out[0], out[1], out[2] = 0.0, 0.0, 0.0
    for j in range(2):
        for i in range(2):
            yy, xx = min(max(y0 + j, 0), height - 1), min(max(x0 + i, 0), width - 1)
            w = (fy if j else 1.0 - fy) * (fx if i else 1.0 - fx)
            if domain[yy, xx] and w > 0.0:
                total += w
                out[0] += w * u[yy, xx, 0]
                out[1] += w * u[yy, xx, 1]
                out[2] += w * u[yy, xx, 2]
    if total > 0.0:
        out[0] /= total
        out[1] /= total
        out[2] /= total


@loop("f4[:, :, ::1], u1[:, ::1], u1[:, ::1]", fastmath=True)
def _prolong(u2, domain2, domain):  # pragma: no cover - compiled
    u = np.zeros((domain.shape[0], domain.shape[1], 3), np.float32)
    value = np.zeros(3, np.float32)
    for y in range(domain.shape[0]):
        for x in range(domain.shape[1]):
            if domain[y, x]:
                _sample(u2, domain2, (y + 0.5) / 2 - 0.5, (x + 0.5) / 2 - 0.5, value)
                u[y, x, 0], u[y, x, 1], u[y, x, 2] = value[0], value[1], value[2]
    return u


def solve_membrane(domain: np.ndarray, data: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """Membrane over the cells of `domain`.

    domain: uint8 (h, w), nonzero inside. data: float32 (h, w, 3), held where weight > 0.
    weight: float32 (h, w), 0 free to 1 held. Returns float32 (h, w, 3), 0 outside the domain.
    """
    grids = [(np.ascontiguousarray(domain, np.uint8), data, (weight * np.float32(HOLD)).astype(np.float32))]
    while max(grids[-1][0].shape) > 6:
        grids.append(_restrict(*grids[-1]))
    domain_n, data_n, weight_n = grids[-1]
    total = float(weight_n.sum())
    mean = (data_n * weight_n[..., None]).sum((0, 1)) / total if total > 0 else np.zeros(3)
    u = (np.ones_like(data_n) * mean * (domain_n[..., None] > 0)).astype(np.float32)
    _relax(u, domain_n, data_n, weight_n, 4 * _SWEEPS, np.float32(1.2))
    for coarse, fine in zip(reversed(grids[1:]), reversed(grids[:-1])):
        u = _prolong(u, coarse[0], fine[0])
        _relax(u, *fine, _SWEEPS, _OVER_RELAXATION)
    return u
