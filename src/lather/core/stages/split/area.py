"""Area: the tone inside an outline smoothed, or flattened to a smooth field; nothing comes in from outside.

Also Veil: edge-keeping smoothing painted in.
"""

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.job.fence import Fence, polygon_coverage
from lather.core.job.model import Stroke
from lather.core.loops import loop
from lather.core.stages.patches.kind import Read
from lather.core.stages.split.bands import guided, guided_halo
from lather.core.threads import ARITHMETIC
from lather.core.types import EncodedRGB, Mask, Rect

_VEIL_EDGE, _MOST_AHEAD = 0.06, 6
_MIXED_L = 22.0  # ΔL* between the lightest and the darkest tenth of an outline's tone: a highlight and a shadow
_LEAST_SIDE = 24
_FLAT_SIDE = 160
_FEW = 12  # places through which no field is laid
_FINER_STAYS, _TEXTURE_STAYS = 0.13, 1.6  # of the smoothing's sigma, of the split's width
_FINE_PX = 2.0  # a smoothing of this sigma is worked at full size, a wider one at a smaller size
_RIM_SHARE = 0.3  # of the area's depth: what counts as its rim


def area_delta(
    stroke: Stroke, rect: Rect, read: Read, bounds: Rect, fence: Fence | None = None, split_px: float = 0.0
) -> np.ndarray:
    """Change of the tone over `rect` (inside the stroke's bounds), float32 (h, w, 3).

    What is finer than about an eighth of the smoothing stays, and what is little wider than `split_px`, the width at
    which the tone was parted: it is texture that the parting left in the tone.
    fence: of the layer; what lies outside it is not read either. The form (what its rim spans) is taken out
    before the smoothing and comes back after: else the rim, which is seen from one side only, would lose its slope
    and the area would show as a disc.

    The outline's points; brush.size_px is the sigma of the smoothing, feather_px that of the rim. mode "flat": the
    tone becomes the smooth field that the skin along the rim spans.
    """
    area = stroke.bounds.intersect(bounds)
    tone = read(area)
    inside = polygon_coverage([stroke.points[:, :2]], area, 1.0)
    for limit in (stroke.fence, fence):
        if limit is not None:
            inside = inside * limit.coverage(area)
    sigma = stroke.brush.size_px
    finer = max(_FINER_STAYS * sigma, _TEXTURE_STAYS * split_px)
    shrink = max(1, int(finer / _FINE_PX))
    seen, within = _reduced(tone, inside, shrink)
    form = wanted = _spanned_by_the_rim(seen, within)
    if stroke.mode != "flat":
        wanted = form + _smoothed_inside(seen - form, within, sigma / shrink)
    change = _without_finer(wanted - seen, within, finer / shrink)
    if shrink > 1:
        change = cv2.resize(change, tone.shape[1::-1], interpolation=cv2.INTER_CUBIC)
    coverage = polygon_coverage([stroke.points[:, :2]], area, stroke.feather_px) * np.float32(stroke.brush.ceiling)
    if stroke.fence is not None:
        coverage = coverage * stroke.fence.coverage(area)
    return (coverage[..., None] * change)[rect.slices(area)]


def _reduced(tone: EncodedRGB, inside: Mask, shrink: int) -> tuple[EncodedRGB, Mask]:
    """Both at a fraction of the size; a pixel at the outline holds the tone of its inner part."""
    if shrink == 1:
        return tone, inside
    size = tuple(-(-n // shrink) for n in tone.shape[1::-1])
    within = cv2.resize(inside, size, interpolation=cv2.INTER_AREA)
    own = cv2.resize(tone * inside[..., None], size, interpolation=cv2.INTER_AREA)
    seen = np.empty_like(own)
    _divide(own, within, cv2.resize(tone, size, interpolation=cv2.INTER_AREA), seen)
    return seen, within


def _smoothed_inside(tone: EncodedRGB, inside: Mask, sigma: float) -> EncodedRGB:
    """Normalised convolution: what lies outside has no weight. Worked at the scale that the smoothing leaves."""
    shrink = max(1, int(sigma / 4))
    weight, values = inside, tone * inside[..., None]
    if shrink > 1:
        size = (max(1, tone.shape[1] // shrink), max(1, tone.shape[0] // shrink))
        weight, values = (cv2.resize(v, size, interpolation=cv2.INTER_AREA) for v in (weight, values))
    fine = sigma / shrink
    side = 2 * int(np.ceil(3 * fine)) + 1
    share = cv2.GaussianBlur(weight, (side, side), fine, borderType=cv2.BORDER_CONSTANT)
    total = cv2.GaussianBlur(values, (side, side), fine, borderType=cv2.BORDER_CONSTANT)
    if shrink > 1:
        size = (tone.shape[1], tone.shape[0])
        total, share = (cv2.resize(v, size, interpolation=cv2.INTER_CUBIC) for v in (total, share))
    smooth = np.empty_like(tone)
    _divide(total, share, tone, smooth)
    return smooth


def _without_finer(change: EncodedRGB, inside: Mask, sigma: float) -> EncodedRGB:
    """A change without what is finer than `sigma`, cut off more steeply than by one Gaussian g: by 3g² − 2g³."""
    twice, thrice = (_smoothed_inside(change, inside, np.sqrt(n) * sigma) for n in (2, 3))
    return 3 * twice - 2 * thrice


@loop("f4[:, :, ::1], f4[:, ::1], f4[:, :, ::1], f4[:, :, ::1]", fastmath=True)
def _divide(total, share, tone, out):  # pragma: no cover - compiled
    """total / share; the tone itself where there is next to no share."""
    for y in range(tone.shape[0]):
        for x in range(tone.shape[1]):
            known = share[y, x] > np.float32(1e-3)
            part = np.float32(1) / share[y, x] if known else np.float32(0)
            for c in range(3):
                out[y, x, c] = total[y, x, c] * part if known else tone[y, x, c]


def _spanned_by_the_rim(tone: EncodedRGB, inside: Mask) -> EncodedRGB:
    """A quadratic field through the outer part of the area."""
    step = max(1, max(inside.shape) // _FLAT_SIDE)
    whole = np.pad((inside[::step, ::step] > 0.5).astype(np.uint8), 1)
    deep = cv2.distanceTransform(whole, cv2.DIST_L2, 5)[1:-1, 1:-1]
    ys, xs = np.nonzero((deep > 0) & (deep < max(2.0, _RIM_SHARE * deep.max())))
    return _field(tone, ys * step, xs * step)


def _field(tone: EncodedRGB, ys: np.ndarray, xs: np.ndarray) -> EncodedRGB:
    """A quadratic field through some places; those that stray from it count less. The tone itself where they are few.
    """
    if len(ys) < _FEW:
        return tone
    height, width = tone.shape[:2]
    values = tone[ys, xs]

    def basis(y, x):
        y, x = y / max(1, height) - 0.5, x / max(1, width) - 0.5
        return np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], -1)

    terms, trust = basis(ys, xs), np.ones(len(ys))
    for _ in range(3):
        fitted = np.linalg.lstsq(terms * trust[:, None], values * trust[:, None], rcond=None)[0]
        away = np.abs(values - terms @ fitted).max(1)
        trust = 1 / (1 + (away / (1.5 * np.median(away) + 1e-5)) ** 2)
    y, x = np.mgrid[:height, :width].astype(np.float32)
    return (basis(y, x) @ fitted).astype(np.float32)


def mixes_light_and_shade(stroke: Stroke, read: Read, bounds: Rect) -> float | None:
    """ΔL* between the lightest and the darkest tenth inside an outline if it holds a highlight and a shadow; else None.

    Smoothed together they would both turn to a middle grey.
    """
    area = stroke.bounds.intersect(bounds)
    if area.width < _LEAST_SIDE or area.height < _LEAST_SIDE:
        return None
    step = max(1, max(area.width, area.height) // _FLAT_SIDE)
    inside = polygon_coverage([stroke.points[:, :2]], area, 1.0)[::step, ::step] > 0.5
    tone = read(area)[::step, ::step]
    if inside.sum() < 50:
        return None
    lightness = srgb_to_lab(np.clip(tone[inside], 0, 1))[..., 0]
    low, high = np.percentile(lightness, [10, 90])
    return float(high - low) if high - low > _MIXED_L else None


def veil_blocks(
    coverage_of: Callable[[Rect], Mask], blocks: Sequence[Rect], read: Read, bounds: Rect, radius: int
) -> list[tuple[Rect, np.ndarray]]:
    """Changes that lay an edge-keeping smoothing over blocks at the painted coverage.

    The picture is read by the calling thread alone (it may hold locks); the smoothing of two blocks runs side by side.
    """
    def change(block: Rect, wide: Rect, pixels: EncodedRGB) -> tuple[Rect, np.ndarray]:
        inside = block.slices(wide)
        smooth = guided(pixels, radius, _VEIL_EDGE, corner=wide[:2])[inside]
        return block, coverage_of(block)[..., None] * (smooth - pixels[inside])

    running = []
    for number, block in enumerate(blocks):
        if number >= _MOST_AHEAD:
            running[number - _MOST_AHEAD].result()
        wide = block.expand(guided_halo(radius)).intersect(bounds)
        running.append(ARITHMETIC.submit(change, block, wide, read(wide)))
    return [task.result() for task in running]
