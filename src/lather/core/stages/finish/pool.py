"""Light pool: a free closed shape, full inside its inner rim and faded out beyond its outer one; light in it, and out.

Between the rims the share falls by how near a place lies to each: distance to the outer / both distances, smoothed.
"""

from functools import lru_cache

import cv2
import numpy as np
import scipy

from lather.core import ranges
from lather.core.errors import RequestError
from lather.core.job.face_map import FaceMap
from lather.core.job.model import Layer
from lather.core.parameters import Model, Number
from lather.core.phrases import joined, phrase
from lather.core.stages.adjust.kind import MASK_TOOLS, AdjustmentKind
from lather.core.stages.adjust.lightness import to_lightness
from lather.core.stages.adjust.mask import everywhere
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.base import Surroundings
from lather.core.stages.finish.tone import exposed_lightness
from lather.core.types import EncodedRGB, Mask, Rect

RIM_POINTS = 16
_STOPS = ranges.Range(-2.0, 2.0, "stop")
INSIDE = Number("inside", "Inside", _STOPS, 0.1, "stop", step=0.05)
OUTSIDE = Number("outside", "Outside", _STOPS, -0.3, "stop", step=0.05)
WARMTH_OUT = Number("warmth_out", "Warmth out", ranges.Range(-20.0, 20.0, "b*"), 0.0, "b*", step=0.5)
_MAP_SIDE = 512
_FINE = 12  # places of a rim between two of its points
_INNER, _OUTER = (0.62, 0.78), (1.25, 1.5)  # of the face's width: across, down from the middle of the face


def read_shape(value: object) -> dict[str, tuple[tuple[float, float], ...]]:
    """{"inner", "outer": places (x, y)}. Raises RequestError, KeyError, TypeError or ValueError."""
    shape = {}
    for name in ("inner", "outer"):
        places = np.array(value[name], float).reshape(-1, 2)
        if not 3 <= len(places) <= 200:
            raise RequestError(phrase("A rim of %1 points is none.", len(places)))
        ranges.check_places(places, "A point of a rim")
        shape[name] = tuple((float(x), float(y)) for x, y in places)
    return shape


def moved_shape(value: object, places) -> dict[str, tuple[tuple[float, float], ...]]:
    """A pool on another photo."""
    return {name: tuple((float(x), float(y)) for x, y in places(np.array(rim, float)))
            for name, rim in read_shape(value).items()}


class PoolKind(AdjustmentKind):
    """Light inside, and outside, of a closed shape with two rims."""

    id = "pool"
    method = b"pool-1"
    label, icon = "Light pool", "pool"
    hint = "Starts as the head's own shape. Pull either rim anywhere: dashed full, solid faded out."
    tools = ("pool_rim", *MASK_TOOLS)
    own = (INSIDE, OUTSIDE, WARMTH_OUT, Model("shape", "Shape", read_shape, moved_shape))
    mask = everywhere()

    def neutral(self, layer: Layer) -> bool:
        return "shape" not in layer.settings or all(
            float(self.value(layer, one.id)) == 0 for one in (INSIDE, OUTSIDE, WARMTH_OUT))

    @classmethod
    def said(cls, layer: Layer) -> str:
        inside, outside = (float(layer.settings.get(one.id, one.start)) for one in (INSIDE, OUTSIDE))
        words = [phrase("inside %1 stop", f"{inside:+.2f}")] * bool(inside)
        words += [phrase("outside %1 stop", f"{outside:+.2f}")] * bool(outside)
        return joined(words, " · ") if words else phrase("neutral")

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        share = pool_share(layer.settings["shape"], around, rect, level)
        lab = to_lab(pixels)
        light = lab[..., 0] / 100
        inside, outside = (float(self.value(layer, one.id)) for one in (INSIDE, OUTSIDE))
        wanted = share * (exposed_lightness(light, inside) - light)
        wanted += (1 - share) * (exposed_lightness(light, outside) - light)
        change = to_lightness(lab, lab[..., 0] + 100 * wanted)
        change[..., 2] += np.float32(self.value(layer, WARMTH_OUT.id)) * (1 - share) * np.clip(light / 0.08, 0, 1)
        return changed(pixels, lab, change, coverage)


def rim(places: tuple[tuple[float, float], ...]) -> np.ndarray:
    """A closed smooth line (n, 2) through places."""
    places = np.array(places, float)
    closed = np.vstack([places, places[:1]])
    at = np.arange(len(closed))
    return scipy.interpolate.CubicSpline(at, closed, bc_type="periodic")(np.arange(0, len(places), 1 / _FINE))


def pool_share(shape: dict, around: Surroundings, rect: Rect, level: int) -> Mask:
    """Share 0-1 of a rectangle of a level that lies in the pool; above a displacement it moves with the form."""
    rims = tuple(tuple(tuple(place) for place in shape[name]) for name in ("inner", "outer"))
    values, scale = _share_map(*rims, around.bounds.width, around.bounds.height)
    step = 1 << level
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32) + np.float32(0.5)
    places = around.warp.to_below(np.stack([xs, ys], -1) * np.float32(step)) / scale
    maps = (np.asarray(places) - 0.5).astype(np.float32)
    share = cv2.remap(values, maps[..., 0], maps[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return share * share * (3 - 2 * share)


@lru_cache(maxsize=8)
def _share_map(inner: tuple, outer: tuple, width: int, height: int) -> tuple[np.ndarray, float]:
    """(share before it is smoothed, px of the photo per pixel of it) of the whole photo, and a border around it."""
    scale = max(width, height) / _MAP_SIDE
    shape = (int(np.ceil(height / scale)), int(np.ceil(width / scale)))
    far = []
    for places in (inner, outer):
        inside = np.zeros(shape, np.uint8)
        corners = np.round((rim(places) / scale - 0.5) * 16).astype(np.int32)
        cv2.fillPoly(inside, [corners.reshape(-1, 1, 2)], 1, shift=4)
        both = (inside, 1 - inside)
        far.append(tuple(cv2.distanceTransform(one, cv2.DIST_L2, cv2.DIST_MASK_PRECISE) for one in both))
    (_, from_inner), (to_outer, _) = far
    share = to_outer / np.maximum(to_outer + from_inner, 1e-3)
    share[from_inner == 0] = 1
    share = cv2.GaussianBlur(share.astype(np.float32), (0, 0), 1.5)
    share.setflags(write=False)
    return share, scale


def head_shape(face: FaceMap | None, width: int, height: int) -> dict:
    """Rims that start as the head's own: of the face's oval and hair; without a face, in the middle of the photo."""
    turns = 2 * np.pi * np.arange(RIM_POINTS) / RIM_POINTS
    if face is None:
        middle, across, down = np.array([width / 2, height / 2]), np.array([1.0, 0.0]), np.array([0.0, 1.0])
        size = 0.4 * min(width, height)
    else:
        origin, across, down = face.frame
        chin = np.array(face.points["chin"], float)
        middle, size = origin + 0.35 * (chin - origin), face.width_px
    shape = {}
    for name, (wide, tall) in (("inner", _INNER), ("outer", _OUTER)):
        # flatter at the sides than an ellipse, as a head is
        x = np.sign(np.cos(turns)) * np.abs(np.cos(turns)) ** 0.85 * wide * size
        y = np.sin(turns) * tall * size * np.where(np.sin(turns) < 0, 1.05, 0.95)
        places = middle + x[:, None] * across + y[:, None] * down
        shape[name] = [[round(float(px), 1), round(float(py), 1)] for px, py in places]
    return shape


def pulled(shape: dict, name: str, x: float, y: float, to_x: float, to_y: float) -> dict:
    """The shape with one rim pulled from a place to another: its points near by come along, less and less."""
    places = np.array(shape[name], float)
    spacing = np.median(np.hypot(*(np.roll(places, -1, axis=0) - places).T))
    near = np.exp(-0.5 * ((places - (x, y)) ** 2).sum(-1) / (0.9 * spacing) ** 2)
    near /= max(1e-6, float(near.max()))
    moved = places + near[:, None] * (np.array([to_x, to_y]) - (x, y))
    return dict(shape) | {name: [[round(float(a), 1), round(float(b), 1)] for a, b in moved]}
