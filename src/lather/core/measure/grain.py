"""Grain of a photo: level by luminance, size, share of colour, read where the picture is flat."""

import numpy as np

from lather.core.engine.photo import Photo
from lather.core.job.grain_model import GrainModel, correlation, diagonal_gain
from lather.core.types import as_float32

_BLOCK = 24
_MOST_BLOCKS = 10000
_FLAT_SHARE = 0.25  # of blocks, the flattest in what is coarser than grain
_BINS = 8
_LEAST_IN_BIN = 40
_PORE_GROWTH = 8.0
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


def measure_grain(photo: Photo) -> GrainModel:
    """Residuals of a quadratic surface in blocks of 24 px that are flat in the coarse (Rank et al. 1999).

    Flatness is judged on the low-passed picture and the level on the residual, so that choosing the flat blocks
    does not choose the quiet ones. Degrees of freedom of the fit are put back.
    """
    blocks = _blocks(photo)
    if len(blocks) < 20:
        return GrainModel((), 0.0, 0.0)
    luminance = blocks @ _LUMINANCE
    mean = luminance.mean((1, 2))
    usable = (blocks.min((1, 2, 3)) > 0.004) & (blocks.max((1, 2, 3)) < 0.996)
    if usable.sum() < 20:
        return GrainModel((), 0.0, 0.0)
    blocks, luminance, mean = blocks[usable], luminance[usable], mean[usable]
    coarse = luminance.reshape(-1, _BLOCK // 4, 4, _BLOCK // 4, 4).mean((2, 4))
    tilt = np.ptp(coarse, axis=(1, 2)) / (0.02 + mean)
    flat = np.zeros(len(mean), bool)
    edges = np.linspace(0, 1, _BINS + 1)
    for low, high in zip(edges[:-1], edges[1:]):
        inside = np.flatnonzero((mean >= low) & (mean < high))
        if len(inside):
            flat[inside[np.argsort(tilt[inside])[: max(20, int(_FLAT_SHARE * len(inside)))]]] = True
    residual = _residuals(blocks[flat])
    return _summary(residual, mean[flat], edges)


def _blocks(photo: Photo) -> np.ndarray:
    """Evenly spread float32 (n, 24, 24, 3) blocks."""
    codes = photo.codes(0)
    rows, columns = codes.shape[0] // _BLOCK, codes.shape[1] // _BLOCK
    if rows * columns == 0:
        return np.zeros((0, _BLOCK, _BLOCK, 3), np.float32)
    step = max(1, int(np.ceil(np.sqrt(rows * columns / _MOST_BLOCKS))))
    cut = codes[: rows * _BLOCK, : columns * _BLOCK].reshape(rows, _BLOCK, columns, _BLOCK, 3)
    return as_float32(np.ascontiguousarray(cut[::step, :, ::step].swapaxes(1, 2)).reshape(-1, _BLOCK, _BLOCK, 3))


def _residuals(blocks: np.ndarray) -> np.ndarray:
    """What a quadratic surface leaves of each block; scaled for the six values the fit took."""
    t = np.linspace(-1, 1, _BLOCK)
    y, x = (v.ravel() for v in np.meshgrid(t, t, indexing="ij"))
    basis = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], 1)
    q, _ = np.linalg.qr(basis)
    flat = blocks.reshape(len(blocks), -1, 3)
    q = q.astype(np.float32)
    rest = flat - np.einsum("pk,nkc->npc", q, np.einsum("pk,npc->nkc", q, flat))
    return (rest * np.float32(np.sqrt(len(x) / (len(x) - 6)))).reshape(blocks.shape)


def _summary(residual: np.ndarray, mean: np.ndarray, edges: np.ndarray) -> GrainModel:
    """Levels by luminance. Where only pores or cloth have that luminance, their finest diagonal band (which grain
    reaches and pores hardly do) is compared with that of the flat places.
    """
    level = np.sqrt((residual**2).mean((1, 2, 3)))
    diagonal = (residual[:, 1:, 1:] - residual[:, 1:, :-1] - residual[:, :-1, 1:] + residual[:, :-1, :-1]) / 2
    fine = np.sqrt((diagonal**2).mean((1, 2, 3)))
    bins = []
    for low, high in zip(edges[:-1], edges[1:]):
        inside = np.flatnonzero((mean >= low) & (mean < high))
        if len(inside) >= _LEAST_IN_BIN:
            usual, usual_fine = _mode(level[inside]), _mode(fine[inside])
            near = inside[np.abs(np.log(np.maximum(level[inside], 1e-6) / max(usual, 1e-6))) < 0.15]
            bins.append((float(np.median(mean[inside])), usual, usual_fine, near, usual / max(usual_fine, 1e-9)))
    if not bins:
        return GrainModel((), 0.0, 0.0)
    flattest = min(bins, key=lambda b: b[4])
    chosen = residual[flattest[3]]
    grey = chosen.mean(-1)
    variance = max(float((grey**2).mean()), 1e-12)
    rho = 0.5 * float((grey[:, :, 1:] * grey[:, :, :-1]).mean() + (grey[:, 1:] * grey[:, :-1]).mean()) / variance
    size, lost = _size_from_correlation(rho), 0.0
    for _ in range(3):  # the surface also took the coarsest part of a coarse grain: put it back
        lost = min(0.5, 6 * max(1.0, 4 * np.pi * size**2) / _BLOCK**2)
        size = _size_from_correlation(rho * (1 - lost) + lost)
    back = 1 / np.sqrt((1 - lost) * _BLOCK**2 / (_BLOCK**2 - 6))
    levels = tuple(
        (at, 100 * min(back * total, back * 1.08 * flattest[4] * finest, 1.05 * _without_pores(residual[near], size)))
        for at, total, finest, near, _ in bins
    )
    pairs = [float((chosen[..., i] * chosen[..., j]).mean()) for i, j in ((0, 1), (0, 2), (1, 2))]
    together = np.mean(pairs) / max(float((chosen**2).mean()), 1e-12)
    share = np.sqrt(max(0.0, 1 / np.clip(together, 0.05, 1.0) - 1))
    return GrainModel(levels, size, float(min(1.0, share)))


def _without_pores(residual: np.ndarray, size_px: float) -> float:
    """Sigma of the grain alone, from differences over two distances: from the one to the other, energy grows by a known
    factor for grain of this size and by about `_PORE_GROWTH` for pores and cloth, which are smooth at this scale.
    """
    d = max(1, round(1.6 * size_px))
    gains = [diagonal_gain(size_px, k) for k in (d, 2 * d)]
    energy = []
    for k in (d, 2 * d):
        part = (residual[:, k:, k:] - residual[:, k:, :-k] - residual[:, :-k, k:] + residual[:, :-k, :-k]) / 2
        energy.append(_mode((part**2).mean((1, 2, 3))))
    left = gains[0] - gains[1] / _PORE_GROWTH
    if left <= 0.1 * gains[0]:
        return np.inf
    return float(np.sqrt(max(energy[0] - energy[1] / _PORE_GROWTH, 0.05 * energy[0]) / left))


def _mode(levels: np.ndarray) -> float:
    """The commonest level: grain alone; skin's pores and cloth only ever add to it (half-sample mode)."""
    values = np.sort(levels)
    while len(values) > 3:
        half = max(2, len(values) // 2)
        widths = values[half - 1 :] - values[: len(values) - half + 1]
        start = int(np.argmin(widths))
        if half == len(values):
            break
        values = values[start : start + half]
        if half < 24:
            break
    return float(values.mean())


def _size_from_correlation(rho: float) -> float:
    """Gaussian radius whose sampled kernel gives neighbours this correlation."""
    sizes = np.linspace(0.15, 4.0, 400)
    got = np.array([correlation(s, 1) for s in sizes])
    return float(np.interp(rho, got, sizes)) if rho > got[0] else 0.0
