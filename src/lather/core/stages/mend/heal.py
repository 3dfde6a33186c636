"""Heal: source texture plus a membrane through the difference at the boundary.

The membrane is smooth, so it is solved on cells whose size follows the brush: a heal costs about the same
for any brush. Work goes block by block, so a long stroke needs little memory.
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.job.source_map import SourceTurn, affine, source_rect
from lather.core.loops import loop
from lather.core.stages.mend.boundary import disagreement_share, fit_boundary
from lather.core.stages.mend.membrane import solve_membrane
from lather.core.stages.patches.solved import Solved
from lather.core.threads import ARITHMETIC
from lather.core.types import TILE, EncodedRGB, Mask, Rect

_CELLS_PER_SIZE = 24
_LARGEST_CELL = 16
_RING_SHARE = 0.14
_LEAST_RING_PX = 3
_MOST_OVER_USUAL = 5.7  # of the ring's usual fluctuation: what the texture of a source is held back to
# trust in a boundary cell below which it is shown as not fitting; distance from the plane (encoded) that always is one
_MISFIT, _MISFIT_AWAY = 0.3, 0.12
_LEAST_LIKENESS, _LIKENESS = 0.10, 5.0  # of encoded range; of the usual spread
_SHARED_PX = 40_000  # from which two threads lay down
_ONE_BLOCK_PX = 1_500_000  # up to here one block is faster; long strokes go tile by tile, to save memory


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


@loop(
    "f4[:, :, ::1], f4[:, :, ::1], b1[:, ::1], f4[:, ::1], i8, i8, i8, u1[:, ::1], f4[:, :, ::1], f4[:, ::1]",
    "f4[:, :, :], f4[:, :, :], b1[:, :], f4[:, :], i8, i8, i8, u1[:, ::1], f4[:, :, ::1], f4[:, ::1]",
    fastmath=True,
)
def _gather(dest, source, valid, coverage, cell, row, column, ring, total, count):  # pragma: no cover - compiled
    """Add the differences of the ring's pixels that are not painted to their cells."""
    height, width = coverage.shape
    for j in range(row, min(ring.shape[0], row + (height + cell - 1) // cell)):
        for i in range(column, min(ring.shape[1], column + (width + cell - 1) // cell)):
            if ring[j, i] == 0:
                continue
            y0, x0 = (j - row) * cell, (i - column) * cell
            for y in range(y0, min(y0 + cell, height)):
                for x in range(x0, min(x0 + cell, width)):
                    if coverage[y, x] <= 0.0 and valid[y, x]:
                        count[j, i] += 1.0
                        for c in range(3):
                            total[j, i, c] += dest[y, x, c] - source[y, x, c]


@loop("f4[:, ::1], i8, u1[:, ::1]", "f4[:, :], i8, u1[:, ::1]", fastmath=True)
def _painted_cells(coverage, cell, out):  # pragma: no cover - compiled
    """1 in each cell of `out` that holds a painted pixel."""
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            out[j, i] = 0
            for y in range(j * cell, (j + 1) * cell):
                for x in range(i * cell, (i + 1) * cell):
                    if coverage[y, x] > 0:
                        out[j, i] = 1
                        break
                if out[j, i]:
                    break


@loop(
    "f4[:, :, ::1], f4[:, :, ::1], b1[:, ::1], f4[:, ::1], i8, i8, f4[:, :, ::1], b1, f4[:, :, ::1]",
    "f4[:, :, :], f4[:, :, :], b1[:, :], f4[:, :], i8, i8, f4[:, :, ::1], b1, f4[:, :, ::1]",
    fastmath=True,
)
def _lay(dest, source, valid, coverage, y0, x0, membrane, texture_only, delta):  # pragma: no cover - compiled
    """delta = coverage · (source + membrane − dest), of the part of the others that begins at (x0, y0).

    Where the source is texture only, its share is √(1 − (1 − c)²): two unlike textures mixed by halves would
    come out smoother than either; so their variances add up to the whole.
    """
    for y in range(delta.shape[0]):
        for x in range(delta.shape[1]):
            j, i = y + y0, x + x0
            c = coverage[j, i]
            if c <= 0.0 or not valid[j, i]:
                delta[y, x, 0], delta[y, x, 1], delta[y, x, 2] = 0.0, 0.0, 0.0
                continue
            share = np.sqrt(c * (np.float32(2.0) - c)) if texture_only else c
            for k in range(3):
                change = c * (membrane[y, x, k] - dest[j, i, k]) + share * source[j, i, k]
                delta[y, x, k] = min(max(change, -dest[j, i, k]), np.float32(1.0) - dest[j, i, k])


@loop("f4[:, :, ::1], u1[:, ::1]", fastmath=True)
def _spread(u, domain):  # pragma: no cover - compiled
    """Give the cells around the domain the mean of their neighbours in it, for interpolation at the rim."""
    out = u.copy()
    height, width = domain.shape
    for y in range(height):
        for x in range(width):
            if domain[y, x]:
                continue
            n = 0
            for j in range(max(0, y - 1), min(height, y + 2)):
                for i in range(max(0, x - 1), min(width, x + 2)):
                    if domain[j, i]:
                        n += 1
                        for c in range(3):
                            out[y, x, c] += u[j, i, c]
            if n:
                for c in range(3):
                    out[y, x, c] /= n
    return out


def _interpolate(u: np.ndarray, rect: Rect, grid: Rect, cell: int) -> np.ndarray:
    """The membrane on the pixels of `rect`, bilinear between the middles of cells."""
    if cell == 1:
        return np.ascontiguousarray(u[rect.slices(grid)])
    cells = Rect(
        (rect.x0 - grid.x0) // cell, (rect.y0 - grid.y0) // cell,
        -(-(rect.x1 - grid.x0) // cell), -(-(rect.y1 - grid.y0) // cell),
    )
    wide = np.pad(u, ((1, 1), (1, 1), (0, 0)), mode="edge")[cells.y0 : cells.y1 + 2, cells.x0 : cells.x1 + 2]
    fine = cv2.resize(wide, None, fx=cell, fy=cell, interpolation=cv2.INTER_LINEAR)
    y0 = rect.y0 - grid.y0 - cells.y0 * cell + cell
    x0 = rect.x0 - grid.x0 - cells.x0 * cell + cell
    return np.ascontiguousarray(fine[y0 : y0 + rect.height, x0 : x0 + rect.width])


@dataclass
class SourceRead:
    """Pixels taken from for a rectangle: float32 (h, w, 3), and which of them lie in the picture."""

    pixels: EncodedRGB
    valid: np.ndarray


Read = Callable[[Rect], EncodedRGB]


@dataclass(frozen=True)
class TextureMatch:
    """How the strength of a source's texture is fitted to that of the ring.

    limits: least and largest gain. lag_px: both are read by how far pixels differ from those so far away. grain_px:
    what is finer than this Gaussian is neither read nor scaled. times: how strong it is to be beside the ring's, to
    make up for what a high-pass took.
    """

    limits: tuple[float, float]
    lag_px: int = 4
    grain_px: float = 0.0
    times: float = 1.0


def tone_of(pixels: EncodedRGB, valid: np.ndarray, sigma_px: float) -> EncodedRGB:
    """Low-pass (Gaussian of `sigma_px`) over the pixels that are like most here.

    A collar, a lip or hair close by is left out of the mean, or its colour would come back as a halo.
    """
    sample = pixels[::3, ::3][valid[::3, ::3]]
    if not len(sample):
        return np.zeros_like(pixels)
    usual = np.median(sample, axis=0)
    spread = 1.4826 * float(np.median(np.abs(sample - usual)))
    away = np.abs(pixels - usual)
    furthest = np.maximum(np.maximum(away[..., 0], away[..., 1]), away[..., 2])
    like = (furthest < max(_LEAST_LIKENESS, _LIKENESS * spread)) & valid
    weighted = np.empty((*like.shape, 4), np.float32)
    weighted[..., 3] = like
    np.multiply(pixels, weighted[..., 3:], out=weighted[..., :3])
    step = max(1, int(sigma_px / 3))  # a wide low-pass has nothing to show at full size
    size = (max(1, like.shape[1] // step), max(1, like.shape[0] // step))
    if step > 1:
        weighted = cv2.resize(weighted, size, interpolation=cv2.INTER_AREA)
    sigma = sigma_px / step
    ksize = (2 * int(np.ceil(3 * sigma)) + 1,) * 2
    low = cv2.GaussianBlur(weighted, ksize, sigma, borderType=cv2.BORDER_CONSTANT)
    low[..., :3] /= np.maximum(low[..., 3:], 1e-3)
    if step > 1:
        low = cv2.resize(low, like.shape[::-1], interpolation=cv2.INTER_LINEAR)
    return np.where(low[..., 3:] > 1e-3, low[..., :3], pixels)


def texture_reader(read_source: Callable[[Rect], SourceRead], sigma_px: float) -> Callable[[Rect], SourceRead]:
    """A reader of only what is finer than a Gaussian of `sigma_px`: the tone is left behind."""
    margin = int(np.ceil(3 * sigma_px))

    def read_texture(rect: Rect) -> SourceRead:
        wide = read_source(rect.expand(margin))
        inner = (slice(margin, -margin), slice(margin, -margin))
        texture = (wide.pixels - tone_of(wide.pixels, wide.valid, sigma_px))[inner]
        return SourceRead(np.ascontiguousarray(texture), np.ascontiguousarray(wide.valid[inner]))

    return read_texture


def source_reader(read: Read, offset: tuple[int, int], bounds: Rect, turn: SourceTurn | None = None):
    """A reader of what is taken for a rectangle; outside the picture it is 0 and not valid.

    A plain shift is exact; with a turn the source is resampled once, bicubic.
    """
    if turn is None or turn.plain:
        return lambda rect: read_shifted(read, rect, offset, bounds)
    matrix = affine(offset, turn)

    def read_turned(rect: Rect) -> SourceRead:
        wanted = source_rect(rect, offset, turn)
        plain = read_shifted(read, wanted.shift(-offset[0], -offset[1]), offset, bounds)
        own = matrix.copy()
        corner = matrix[:, :2] @ (rect.x0 + 0.5, rect.y0 + 0.5) + matrix[:, 2]
        own[:, 2] = corner - (wanted.x0 + 0.5, wanted.y0 + 0.5)
        size = (rect.width, rect.height)
        pixels = cv2.warpAffine(plain.pixels, own, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
                                borderMode=cv2.BORDER_REPLICATE)
        valid = cv2.warpAffine(plain.valid.astype(np.uint8), own, size, flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP)
        return SourceRead(np.clip(pixels, 0, 1), valid > 0)

    return read_turned


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


def _blocks(area: Rect, side: int) -> list[Rect]:
    """`area` cut on a fixed raster that tile borders and cells fit into."""
    return [
        Rect(x, y, x + side, y + side).intersect(area)
        for y in range(area.y0 // side * side, area.y1, side)
        for x in range(area.x0 // side * side, area.x1, side)
    ]


@dataclass
class _Block:
    """A block that is looked at (`ring` cells in it) or laid on (`part` of the coverage in it)."""

    rect: Rect
    row: int
    column: int
    part: Mask
    laid: bool
    dest: EncodedRGB
    source: SourceRead


def heal(
    coverage_of: Callable[[Rect], Mask],
    area: Rect,
    *,
    brush_size_px: float,
    read_source: Callable[[Rect], SourceRead],
    read: Read,
    bounds: Rect,
    match: TextureMatch | None = None,
    ring_in: Callable[[Rect], Mask] | None = None,
    only: Rect | None = None,
) -> Solved:
    """Heal what is painted in `area` with what `read_source` gives for it (see `source_reader`).

    coverage_of: coverage of any rectangle, also around `area` and outside the picture (0 there).
    read: pixels of a rectangle inside the picture as they are before the stroke. match: the source is texture without
    tone (see `texture_reader`), which all comes from the ring, and its strength is matched to the ring's. ring_in:
    coverage of a fence; the tone is read only inside it. only: lay down inside this rectangle alone (the membrane
    still sees the whole area). No pixel with coverage 0 changes.
    """
    cell = cell_size(brush_size_px)
    grid = heal_reach(area, brush_size_px)
    reach = grid.intersect(bounds)
    shape = (grid.height // cell, grid.width // cell)
    total, count = np.zeros((*shape, 3), np.float32), np.zeros(shape, np.float32)
    padded = coverage_of(grid)
    ring_px = ring_width(brush_size_px)
    painted = np.empty(shape, np.uint8)
    _painted_cells(padded, cell, painted)
    near = cv2.dilate(painted, np.ones((2 * (ring_px // cell) + 1,) * 2, np.uint8))
    ring_cells = near & (1 - cv2.erode(painted, np.ones((3, 3), np.uint8), borderType=cv2.BORDER_CONSTANT))
    held: list[_Block] = []
    for rect in [reach] if reach.width * reach.height <= _ONE_BLOCK_PX else _blocks(reach, TILE):
        row, column = (rect.y0 - grid.y0) // cell, (rect.x0 - grid.x0) // cell
        cells = np.s_[row : -(-(rect.y1 - grid.y0) // cell), column : -(-(rect.x1 - grid.x0) // cell)]
        part = padded[rect.slices(grid)]
        laid = (only is None or not rect.intersect(only).empty) and bool(painted[cells].any())
        looked_at = ring_cells[cells].any()
        if not (laid or looked_at):
            continue
        dest, source = read(rect), read_source(rect)
        held.append(_Block(rect, row, column, part, laid, dest, source))
        if looked_at:
            seen = source.valid if ring_in is None else source.valid & (ring_in(rect) > 0.5)
            _gather(dest, source.pixels, seen, part, cell, row, column, ring_cells, total, count)
    domain = near * _inside_cells(grid, bounds, cell)
    weight = np.where(domain > 0, count / (cell * cell), 0).astype(np.float32)
    data = total / np.maximum(count, 1)[..., None]
    fit = fit_boundary(data, weight)
    agree, plane = fit.agree, fit.on_cells()
    # the plane is taken out first: what is left is small, and a slope is kept exactly
    u = _spread(solve_membrane(domain, data - plane, weight * agree), domain) + plane
    if match:
        _match_texture(held, near, agree, grid, cell, match)
    laid = [_lay_block(b, u, grid, cell, only, texture_only=match is not None) for b in held if b.laid]
    away = np.abs(data - plane).max(-1)
    misfit = (weight > 0) & ((agree < _MISFIT) | (away > _MISFIT_AWAY))
    share = float(weight[misfit].sum()) / max(1e-6, float(weight.sum()))
    return Solved(laid, max(share, disagreement_share(weight, agree)), _places(misfit, grid, cell))


def _places(cells: np.ndarray, grid: Rect, cell: int) -> np.ndarray:
    rows, columns = np.nonzero(cells)
    return np.stack([grid.x0 + (columns + 0.5) * cell, grid.y0 + (rows + 0.5) * cell], 1).astype(np.float32)


def _lay_block(
    block: _Block, u: np.ndarray, grid: Rect, cell: int, only: Rect | None, *, texture_only: bool
) -> tuple[Rect, np.ndarray]:
    rect = block.rect if only is None else block.rect.intersect(only)
    delta = np.empty((rect.height, rect.width, 3), np.float32)
    dest, source, x0 = block.dest, block.source, rect.x0 - block.rect.x0

    def lay(part: Rect) -> None:
        membrane, rows = _interpolate(u, part, grid, cell), delta[part.y0 - rect.y0 : part.y1 - rect.y0]
        y0 = part.y0 - block.rect.y0
        _lay(dest, source.pixels, source.valid, block.part, y0, x0, membrane, texture_only, rows)

    if rect.width * rect.height < _SHARED_PX:
        lay(rect)
        return rect, delta
    middle = (rect.y0 + rect.y1) // 2
    upper = ARITHMETIC.submit(lay, rect._replace(y1=middle))
    lay(rect._replace(y0=middle))
    upper.result()
    return rect, delta


def _match_texture(held: list[_Block], near, agree, grid: Rect, cell: int, match: TextureMatch) -> None:
    """Scale the source's texture (in place) so that its usual fluctuation is that of the ring.

    Leaving out the largest tenth ignores what is left of the flaw's rim, and the odd hair. Skin may be smoother than
    other skin, but a photo's grain is the same on both: so grain is neither read nor scaled.
    """
    ring, taken, grainy, scaled = [], [], [], []
    for b in held:
        end_row, end_column = -(-(b.rect.y1 - grid.y0) // cell), -(-(b.rect.x1 - grid.x0) // cell)
        cells = np.s_[b.row : end_row, b.column : end_column]
        trusted = cv2.resize(near[cells] * (agree[cells] > 0.3), None, fx=cell, fy=cell, interpolation=0)
        trusted = (trusted[: b.part.shape[0], : b.part.shape[1]] > 0) & (b.part <= 0)
        grainy.append(_bends(b.dest, trusted, match.lag_px))
        dest, source = b.dest, b.source.pixels
        if match.grain_px:
            dest, source = (cv2.GaussianBlur(pixels, (0, 0), match.grain_px) for pixels in (dest, source))
        ring.append(_bends(dest, trusted, match.lag_px) if match.grain_px else grainy[-1])
        taken.append(_bends(source, (b.part > 0) & b.source.valid, match.lag_px))
        scaled.append(source)
    ring, taken = np.concatenate(ring), np.concatenate(taken)
    if len(ring) < 30 or len(taken) < 30:
        return
    gain = np.float32(np.clip(match.times * _usual(ring) / max(_usual(taken), 1e-5), *match.limits))
    most = np.float32(_MOST_OVER_USUAL * _usual(np.concatenate(grainy)))
    for b, source in zip(held, scaled):
        b.source.pixels += (gain - 1) * source
        _hold_back(b.source.pixels, most)


@loop("f4[:, :, ::1], f4", fastmath=True)
def _hold_back(texture, most):  # pragma: no cover - compiled
    """Scale pixels (in place) whose texture is stronger than `most`: an odd hair or edge in the source is no skin."""
    for y in range(texture.shape[0]):
        for x in range(texture.shape[1]):
            size = abs(texture[y, x, 0] + texture[y, x, 1] + texture[y, x, 2]) / np.float32(3)
            if size > most:
                for c in range(3):
                    texture[y, x, c] *= most / size


def _usual(detail: np.ndarray) -> float:
    """Mean of all but the largest tenth."""
    keep = int(0.9 * len(detail))
    return float(np.partition(detail, keep)[:keep].mean())


def _bends(pixels: EncodedRGB, where: np.ndarray, lag: int) -> np.ndarray:
    """How far pixels lie from half-way between those `lag` px to their sides, across and down, all three in `where`.

    So neither shading nor what is left out comes in, as it would by a low-pass near a border.
    """
    grey, parts = pixels.mean(-1), []
    for f, ok in ((grey, where), (grey.T, where.T)):
        if f.shape[1] > 2 * lag:
            known = ok[:, lag:-lag] & ok[:, : -2 * lag] & ok[:, 2 * lag :]
            parts.append(np.abs(f[:, lag:-lag] - 0.5 * (f[:, : -2 * lag] + f[:, 2 * lag :]))[known])
    return np.concatenate(parts) if parts else np.zeros(0, np.float32)


def _inside_cells(grid: Rect, bounds: Rect, cell: int) -> np.ndarray:
    """1 for cells that hold at least one pixel of the picture."""
    xs = np.arange(grid.x0, grid.x1, cell)
    ys = np.arange(grid.y0, grid.y1, cell)
    ok_x = (xs + cell > bounds.x0) & (xs < bounds.x1)
    ok_y = (ys + cell > bounds.y0) & (ys < bounds.y1)
    return (ok_y[:, None] & ok_x[None, :]).astype(np.uint8)
