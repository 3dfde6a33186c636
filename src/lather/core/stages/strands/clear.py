"""Clear a strand: the band along a hair is filled from both its sides, with the grain that lies beside it.

The ground under the hair is a robust normalised convolution (Knutsson and Westin 1993) of what lies around the band:
what deviates from it (other hairs, the mass) is given no weight and it is read again. Texture and grain are copied
from beside the hair, piece by piece, so that level, size and colour of the grain are the photo's own.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.job.grain_model import diagonal_gain
from lather.core.job.model import Stroke
from lather.core.stages.patches.grain_noise import grain_noise
from lather.core.stages.patches.kind import Read
from lather.core.stages.patches.patch import Patch
from lather.core.types import EncodedRGB, Mask, Rect, tile_rect, tiles_of

_AROUND_WIDTHS, _AROUND_PX = 2.5, 10
_ROUNDS = 3
_KNOWN_TIMES = 12.0  # a twelfth of the surroundings is enough to read the ground from
_STRANGE = 3.2  # times the usual deviation: not the ground
_LEAST_DEVIATION = 0.004
_FEATHER_PX = 2.0
_ASIDE = (1.0, 1.5, 2.1)  # band widths aside at which the grain is taken
_MOST_BAD = 0.3
_GRAIN_SIZE_PX = 0.6
_ROUGHER = 1.6  # times the usual energy of the finest band beside the hair: more than grain lies there
_SEAMS = 0.95  # where two grains meet, at the band's rim and between pieces, there is more of the finest band
_LEVELLED = 0.8, 1.1  # what is copied may be scaled by, to the usual level: rests of other hairs raise it
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


def strand_reach(stroke: Stroke) -> int:
    """Pixels around a strand's band that its ground is read from."""
    return int(_AROUND_WIDTHS * stroke.brush.size_px) + _AROUND_PX


def clear_strand(stroke: Stroke, *, read: Read, bounds: Rect) -> Patch:
    """The patch that takes a hair away. The stroke's points are its path; brush.size_px is the width cleared."""
    area = stroke.bounds.intersect(bounds)
    if area.empty:
        return Patch([], bounds)
    window = stroke.bounds.expand(strand_reach(stroke)).intersect(bounds)
    delta = strand_delta(read(window), stroke, window)
    blocks = []
    for column, row in tiles_of(area):
        block = tile_rect(column, row, bounds.x1, bounds.y1).intersect(area)
        blocks.append((block, delta[block.slices(window)]))
    return Patch.from_blocks(blocks, bounds)


def strand_delta(pixels: EncodedRGB, stroke: Stroke, window: Rect) -> np.ndarray:
    """Change (h, w, 3) over `window`, whose pixels are given."""
    half = stroke.brush.size_px / 2
    band = _band(stroke.points[:, :2] - (window.x0, window.y0), pixels.shape[:2], half)
    alpha = np.clip((half + _FEATHER_PX / 2 - band.distance) / _FEATHER_PX, 0, 1) * stroke.brush.ceiling
    if stroke.fence is not None:
        alpha = alpha * stroke.fence.coverage(window)
    ground, weight, known = under_the_band(pixels, band.distance, half)
    alpha = alpha * np.clip(_KNOWN_TIMES * known, 0, 1)  # inside the mass nothing tells the ground: it stays
    texture = _texture(pixels - ground, weight > 0.5, band, alpha > 0, 2 * half, window)
    kept = np.sqrt(np.maximum(0.0, 1 - (1 - alpha) ** 2))  # grain of two pictures adds in power
    return alpha[..., None] * (ground - pixels) + kept[..., None] * texture


@dataclass(frozen=True)
class _Band:
    """distance: px from the path (h, w). piece: number of the piece of path a pixel is nearest to. normals: (n, 2)."""

    distance: np.ndarray
    piece: np.ndarray
    normals: np.ndarray


def _band(path: np.ndarray, shape: tuple[int, int], half: float) -> _Band:
    steps = np.hypot(*np.diff(path, axis=0).T)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    count = max(2, int(along[-1] / 0.5))
    at = np.linspace(0, along[-1], count)
    fine = np.stack([np.interp(at, along, path[:, i]) for i in (0, 1)], 1) - 0.5
    canvas = np.full(shape, 255, np.uint8)
    cv2.polylines(canvas, [np.round(fine * 16).astype(np.int32)], False, 0, 1, cv2.LINE_8, 4)
    distance, labels = cv2.distanceTransformWithLabels(canvas, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    piece_length = 6 * half + 8
    piece_of_sample = (at / piece_length).astype(np.int32)
    columns = np.clip(np.round(fine[:, 0]).astype(int), 0, shape[1] - 1)
    rows = np.clip(np.round(fine[:, 1]).astype(int), 0, shape[0] - 1)
    piece_of_label = np.zeros(int(labels.max()) + 1, np.int32)
    piece_of_label[labels[rows, columns]] = piece_of_sample
    starts = [int(np.searchsorted(piece_of_sample, p)) for p in range(piece_of_sample[-1] + 1)] + [count - 1]
    way = np.array([fine[b] - fine[a] if b > a else (1.0, 0.0) for a, b in zip(starts[:-1], starts[1:])])
    normals = np.stack([-way[:, 1], way[:, 0]], 1) / np.maximum(np.hypot(*way.T), 1e-6)[:, None]
    return _Band(distance, piece_of_label[labels], normals)


def under_the_band(pixels: EncodedRGB, distance: np.ndarray, half: float) -> tuple[EncodedRGB, Mask, Mask]:
    """(ground (h, w, 3), weight of what it was read from (h, w), how much of the surroundings that was (h, w) 0-1)."""
    weight = (distance > half + 1.2).astype(np.float32)
    near = distance < half + 8 + 2 * half
    sigma = max(2.0, 0.9 * half + 1.0)
    kernel = cv2.getGaussianKernel(2 * int(3 * sigma) + 1, sigma, cv2.CV_32F)
    deviation = _LEAST_DEVIATION
    ground, share = pixels, weight
    for number in range(_ROUNDS):
        share = cv2.sepFilter2D(weight, cv2.CV_32F, kernel, kernel) + np.float32(1e-5)
        ground = cv2.sepFilter2D(pixels * weight[..., None], cv2.CV_32F, kernel, kernel) / share[..., None]
        if number == _ROUNDS - 1:
            break
        away = np.abs((pixels - ground) @ _LUMINANCE)
        sample = away[near & (weight > 0)]
        deviation = max(_LEAST_DEVIATION, 1.48 * float(np.median(sample))) if len(sample) else deviation
        strange = cv2.dilate((away > _STRANGE * deviation).astype(np.uint8), np.ones((3, 3), np.uint8))
        weight = ((distance > half + 1.2) & (strange == 0)).astype(np.float32)
    return ground, weight, share


def _texture(
    residual: np.ndarray, good: np.ndarray, band: _Band, laid: np.ndarray, width: float, window: Rect
) -> np.ndarray:
    """What lies beside the band, moved onto it; where nothing good is beside it, grain made new."""
    fine, usual = _finest(residual @ _LUMINANCE, good)
    level = np.float32(_SEAMS * usual / np.sqrt(diagonal_gain(_GRAIN_SIZE_PX, 1)))
    out = np.zeros_like(residual)
    ys, xs = np.nonzero(laid)
    pieces = band.piece[ys, xs]
    height, wide = good.shape
    made = grain_noise(window, size_px=_GRAIN_SIZE_PX)
    for piece in np.unique(pieces):
        inside = pieces == piece
        py, px = ys[inside], xs[inside]
        normal = band.normals[min(piece, len(band.normals) - 1)]
        best, chosen = _MOST_BAD, None
        for aside in _ASIDE:
            for side in (1, -1):
                dx, dy = np.round(side * (aside * (width + 3.0)) * normal).astype(int)
                qy, qx = py + dy, px + dx
                valid = (qy >= 0) & (qy < height) & (qx >= 0) & (qx < wide)
                valid[valid] = good[qy[valid], qx[valid]]
                bad = 1 - valid.mean()
                if valid.any() and fine[qy[valid], qx[valid]].mean() > _ROUGHER * usual**2:
                    continue  # another hair, too fine or faint to be told from the ground by its light
                if bad < best:
                    best, chosen = bad, (qy, qx, valid)
            if chosen is not None and best < 0.02:
                break
        fill = made[py, px] * level
        if chosen is not None:
            qy, qx, valid = chosen
            energy = float(fine[qy[valid], qx[valid]].mean())
            level_to = np.clip(_SEAMS * usual / np.sqrt(energy + 1e-12), *_LEVELLED)
            fill[valid] = residual[qy[valid], qx[valid]] * np.float32(level_to)
        out[py, px] = fill
    return out


def _finest(light: np.ndarray, good: np.ndarray) -> tuple[np.ndarray, float]:
    """(energy of diagonal differences (h, w), their usual size where the ground is good): grain, and hardly a hair."""
    diagonal = (light[1:, 1:] - light[1:, :-1] - light[:-1, 1:] + light[:-1, :-1]) / 2
    diagonal = np.pad(diagonal, ((0, 1), (0, 1)), mode="edge")
    sample = np.abs(diagonal[good])
    return diagonal**2, 1.4826 * float(np.median(sample)) if len(sample) else 0.0
