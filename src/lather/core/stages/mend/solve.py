"""One edit of Mend turned into a patch of changes."""

from collections.abc import Callable

import cv2
import numpy as np

from lather.core.brush.coverage import cut, stroke_coverage
from lather.core.job.model import Stroke
from lather.core.stages.mend.drag import drag_blocks
from lather.core.stages.mend.heal import Read, SourceRead, TextureMatch, heal, source_reader, texture_reader
from lather.core.stages.patches.blocks import split_at_tiles
from lather.core.stages.patches.grain_noise import grain_noise
from lather.core.stages.patches.patch import Patch
from lather.core.stages.patches.solved import Solved
from lather.core.types import EncodedRGB, Mask, Rect

_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
_KNEE = np.float32(0.02)  # luminance over which only-lighter/darker fades in, against jagged rims


def only_lighter_or_darker(coverage: Mask, source: EncodedRGB, dest: EncodedRGB, mode: str) -> Mask:
    """Coverage kept where the source is lighter (or darker) in luminance, with a soft knee."""
    if mode == "any":
        return coverage
    gain = (source - dest) @ _LUMINANCE
    t = np.clip((gain if mode == "lighter" else -gain) / _KNEE, 0, 1)
    return coverage * (t * t * (3 - 2 * t))


def copy_delta(stroke: Stroke, coverage: Mask, block: Rect, read: Read, bounds: Rect) -> np.ndarray:
    """Change made by chosen pixels laid down as they are, or by their tone."""
    if stroke.own_texture:
        return _tone_delta(stroke, coverage, block, read, bounds)
    dest, source = read(block), source_reader(read, stroke.offset, bounds, stroke.turn)(block)
    coverage = only_lighter_or_darker(coverage * source.valid, source.pixels, dest, stroke.mode)
    return coverage[..., None] * (source.pixels - dest)


def tone_sigma(stroke: Stroke) -> float:
    """Gaussian below which a copy leaves the place its own texture; 0 for a copy of all, and for other tools."""
    return max(_LEAST_TONE_PX, _TONE_SHARE * stroke.brush.size_px) if stroke.own_texture else 0.0


def tone_reach(stroke: Stroke) -> int:
    """How far around the place, in px, a copy of the tone reads."""
    return int(np.ceil((2 * _SIGMAS + 1) * tone_sigma(stroke)))


def _tone_delta(stroke: Stroke, coverage: Mask, block: Rect, read: Read, bounds: Rect) -> np.ndarray:
    """Change to the tone of what is taken: the low-pass of the difference, so texture and grain stay as they were.

    A lash or a strand on one side is far off what is around it, and left out of the low-pass.
    """
    sigma = tone_sigma(stroke)
    step = max(1, int(sigma / _CELLS_PER_SIGMA))  # a wide low-pass has nothing to show at full size
    wide = block.expand(tone_reach(stroke)).intersect(bounds)
    wide = Rect(wide.x0 // step * step, wide.y0 // step * step, wide.x1, wide.y1)  # the same cells for every block
    source, dest = source_reader(read, stroke.offset, bounds, stroke.turn)(wide), read(wide)
    away = np.dstack([source.pixels - dest, source.valid.astype(np.float32)])
    away = cv2.copyMakeBorder(away, 0, -wide.height % step, 0, -wide.width % step, cv2.BORDER_REPLICATE)
    if step > 1:
        away = cv2.resize(away, (away.shape[1] // step, away.shape[0] // step), interpolation=cv2.INTER_AREA)
    away, known = away[..., :3], away[..., 3]
    usual = _low_pass(away, known, sigma / step)
    off = np.square(away - usual).sum(-1) / _FAR_OFF**2
    change = _low_pass(away, known / np.square(1 + off), sigma / step)
    if step > 1:
        change = cv2.resize(change, None, fx=step, fy=step, interpolation=cv2.INTER_LINEAR)
    own = block.slices(wide)
    change, dest = np.ascontiguousarray(change[own]), dest[own]
    coverage = only_lighter_or_darker(coverage * source.valid[own], change, np.float32(0), stroke.mode)
    return np.clip(coverage[..., None] * change, -dest, 1 - dest)


def _low_pass(values: np.ndarray, weight: np.ndarray, sigma: float) -> np.ndarray:
    """Gaussian of the values where they count (normalised convolution, Knutsson and Westin 1993)."""
    ksize = (2 * int(np.ceil(_SIGMAS * sigma)) + 1,) * 2
    held = cv2.GaussianBlur(np.dstack([values * weight[..., None], weight]), ksize, sigma)
    return held[..., :3] / np.maximum(held[..., 3:], 1e-4)


def give_back_delta(coverage: Mask, block: Rect, read: Read, original: Read) -> np.ndarray:
    """Change that brings the stage's input back."""
    return coverage[..., None] * (original(block) - read(block))


_TONE_SHARE, _LEAST_TONE_PX, _SIGMAS, _CELLS_PER_SIGMA = 0.08, 4.0, 2.5, 3
_FAR_OFF = np.float32(0.06)  # of encoded range
_GRAIN_MATCH = TextureMatch((0.0, 1.0))  # Blend-in brings grain only, as strong as the ring has it, never over 1 %
_GRAIN_LEVEL, _GRAIN_SIZE_PX = np.float32(0.01), 0.6
_DAB_TONE_SHARE = 0.1  # what is wider than this is known better from around the place than from elsewhere
_LEAST_DAB_SIGMA_PX = 4.0
# pores count, not grain; a tenth more, as the high-pass took of them
_PORE_MATCH = TextureMatch((0.7, 1.6), lag_px=5, grain_px=1.0, times=1.12)


def texture_sigma(stroke: Stroke) -> float:
    """A Dab takes only texture from the skin Lather found; Carry and Graft bring the chosen skin with its forms."""
    if stroke.tool != "dab":
        return 0.0
    return max(_LEAST_DAB_SIGMA_PX, _DAB_TONE_SHARE * stroke.brush.size_px)


def _grain_source(rect: Rect) -> SourceRead:
    grain = _GRAIN_LEVEL * grain_noise(rect, size_px=_GRAIN_SIZE_PX)
    return SourceRead(grain, np.ones((rect.height, rect.width), np.bool_))


def _heal_with(stroke: Stroke, read: Read, bounds: Rect) -> dict:
    """Where the texture of a heal comes from, as arguments of `heal`."""
    if stroke.tool == "blend_in":
        return {"read_source": _grain_source, "match": _GRAIN_MATCH}
    reader = source_reader(read, stroke.offset, bounds, stroke.turn)
    sigma = texture_sigma(stroke)
    if sigma:
        return {"read_source": texture_reader(reader, sigma), "match": _PORE_MATCH}
    return {"read_source": reader}


def solve_coverage(stroke: Stroke, coverage_of: Callable[[Rect], Mask], area: Rect, *, read: Read, original: Read,
                   bounds: Rect, only: Rect | None = None) -> Solved:
    """Changes of a stroke with the given coverage inside `area`; `only` limits where they are laid."""
    if stroke.heals:
        fence = stroke.fence.coverage if stroke.fence is not None else None
        return heal(coverage_of, area, brush_size_px=stroke.brush.size_px, read=read, bounds=bounds, only=only,
                    ring_in=fence, **_heal_with(stroke, read, bounds))
    blocks = []
    inside = area.intersect(only) if only is not None else area
    for block in split_at_tiles(inside):
        part = coverage_of(block)
        if not part.any():
            continue
        if stroke.tool in ("copy", "sweep"):
            blocks.append((block, copy_delta(stroke, part, block, read, bounds)))
        else:
            blocks.append((block, give_back_delta(part, block, read, original)))
    return Solved(blocks)


def solve_stroke(stroke: Stroke, *, read: Read, original: Read, bounds: Rect) -> Patch:
    """The patch of a whole stroke.

    read: the layer at full strength before the stroke. original: the stage's input, for Give back.
    """
    area = stroke.bounds.intersect(bounds)
    if area.empty:
        return Patch([], bounds)
    if stroke.tool == "drag":
        return Patch.from_blocks(drag_blocks(stroke, read, area), bounds)
    coverage = stroke_coverage(stroke, area)
    solved = solve_coverage(
        stroke, lambda rect: cut(coverage, area, rect), area, read=read, original=original, bounds=bounds
    )
    return Patch.from_blocks(solved.blocks, bounds, solved.disagreement)
