"""Hair grown into a gap: strand by strand, with the direction, thickness and colour of the hair beside it.

How the hair beside a stroke lies is read from the structure tensor of the light (Bigün and Granlund 1987). Each new
hair takes colour and shine from hairs that are there, so that it shines as its neighbours do.
"""

import zlib
from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.job.model import Stroke
from lather.core.stages.patches.kind import Read
from lather.core.stages.patches.patch import Patch
from lather.core.types import EncodedRGB, Rect, tile_rect, tiles_of

NO_HAIR = "No hair grows near here; paint beside hair that is there, or take a longer brush."
_AROUND = 1.6  # lengths around a stroke in which hair is looked for
_EVERY = 0.16  # lengths between roots along a stroke
_ROOT_OFF, _TURN, _LENGTHS = 0.1, 0.16, (0.65, 1.1)  # of a length; rad; of a length
_STEPS = 12
_FINE_PX, _ALONG_PX = 1.6, 4.0
_LEAST_LINES = 25  # pixels of hair that tell how it grows
_HAIR_SHARE = 0.06  # of the pixels around, those that differ most from the ground: they are hair
_LEAST_CONTRAST = 0.035  # encoded
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


@dataclass(frozen=True)
class HairAround:
    """What grows around a place. twice: (h, w) complex, its direction with the angle doubled, smoothed. colours: (n, 3)
    encoded RGB of hair pixels. width: px. shading: (n,) their light against the usual.
    """

    twice: np.ndarray
    colours: np.ndarray
    width: float
    shading: np.ndarray


def grow_reach(stroke: Stroke) -> int:
    """Pixels around a stroke that it reads, and may lay hair on."""
    return int(_AROUND * stroke.brush.size_px) + 8


def hair_around(pixels: EncodedRGB) -> HairAround | None:
    """Hairs in a window (h, w, 3), dark or pale against the usual; None where there are none."""
    light = np.ascontiguousarray(pixels @ _LUMINANCE)
    off = light - cv2.GaussianBlur(light, (0, 0), 3 * _FINE_PX)
    dark = -float(np.quantile(off, _HAIR_SHARE)) >= float(np.quantile(off, 1 - _HAIR_SHARE))
    against = -off if dark else off
    limit = max(_LEAST_CONTRAST, float(np.quantile(against, 1 - _HAIR_SHARE)))
    hairs = against >= limit
    fine = cv2.GaussianBlur(light, (0, 0), 0.7)
    gx, gy = cv2.Sobel(fine, cv2.CV_32F, 1, 0), cv2.Sobel(fine, cv2.CV_32F, 0, 1)
    weight = cv2.dilate(hairs.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(np.float32)
    own = -((gx + 1j * gy) ** 2) * weight  # along the hair: a quarter turn from its gradient, doubled
    twice = _smooth(own, _ALONG_PX)
    together = np.abs(twice) / np.maximum(_smooth(np.abs(own).astype(np.complex64), _ALONG_PX).real, 1e-9)
    lines = hairs & (together > 0.6)
    if lines.sum() < _LEAST_LINES:
        return None
    wide = 2.0 * float(lines.sum()) / max(1, int(_rim(lines)))
    core = lines & (against >= np.median(against[lines]))  # the rims of a hair are half of what it lies on
    colours = pixels[core]
    shading = (light[core] / max(float(light[core].mean()), 1e-4)).clip(0.5, 1.8)
    return HairAround(_smooth(own * (together > 0.5), 5 * _ALONG_PX), colours, float(np.clip(wide, 1.0, 4.0)), shading)


def _smooth(values: np.ndarray, sigma: float) -> np.ndarray:
    both = (np.ascontiguousarray(part, np.float32) for part in (values.real, values.imag))
    parts = [cv2.GaussianBlur(part, (0, 0), sigma) for part in both]
    return parts[0] + 1j * parts[1]


def _rim(lines: np.ndarray) -> int:
    """Pixels of a mask that have a neighbour outside it, both sides of a line together counted once a pixel."""
    inner = cv2.erode(lines.astype(np.uint8), np.ones((3, 3), np.uint8))
    return int(lines.sum() - inner.sum())


def grown(stroke: Stroke, *, read: Read, bounds: Rect) -> Patch:
    """The patch that lays hairs with their roots along a stroke; brush.size_px is their length."""
    window = stroke.bounds.expand(grow_reach(stroke)).intersect(bounds)
    if window.empty:
        return Patch([], bounds)
    delta = _hair_delta(read(window), stroke, window)
    blocks = []
    for column, row in tiles_of(window):
        block = tile_rect(column, row, bounds.x1, bounds.y1).intersect(window)
        blocks.append((block, delta[block.slices(window)]))
    return Patch.from_blocks(blocks, bounds)


def count_of(stroke: Stroke) -> int:
    """How many hairs a stroke grows."""
    return len(_roots(stroke))


def _roots(stroke: Stroke) -> np.ndarray:
    """Places (n, 2) along a stroke, a little apart from each other."""
    points = np.asarray(stroke.points[:, :2], float)
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    count = 1 + int(along[-1] / max(2.0, _EVERY * stroke.brush.size_px))
    at = np.linspace(0, along[-1], count)
    return np.stack([np.interp(at, along, points[:, i]) for i in (0, 1)], 1)


def _hair_delta(pixels: EncodedRGB, stroke: Stroke, window: Rect) -> np.ndarray:
    """Change (h, w, 3) over `window`, whose pixels are given: the same for the same stroke and pixels."""
    around = hair_around(pixels)
    if around is None:
        return np.zeros_like(pixels)
    rng = np.random.default_rng(zlib.crc32(stroke.id.encode()))
    out, length = pixels.copy(), stroke.brush.size_px
    way = _towards(stroke)
    for root in _roots(stroke) - (window.x0, window.y0):
        own = length * rng.uniform(*_LENGTHS)
        path = _path(around.twice, root + rng.normal(0, _ROOT_OFF * length, 2) * 0.5, own, way, rng)
        _lay(out, path, around, rng, stroke.brush.ceiling)
    delta = out - pixels
    return delta if stroke.fence is None else delta * stroke.fence.coverage(window)[..., None]


def _towards(stroke: Stroke) -> np.ndarray:
    """The side to which hairs grow where their direction leaves it open: the way the stroke was painted, or up."""
    path = stroke.points[-1, :2] - stroke.points[0, :2]
    return path if np.hypot(*path) > 2 else np.array([0.0, -1.0])


def _path(twice: np.ndarray, root: np.ndarray, length: float, towards: np.ndarray, rng) -> np.ndarray:
    """Places (STEPS + 1, 2) of one hair, root first, along the directions around it."""
    height, width = twice.shape
    step, turn, places = length / _STEPS, rng.normal(0, _TURN), [root]
    heading = None
    for _ in range(_STEPS):
        x, y = np.clip(places[-1].astype(int), 0, (width - 1, height - 1))
        here = np.angle(twice[y, x]) / 2
        ahead = np.array([np.cos(here), np.sin(here)])
        last = towards if heading is None else heading
        ahead = -ahead if ahead @ last < 0 else ahead
        heading = ahead if heading is None else 0.7 * heading + 0.3 * ahead
        heading = heading / max(float(np.hypot(*heading)), 1e-6)
        bent = turn * (len(places) / _STEPS)
        way = np.array([heading[0] * np.cos(bent) - heading[1] * np.sin(bent),
                        heading[0] * np.sin(bent) + heading[1] * np.cos(bent)])
        places.append(places[-1] + step * way)
    return np.array(places)


def _lay(out: EncodedRGB, path: np.ndarray, around: HairAround, rng, ceiling: float) -> None:
    """One hair over `out`, in place: tapering to its tip, of the colour and the shine of one beside it."""
    colour = around.colours[int(rng.integers(len(around.colours)))]
    shine = np.interp(np.linspace(0, 1, _STEPS), np.linspace(0, 1, 4), rng.choice(around.shading, 4))
    margin = int(np.ceil(around.width)) + 3
    low, high = np.floor(path.min(0)).astype(int) - margin, np.ceil(path.max(0)).astype(int) + margin
    x0, y0 = np.maximum(low, 0)
    part = out[y0 : max(high[1], 0), x0 : max(high[0], 0)]
    if not part.size:
        return
    cover, tone = np.zeros(part.shape[:2], np.uint8), np.ones(part.shape[:2], np.float32)
    at = np.round((path - (x0, y0) - 0.5) * 16).astype(np.int32)
    for k in range(_STEPS):
        wide = around.width * (1.05 - 0.75 * k / _STEPS)
        value = int(255 * min(1.0, wide) * min(1.0, 0.5 + k / 2))
        cv2.line(cover, at[k].tolist(), at[k + 1].tolist(), value, max(1, round(wide)), cv2.LINE_AA, 4)
        cv2.line(tone, at[k].tolist(), at[k + 1].tolist(), float(shine[k]), margin, cv2.LINE_8, 4)
    alpha = cv2.GaussianBlur(cover, (0, 0), 0.5).astype(np.float32)[..., None] * np.float32(ceiling / 255)
    part += alpha * (np.clip(colour * tone[..., None], 0, 1) - part)
