"""Texture and grain, read from tiles of skin at full size: one pass for both."""

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.gauges.compared import Compared
from lather.core.measure.bands import PORE_BAND_SHARES, pore_band
from lather.core.types import TILE, EncodedRGB, Mask, Rect

_CLIP = 4.0  # robust sigmas beyond which a pixel is a flaw and not texture
_LEAST_TOUCHED = 60
_TOUCHED = 0.0008
_UNSEEN = 0.3 / 255  # grain that eight bits do not hold: where a camera smoothed it away there is none to match


def fine_bands(pictures: Compared) -> tuple[float | None, float | None]:
    """(texture kept in %, grain ratio in what was touched)."""
    skin, most = pictures.skin, pictures.most_tiles
    scale, bounds, width = pictures.measures.scale, pictures.bounds, pictures.measures.face_width_px
    margin = int(4 * PORE_BAND_SHARES[1] * width) + 2
    tiles = []
    for y in range(0, bounds.y1, TILE):
        for x in range(0, bounds.x1, TILE):
            part = skin[int(y / scale) : int((y + TILE) / scale) + 1, int(x / scale) : int((x + TILE) / scale) + 1]
            tiles.append((float((part > 0.9).mean()) if part.size else 0.0, Rect(x, y, x + TILE, y + TILE)))
    chosen = [rect for share, rect in tiles if share > 0.1]
    if most is not None and len(chosen) > most:
        chosen = [chosen[i] for i in np.linspace(0, len(chosen) - 1, most).astype(int)]
    pores, grains = np.zeros(2), []
    for rect in chosen:
        rect = rect.intersect(bounds)
        wide = rect.expand(margin).intersect(bounds)
        was, now = pictures.before(wide, 0), pictures.after(wide, 0)
        where = _skin_of(skin, rect, scale) > 0.9
        inner = rect.slices(wide)
        bands = [pore_band(profiles.to_lab(p, pictures.profile).astype(np.float32), width)[inner][where]
                 for p in (was, now)]
        pores += _clipped_energy(*bands)
        touched = (np.abs(now - was).max(-1) > _TOUCHED)[inner]
        grains.append(_grain_ratio(_finest(was)[inner], _finest(now)[inner], touched, where))
    kept = 100 * float(pores[1] / pores[0]) if pores[0] > 0 else None
    known = [(ratio, count) for ratio, count in grains if count]
    return kept, float(np.average([r for r, _ in known], weights=[n for _, n in known])) if known else 1.0


def _grain_ratio(was: np.ndarray, now: np.ndarray, touched: np.ndarray, skin: np.ndarray) -> tuple[float, int]:
    """(grain in touched skin now against the photo's, pixels touched).

    Against that of the place itself, or of the skin just around it, whichever it is nearer to: a flaw has relief
    that is no grain, and beside a hollow there are lashes and lighter skin. Medians, so that edges do not count.
    """
    count, places = cv2.connectedComponents(cv2.dilate((touched & skin).astype(np.uint8), np.ones((15, 15), np.uint8)))
    total = pixels = 0
    for n in range(1, count):  # each by itself: grain in light and in shade is not alike
        near = (places == n) & skin
        here, around = near & touched, near & ~touched
        if here.sum() < _LEAST_TOUCHED:
            continue
        level = max(float(np.median(np.abs(now[here]))), _UNSEEN)
        ratios = [level / max(float(np.median(np.abs(was[where]))), _UNSEEN) for where in (here, around) if where.any()]
        total += min(ratios, key=lambda r: abs(np.log(max(r, 1e-6)))) * here.sum()
        pixels += int(here.sum())
    return (float(total / pixels), pixels) if pixels else (1.0, 0)


def _skin_of(skin: Mask, rect: Rect, scale: float) -> np.ndarray:
    matrix = np.float32([[1 / scale, 0, (rect.x0 + 0.5) / scale - 0.5], [0, 1 / scale, (rect.y0 + 0.5) / scale - 0.5]])
    return cv2.warpAffine(skin.astype(np.float32), matrix, (rect.width, rect.height),
                          flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)


def _clipped_energy(was: np.ndarray, now: np.ndarray) -> np.ndarray:
    """Energies of both, flaws (what stands out of the photo's own spread) counted only up to a limit."""
    if not was.size:
        return np.zeros(2)
    limit = _CLIP * 1.48 * float(np.median(np.abs(was - np.median(was)))) + 1e-6
    return np.array([float((np.clip(v, -limit, limit) ** 2).sum()) for v in (was, now)])


def _finest(pixels: EncodedRGB) -> np.ndarray:
    grey = pixels.mean(-1)
    out = np.zeros_like(grey)
    out[1:, 1:] = (grey[1:, 1:] - grey[1:, :-1] - grey[:-1, 1:] + grey[:-1, :-1]) / 2
    return out
