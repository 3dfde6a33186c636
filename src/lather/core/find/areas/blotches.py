"""Blotches: lobes of the light that skin needs; and the colour that stays when their light is even."""

from dataclasses import dataclass

import cv2
import numpy as np
import scipy

from lather.core.colour.lab import srgb_to_lab
from lather.core.find.scene import FindScene
from lather.core.job.finds import Find
from lather.core.stages.light.cells import Field, Seen
from lather.core.stages.light.needed import BARE, NeededLight, needed_lightness, new_cells
from lather.core.types import EncodedRGB, Rect

_LEAST_PEAK, _LEAST_LOBE = 0.9, 0.35  # ΔL* of a blotch at its middle, and where it ends (or 30 % of its middle)
_END_SHARE = 0.3
_SMOOTH = 1.2  # points
_OFF_RIM_MM = 2.0  # from hair, cloth and lips: what is seen there is their own shade
_LEAST_POINTS, _MOST_MM = 6, 16.0
_SKIN_LEAST = 0.002  # share of a picture that is skin under which nothing is looked for
_COLOUR_LEFT_DE, _COLOUR_LEAST_MM = 2.5, 3.0
_RIM = 3  # points around a blotch that its colour is held against
_OUTLINE_POINTS = 1.0  # that an outline is drawn wider: more is harmless, as nothing is needed there
_MOST = 400


@dataclass(frozen=True)
class Lobe:
    """light: ΔL* that is missing at its middle, signed. size: points across. mask: over the field."""

    y: int
    x: int
    light: float
    size: float
    mask: np.ndarray
    corner: tuple[int, int]


def find_blotches(scene: FindScene, needed: NeededLight | None = None) -> list[Find]:
    """Dark and bright blotches on bare skin, and where their colour will stay."""
    measures = scene.measures
    photo, skin = measures.photo, measures.skin > 0.5
    if skin.mean() < _SKIN_LEAST:
        return []
    scale = measures.scale
    seen = Seen(photo.read, lambda _: b"photo", photo.read, photo.bounds, tuple(measures.faces),
                *measures.skin_read, photo.blocks)
    field = (needed or NeededLight(new_cells())).at_once(seen, measures.skin_box)
    side = 2 * max(1, round(_OFF_RIM_MM * measures.pixels_per_mm / scale)) + 1
    inner = cv2.erode(skin.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))
    on_skin = np.clip(2 * _mask_at(inner, scale, field) - 0.5, 0, 1)
    missing = cv2.GaussianBlur(needed_lightness(field) * on_skin, (0, 0), _SMOOTH)
    per_mm = measures.pixels_per_mm / field.px
    lobes = sorted(lobes_of(missing, per_mm), key=lambda lobe: -abs(lobe.light) * lobe.size)[:_MOST]
    finds = [_as_find(scene, field, lobe) for lobe in lobes]
    return finds + _colour_left(scene, seen.read, field, lobes, per_mm)


def _mask_at(skin: np.ndarray, scale: float, field: Field) -> np.ndarray:
    """The skin mask at the points of a field."""
    k = field.px / scale
    x, y = (o / scale + 0.5 * k - 0.5 for o in field.origin)
    return cv2.warpAffine(skin.astype(np.float32), np.float64([[k, 0, x], [0, k, y]]), field.values.shape[1::-1],
                          flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)


def lobes_of(missing: np.ndarray, per_mm: float) -> list[Lobe]:
    """Dark and bright lobes of a field of missing ΔL*, each around its own summit."""
    found = []
    for sign in (1, -1):
        height = np.maximum(sign * missing, 0)
        around = cv2.dilate(height, np.ones((5, 5)))
        summits = np.argwhere((height >= around) & (height >= _LEAST_PEAK))
        if not len(summits):
            continue
        markers = np.zeros(height.shape, np.int32)
        markers[tuple(summits.T)] = np.arange(1, len(summits) + 1)
        codes = np.clip(255 - 25 * height, 0, 255).astype(np.uint8)
        own = scipy.ndimage.watershed_ift(codes, markers)
        for number, box in enumerate(scipy.ndimage.find_objects(own, len(summits))):
            if box is None:
                continue
            y, x = summits[number]
            peak = float(height[y, x])
            part = (own[box] == number + 1) & (height[box] >= max(_LEAST_LOBE, _END_SHARE * peak))
            labels, _ = scipy.ndimage.label(part)
            label = labels[y - box[0].start, x - box[1].start]
            part = labels == label if label else part
            half = part & (height[box] >= 0.5 * peak)
            size = 2 * float(np.sqrt(half.sum() / np.pi))
            if part.sum() >= _LEAST_POINTS and size <= _MOST_MM * per_mm:
                found.append(Lobe(int(y), int(x), sign * float(height[box][half].mean()), size, part,
                                  (box[0].start, box[1].start)))
    return found


def _place(field: Field, y: float, x: float) -> tuple[float, float]:
    return field.origin[0] + (x + 0.5) * field.px, field.origin[1] + (y + 0.5) * field.px


def _outline(field: Field, lobe: Lobe) -> tuple[tuple[float, float], ...]:
    more = 3
    mask = np.pad(lobe.mask.astype(np.uint8), more)
    mask = cv2.dilate(mask, np.ones((2 * round(_OUTLINE_POINTS) + 1,) * 2, np.uint8))
    contour = max(cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0], key=len)[:, 0]
    contour = contour[:: max(1, len(contour) // 40)]
    return tuple(_place(field, y - more + lobe.corner[0], x - more + lobe.corner[1]) for x, y in contour)


def _as_find(scene: FindScene, field: Field, lobe: Lobe) -> Find:
    x, y = _place(field, lobe.y, lobe.x)
    kind = "blotch_dark" if lobe.light > 0 else "blotch_bright"
    sure = float(np.clip(0.5 + 0.2 * (abs(lobe.light) - _LEAST_PEAK), 0, 0.99))
    return Find(f"{kind}-{x:.0f}-{y:.0f}", kind, x, y, lobe.size * field.px, abs(lobe.light), sure,
                scene.zone(x, y), outline=_outline(field, lobe))


def _colour_left(scene: FindScene, read, field: Field, lobes: list[Lobe], per_mm: float) -> list[Find]:
    """Finds for Colour: blotches that still differ in a* and b* when they have the lightness of what is around."""
    grid = field.px
    level = max(0, int(np.log2(max(1.0, grid))))
    bounds = scene.measures.photo.bounds.at_level(level)
    found = []
    for lobe in lobes:
        if lobe.size < _COLOUR_LEAST_MM * per_mm:
            continue
        (top, left), (height, width) = lobe.corner, lobe.mask.shape
        x0, y0 = _place(field, top - _RIM - 0.5, left - _RIM - 0.5)
        area = Rect(int(x0), int(y0), int(x0 + (width + 2 * _RIM) * grid), int(y0 + (height + 2 * _RIM) * grid))
        rect = area.at_level(level).intersect(bounds)
        if rect.empty:
            continue
        inside = cv2.resize(np.pad(lobe.mask.astype(np.float32), _RIM), (rect.width, rect.height)) > 0.5
        bare = field.values[max(0, top - _RIM) : top + height + _RIM, max(0, left - _RIM) : left + width + _RIM, BARE]
        around = (cv2.resize(np.ascontiguousarray(bare), (rect.width, rect.height)) > 0.8) & ~inside
        if inside.sum() < 4 or around.sum() < 8:
            continue
        off = _colour_off(read(rect, level), inside, around)
        if off >= _COLOUR_LEFT_DE:
            find = _as_find(scene, field, lobe)
            found.append(Find(find.id.replace(find.kind, "colour"), "colour_left", find.x, find.y, find.size_px, off,
                              find.confidence, find.zone, outline=find.outline))
    return found


def _colour_off(pixels: EncodedRGB, inside: np.ndarray, around: np.ndarray) -> float:
    """Distance in a*, b* of two means once they have the same L*."""
    lab = srgb_to_lab(pixels)
    own, other = (lab[part].mean(0) for part in (inside, around))
    return float(np.hypot(*(own[1:] * (other[0] + 16) / (own[0] + 16) - other[1:])))
