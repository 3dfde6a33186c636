"""Heal: source texture plus a membrane through the difference at the boundary.

The membrane is smooth, so it is solved on cells whose size follows the brush: a heal costs about the same
for any brush. Work goes block by block, so a long stroke needs little memory.
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit

from lather.core.stages.mend.boundary import agreement, disagreement_share
from lather.core.stages.mend.membrane import sample, solve_membrane
from lather.core.types import TILE, EncodedRGB, Mask, Rect

_CELLS_PER_SIZE = 24
_LARGEST_CELL = 16
_RING_SHARE = 0.14
_LEAST_RING_PX = 3
_TEXTURE_GAIN = (0.7, 1.6)


def cell_size(brush_size_px: float) -> int:
    """Side of a membrane cell in pixels: a power of two, 1 for brushes under 48 px."""
    cell = 1
    while cell * 2 <= min(brush_size_px / _CELLS_PER_SIZE, _LARGEST_CELL):
        cell *= 2
    return cell


def ring_width(brush_size_px: float) -> int:
    """Width in pixels of the ring around the painted area in which the tone is read."""
    cell = cell_size(brush_size_px)
    return cell * max(2, round(max(_LEAST_RING_PX, _RING_SHARE * brush_size_px) / cell))


def heal_reach(rect: Rect, brush_size_px: float) -> Rect:
    """What a heal of `rect` reads: the ring around it, on whole cells."""
    cell = cell_size(brush_size_px)
    wide = rect.expand(ring_width(brush_size_px))
    return Rect(wide.x0 // cell * cell, wide.y0 // cell * cell, -(-wide.x1 // cell) * cell, -(-wide.y1 // cell) * cell)


@njit(cache=True, nogil=True, fastmath=True)
def _gather(dest, source, valid, coverage, cell, row, column, total, count):  # pragma: no cover - compiled
    """Add the differences of pixels that are not painted to their cells."""
    for y in range(dest.shape[0]):
        j = row + y // cell
        for x in range(dest.shape[1]):
            i = column + x // cell
            if coverage[y, x] <= 0.0 and valid[y, x]:
                count[j, i] += 1.0
                for c in range(3):
                    total[j, i, c] += dest[y, x, c] - source[y, x, c]


@njit(cache=True, nogil=True, fastmath=True)
def _lay(dest, source, valid, coverage, cell, row, column, u, domain, delta):  # pragma: no cover - compiled
    """delta = coverage · (source + membrane − dest)."""
    value = np.zeros(3, np.float32)
    for y in range(dest.shape[0]):
        for x in range(dest.shape[1]):
            c = coverage[y, x]
            if c <= 0.0 or not valid[y, x]:
                delta[y, x, 0], delta[y, x, 1], delta[y, x, 2] = 0.0, 0.0, 0.0
                continue
            if cell == 1:
                j, i = row + y, column + x
                value[0], value[1], value[2] = u[j, i, 0], u[j, i, 1], u[j, i, 2]
            else:
                sample(u, domain, row + (y + 0.5) / cell - 0.5, column + (x + 0.5) / cell - 0.5, value)
            for k in range(3):
                healed = min(max(source[y, x, k] + value[k], 0.0), 1.0)
                delta[y, x, k] = c * (healed - dest[y, x, k])


@dataclass
class SourceRead:
    """Pixels taken from for a rectangle: float32 (h, w, 3), and which of them lie in the picture."""

    pixels: EncodedRGB
    valid: np.ndarray


Read = Callable[[Rect], EncodedRGB]


def read_texture(read: Read, rect: Rect, offset: tuple[int, int], bounds: Rect, sigma_px: float) -> SourceRead:
    """Like `read_shifted`, but only what is finer than a Gaussian of `sigma_px`: the tone is left behind."""
    margin = int(np.ceil(3 * sigma_px))
    wide = read_shifted(read, rect.expand(margin), offset, bounds)
    valid = wide.valid.astype(np.float32)
    ksize = (2 * margin + 1,) * 2
    tone = cv2.GaussianBlur(wide.pixels, ksize, sigma_px, borderType=cv2.BORDER_CONSTANT)
    if not wide.valid.all():  # only pixels of the picture count towards the mean
        tone /= np.maximum(cv2.GaussianBlur(valid, ksize, sigma_px, borderType=cv2.BORDER_CONSTANT), 1e-6)[..., None]
    inner = (slice(margin, -margin), slice(margin, -margin))
    return SourceRead(np.ascontiguousarray((wide.pixels - tone)[inner]), np.ascontiguousarray(wide.valid[inner]))


def read_shifted(read: Read, rect: Rect, offset: tuple[int, int], bounds: Rect) -> SourceRead:
    """The pixels `offset` away from `rect`; outside the picture they are 0 and not valid."""
    wanted = rect.shift(*offset)
    inside = wanted.intersect(bounds)
    if inside == wanted:
        return SourceRead(read(inside), np.ones((rect.height, rect.width), np.bool_))
    pixels = np.zeros((rect.height, rect.width, 3), np.float32)
    valid = np.zeros((rect.height, rect.width), np.bool_)
    if not inside.empty:
        window = inside.slices(wanted)
        pixels[window], valid[window] = read(inside), True
    return SourceRead(pixels, valid)


def _blocks(area: Rect) -> list[Rect]:
    """`area` cut at tile borders (cells never straddle them)."""
    return [
        Rect(x, y, x + TILE, y + TILE).intersect(area)
        for y in range(area.y0 // TILE * TILE, area.y1, TILE)
        for x in range(area.x0 // TILE * TILE, area.x1, TILE)
    ]


@dataclass
class Heal:
    """Result: delta blocks as (rect, float32 (h, w, 3)) and the share of the boundary that did not fit."""

    blocks: list[tuple[Rect, np.ndarray]]
    disagreement: float


def heal(
    coverage_of: Callable[[Rect], Mask],
    area: Rect,
    *,
    brush_size_px: float,
    offset: tuple[int, int],
    read: Read,
    bounds: Rect,
    texture_sigma_px: float = 0.0,
    only: Rect | None = None,
) -> Heal:
    """Heal what is painted in `area`, from `offset` pixels away.

    coverage_of: coverage of any rectangle, also around `area` and outside the picture (0 there).
    read: pixels of a rectangle inside the picture as they are before the stroke. texture_sigma_px: take only
    what is finer than this Gaussian from the source and all tone from the ring; 0 takes it whole. only: lay down inside this
    rectangle alone (the membrane still sees the whole area). No pixel with coverage 0 changes.
    """
    cell = cell_size(brush_size_px)
    grid = heal_reach(area, brush_size_px)
    reach = grid.intersect(bounds)
    shape = (grid.height // cell, grid.width // cell)
    total, count = np.zeros((*shape, 3), np.float32), np.zeros(shape, np.float32)
    padded = coverage_of(grid)
    ring_px = ring_width(brush_size_px)
    painted = (padded.reshape(shape[0], cell, shape[1], cell).max((1, 3)) > 0).astype(np.uint8)
    near = cv2.dilate(painted, np.ones((2 * (ring_px // cell) + 1,) * 2, np.uint8))
    held = []
    for block in _blocks(reach):
        row, column = (block.y0 - grid.y0) // cell, (block.x0 - grid.x0) // cell
        if not near[row : -(-(block.y1 - grid.y0) // cell), column : -(-(block.x1 - grid.x0) // cell)].any():
            continue
        part = padded[block.slices(grid)]
        dest = read(block)
        if texture_sigma_px:
            source = read_texture(read, block, offset, bounds, texture_sigma_px)
        else:
            source = read_shifted(read, block, offset, bounds)
        _gather(dest, source.pixels, source.valid, part, cell, row, column, total, count)
        held.append((block, row, column, part, dest, source))
    inside = _inside_cells(grid, bounds, cell)
    domain = near * inside
    weight = np.where(domain > 0, count / (cell * cell), 0).astype(np.float32)
    data = total / np.maximum(count, 1)[..., None]
    agree = agreement(data, weight)
    u = solve_membrane(domain, data, weight * agree)
    if texture_sigma_px:
        _match_texture(held, near, agree, grid, cell)
    blocks = []
    for block, row, column, part, dest, source in held:
        if (only is not None and block.intersect(only).empty) or not part.any():
            continue
        delta = np.empty(dest.shape, np.float32)
        _lay(dest, source.pixels, source.valid, part, cell, row, column, u, domain, delta)
        blocks.append((block, delta))
    return Heal(blocks, disagreement_share(weight, agree))


def _match_texture(held, near, agree, grid: Rect, cell: int) -> None:
    """Scale the source's texture (in place) so that its usual fluctuation is that of the ring.

    Leaving out the largest tenth of |fine detail| ignores what is left of the flaw's rim, and the odd hair.
    """
    ring, taken = [], []
    for block, row, column, part, dest, source in held:
        cells = np.s_[row : -(-(block.y1 - grid.y0) // cell), column : -(-(block.x1 - grid.x0) // cell)]
        trusted = cv2.resize(near[cells] * (agree[cells] > 0.3), None, fx=cell, fy=cell, interpolation=0)
        trusted = trusted[: part.shape[0], : part.shape[1]] > 0
        ring.append(np.abs(_detail(dest))[trusted & (part <= 0)])
        taken.append(np.abs(_detail(source.pixels))[(part > 0) & source.valid])
    ring, taken = np.concatenate(ring), np.concatenate(taken)
    if len(ring) < 30 or len(taken) < 30:
        return
    gain = np.float32(np.clip(_usual(ring) / max(_usual(taken), 1e-5), *_TEXTURE_GAIN))
    for *_, source in held:
        source.pixels *= gain


def _usual(detail: np.ndarray) -> float:
    """Mean of all but the largest tenth."""
    keep = int(0.9 * len(detail))
    return float(np.partition(detail, keep)[:keep].mean())


def _detail(pixels: EncodedRGB) -> np.ndarray:
    grey = pixels.mean(-1)
    return grey - cv2.GaussianBlur(grey, (0, 0), 2.0)


def _inside_cells(grid: Rect, bounds: Rect, cell: int) -> np.ndarray:
    """1 for cells that hold at least one pixel of the picture."""
    xs = np.arange(grid.x0, grid.x1, cell)
    ys = np.arange(grid.y0, grid.y1, cell)
    ok_x = (xs + cell > bounds.x0) & (xs < bounds.x1)
    ok_y = (ys + cell > bounds.y0) & (ys < bounds.y1)
    return (ok_y[:, None] & ok_x[None, :]).astype(np.uint8)
