"""The 8×8 blocks that JPEG leaves: told from any picture that once was one, and taken out where light is read coarsely.

A block's mean is off by the rounding of its own coefficients, so that all edges of blocks stand a little steeper than
what is beside them. Steps as small as those are spread over half a block to both sides (deblocking by ramps, after
List et al. 2003); larger ones are the picture's own.
"""

from typing import NamedTuple

import numpy as np

from lather.core.types import EncodedRGB, Rect, as_float32

SIDE = 8
_SAMPLE = 1200  # pixels along each side of what is looked at
_STEEPER = 1.4  # times the steps between other columns, from where blocks are told
_OWN = 3.5  # times the usual step at a block's edge: steeper ones are the picture's
_CALM = 0.03  # encoded: what is steeper is no place to tell blocks from


class Blocks(NamedTuple):
    """step: largest difference (encoded 0-1) across an edge of blocks that is theirs. share: how much of such a step is
    theirs, by the variance of all over that of other steps. x, y: where they begin.
    """

    step: float
    share: float
    x: int
    y: int


def blocks_of(codes: np.ndarray) -> Blocks | None:
    """Blocks of a picture's integer codes (h, w, 3); None where none are told."""
    height, width = codes.shape[:2]
    y, x = (max(0, (n - _SAMPLE) // 2) for n in (height, width))
    light = as_float32(codes[y : y + _SAMPLE, x : x + _SAMPLE]).mean(-1)
    if min(light.shape) < 4 * SIDE:
        return None
    (across, column), (down, row) = (_steps(part) for part in (light, light.T))
    if min(across[1], down[1]) < _STEEPER:
        return None
    share = 1 - 1 / (0.5 * (across[1] + down[1])) ** 2
    return Blocks(_OWN * max(across[0], down[0]), share, (x + column) % SIDE, (y + row) % SIDE)


def _steps(light: np.ndarray) -> tuple[tuple[float, float], int]:
    """((usual step at the edges of blocks, times the others), first column of a block) along rows (h, w)."""
    odd = _oddness(light)
    calm = np.abs(odd) < _CALM
    means = np.array([np.abs(odd[:, n::SIDE])[calm[:, n::SIDE]].mean() if calm[:, n::SIDE].any() else 0.0
                      for n in range(SIDE)])
    best = int(means.argmax())
    others = np.delete(means, best)
    return (float(means[best]), float(means[best] / max(float(np.median(others)), 1e-6))), (best + 2) % SIDE


def _oddness(values: np.ndarray) -> np.ndarray:
    """Steps between columns less what the slopes beside them lead to expect; of the step from column n + 1 to n + 2."""
    steps = np.diff(values, axis=1)
    return steps[:, 1:-1] - 0.5 * (steps[:, :-2] + steps[:, 2:])


def without_blocks(pixels: EncodedRGB, rect: Rect, blocks: Blocks) -> EncodedRGB:
    """A rectangle of the picture freed of its blocks; a new array."""
    out = _freed(pixels, (blocks.x - rect.x0) % SIDE, blocks)
    turned = _freed(out.transpose(1, 0, 2), (blocks.y - rect.y0) % SIDE, blocks)
    return np.ascontiguousarray(turned.transpose(1, 0, 2))


def _freed(pixels: np.ndarray, first: int, blocks: Blocks) -> np.ndarray:
    """Along rows: every step at a block's edge spread over half a block to both sides, where it is no larger."""
    out = pixels.copy()
    width, half = pixels.shape[1], SIDE // 2
    edges = np.arange(first, width, SIDE)
    edges = edges[(edges >= 2) & (edges <= width - 2)]
    if not len(edges):
        return out
    left, right = pixels[:, edges - 1], pixels[:, edges]
    beyond = pixels[:, np.minimum(edges + 1, width - 1)]
    step = (right - left) - 0.5 * ((left - pixels[:, edges - 2]) + (beyond - right))
    step = np.where(np.abs(step) <= blocks.step, np.float32(blocks.share) * step, 0)
    for n in range(half):
        share = 0.5 * (1 - (n + 0.5) / half)
        there = edges + n < width
        out[:, edges[there] + n] -= share * step[:, there]
        there = edges - 1 - n >= 0
        out[:, edges[there] - 1 - n] += share * step[:, there]
    return out
