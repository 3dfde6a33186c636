"""Gauges: what makes a retouch look false, measured between the photo and the picture as it is now.

Fine bands (texture, grain) are read from tiles at full size, all else from a picture of about 1000 px.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.colour.lab import delta_e2000
from lather.core.job.finds import SOFTENED, Find
from lather.core.measure.bands import (
    MODELLING_SHARE,
    PORE_BAND_SHARES,
    SPLIT_SHARE,
    modelling_spread,
    moved_px,
    pore_band,
)
from lather.core.measure.keepers import intact_keepers
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.measure.residual import find_contrast, residual_share
from lather.core.types import TILE, EncodedRGB, Lab, Mask, Rect

GAUGES = {
    "texture_kept": "%", "modelling_kept": "%", "colour_life": "%", "under_eye_left": "%", "keepers_intact": "",
    "skin_touched": "%", "repeats": "", "spill": "%", "grain_match": "", "halo": "ΔE", "blotch_residual": "ΔL*",
    "evenness": "", "largest_move": "% of face width", "teeth_white": "%", "residual_strength": "%",
}
"""Gauges and their units."""

_WORK_SIDE = 1000
_CLIP = 4.0  # robust sigmas beyond which a pixel is a flaw and not texture
_LEAST_TOUCHED = 60
_TOUCHED, _CHANGED_DE = 0.0008, 1.0
_HALO_SHARE = 0.02
_TEETH, _LIPS_AND_EYES = 3, (2, 3, 4, 5, 7)


@dataclass(frozen=True)
class Compared:
    """Two states of one picture. before, after: pixels of a rectangle of a level, as the engine gives them."""

    bounds: Rect
    profile: bytes | None
    before: Callable[[Rect, int], EncodedRGB]
    after: Callable[[Rect, int], EncodedRGB]
    measures: PhotoMeasures

    @cached_property
    def small(self) -> tuple[Lab, Lab]:
        """Both in Lab, at the size of `measures.small`."""
        level = 0
        photo = self.measures.photo
        while max(photo.level_bounds(level + 1)[2:]) >= _WORK_SIDE:
            level += 1
        shape = self.measures.small.shape[1::-1]
        both = []
        for read in (self.before, self.after):
            pixels = cv2.resize(read(photo.level_bounds(level), level), shape, interpolation=cv2.INTER_AREA)
            both.append(profiles.to_lab(pixels, self.profile).astype(np.float32))
        return both[0], both[1]

    @cached_property
    def change(self) -> np.ndarray:
        """ΔE00 between the two at the small size."""
        return delta_e2000(*self.small)

    @property
    def face_small_px(self) -> float:
        return self.measures.face_width_px / self.measures.scale


def measure_gauges(
    pictures: Compared, *, finds: Sequence[Find] = (), keepers: Sequence[Find] = (), zones: Mask | None = None,
    most_tiles: int | None = None,
) -> dict[str, float | None]:
    """{gauge: value}, None where it cannot be told.

    zones: labels of a practice plate, full size (without it skin is measured, and teeth cannot be). most_tiles: read
    the fine bands from no more tiles than that, evenly spread.
    """
    skin = pictures.measures.skin if zones is None else _resized(zones == 1, pictures.measures.skin.shape)
    values: dict[str, float | None] = dict.fromkeys(GAUGES)
    values["texture_kept"], values["grain_match"] = _fine_bands(pictures, skin, most_tiles)
    values |= _wide_bands(pictures, skin)
    values |= _reach(pictures, skin, zones)
    values |= _of_finds(pictures, finds, keepers)
    if zones is not None:
        values["teeth_white"] = _teeth(pictures, zones)
    return values


def _resized(mask: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    return cv2.resize(mask.astype(np.float32), shape[::-1], interpolation=cv2.INTER_AREA)


def _fine_bands(pictures: Compared, skin: Mask, most: int | None) -> tuple[float | None, float | None]:
    """(texture kept in %, grain ratio in what was touched)."""
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
        level = float(np.median(np.abs(now[here])))
        ratios = [level / max(float(np.median(np.abs(was[where]))), 1e-6) for where in (here, around) if where.any()]
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


def _wide_bands(pictures: Compared, skin: Mask) -> dict[str, float | None]:
    """Modelling, colour, blotches, left against right: what skin looks like from further away."""
    inside, width = skin > 0.5, pictures.face_small_px
    if inside.sum() < 100:
        return {}
    was, now = pictures.small
    spread = [modelling_spread(lab[..., 0], skin, width) for lab in (was, now)]
    tone = [_inside_blur(lab, skin, max(0.8, SPLIT_SHARE * width)) for lab in (was, now)]
    life = [float(np.sqrt(t[..., 1][inside].var() + t[..., 2][inside].var())) for t in tone]
    return {
        "modelling_kept": 100 * spread[1] / spread[0] if spread[0] > 0 else None,
        "colour_life": 100 * life[1] / life[0] if life[0] > 0 else None,
        "blotch_residual": blotch_residual(now, skin, width),
        "evenness": _left_right(pictures, tone),
    }


def blotch_residual(lab: Lab, skin: Mask, width: float) -> float:
    """Standard deviation of L* inside skin between pore scale and feature scale, ΔL*."""
    light = np.ascontiguousarray(lab[..., :1]).astype(np.float32)
    deep = cv2.erode((skin > 0.5).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    fine = _inside_blur(light, skin, max(0.8, PORE_BAND_SHARES[1] * width))
    coarse = _inside_blur(light, skin, 0.5 * MODELLING_SHARE * width)
    band = (fine - coarse)[deep]
    return float(1.48 * np.median(np.abs(band - np.median(band)))) if band.size else 0.0


def _inside_blur(values: np.ndarray, mask: Mask, sigma: float) -> np.ndarray:
    """Low-pass that takes nothing from outside the mask."""
    weight = (mask > 0.5).astype(np.float32)
    share = np.maximum(cv2.GaussianBlur(weight, (0, 0), sigma), 1e-3)
    out = cv2.GaussianBlur(np.ascontiguousarray(values * weight[..., None]), (0, 0), sigma)
    return out.reshape(values.shape) / share[..., None]


def _left_right(pictures: Compared, tone: list[np.ndarray]) -> float | None:
    """Left/right difference of the face's lightness now, against that of the photo (1: as it was)."""
    face, scale = pictures.measures.face, pictures.measures.scale
    if face is None:
        return None
    origin, across, down = face.frame
    us, vs = np.meshgrid(np.linspace(0.1, 0.9, 30), np.linspace(-0.5, 1.3, 60))
    differences = []
    for lab in tone:
        sides = []
        for sign in (-1, 1):
            places = origin + face.eye_distance_px * (sign * us[..., None] * across + vs[..., None] * down)
            grid = (places / scale).astype(np.float32)
            sides.append(cv2.remap(lab[..., 0].astype(np.float32), grid[..., 0], grid[..., 1], cv2.INTER_LINEAR))
        differences.append(float(np.abs(sides[0] - sides[1]).mean()))
    return differences[1] / differences[0] if differences[0] > 0.05 else None


def _reach(pictures: Compared, skin: Mask, zones: Mask | None) -> dict[str, float | None]:
    """How far the retouch reaches: skin touched, what spilt over its edges, what moved."""
    changed, inside = pictures.change > _CHANGED_DE, skin > 0.5
    rest = ~inside & (pictures.measures.ground == 0)
    if zones is not None:
        rest = np.isin(cv2.resize(zones, skin.shape[::-1], interpolation=cv2.INTER_NEAREST), (*_LIPS_AND_EYES, 8))
    rim = max(2, int(_HALO_SHARE * pictures.face_small_px))
    near = cv2.dilate(inside.astype(np.uint8), np.ones((2 * rim + 1,) * 2, np.uint8)) > 0
    beside = near & ~inside & (pictures.measures.ground > 0)
    wide = delta_e2000(*(cv2.GaussianBlur(lab, (0, 0), 1.5) for lab in pictures.small))
    moved = moved_px(*(lab[..., 0] for lab in pictures.small), inside)
    return {
        "skin_touched": 100 * float(changed[inside].mean()) if inside.any() else None,
        "spill": 100 * float(changed[rest].mean()) if rest.any() else 0.0,
        "halo": float(np.percentile(wide[beside], 98)) if beside.any() else 0.0,
        "largest_move": 100 * moved / pictures.face_small_px,
    }


def _of_finds(pictures: Compared, finds: Sequence[Find], keepers: Sequence[Find]) -> dict[str, float | None]:
    def before(rect):
        return pictures.before(rect, 0)

    def after(rect):
        return pictures.after(rect, 0)

    values: dict[str, float | None] = {}
    if keepers:
        intact = intact_keepers(keepers, before, after, pictures.bounds, pictures.profile)
        values["keepers_intact"] = len(intact) / len(keepers)
    left: dict[str, list[float]] = {}
    for find in finds:
        if find.kind in SOFTENED:
            share = residual_share(*(find_contrast(find, read, pictures.bounds, pictures.profile)
                                     for read in (before, after)))
            if share is not None:
                left.setdefault(find.kind, []).append(100 * share)
    if left.get("under_eye"):
        values["under_eye_left"] = float(np.mean(left["under_eye"]))
    everything = [v for shares in left.values() for v in shares]
    if everything:
        values["residual_strength"] = float(np.mean(everything))
    return values


def _teeth(pictures: Compared, zones: Mask) -> float | None:
    """Share of the teeth's warmth (b*) that is left, in %."""
    small = cv2.resize(zones, pictures.change.shape[::-1], interpolation=cv2.INTER_NEAREST) == _TEETH
    if small.sum() < 30:
        return None
    was, now = (float(lab[..., 2][small].mean()) for lab in pictures.small)
    return 100 * now / was if abs(was) > 0.5 else None
