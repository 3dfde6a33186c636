"""Colours of areas, read from the picture an adjustment acts on: what its layer keeps, and what its box shows.

Lab is that of `stages.adjust.pixels`, in which layers act: values taken for sRGB's, whatever the photo's profile. A
colour measured in another Lab than the layer acts in would move skin that is already as it should be.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np

from lather.core.brush.outline import polygon_coverage
from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.engine.engine import Engine, faces_of
from lather.core.job.model import Job
from lather.core.types import EncodedRGB, Lab, Mask, Rect

WORK_SIDE = 1400
_LEAST_PX = 12
_OFF_BORDER, _BORDER_ROOM = 0.02, 40  # of the face's width, to both sides of a border; px around what is looked at
_KEPT = 0.9  # of an area's pixels, by how near they are to its middle: a spot or a hair in it says nothing
_BODY = 0.45  # quantile of lightness of teeth or eye white: what is darker is a gap, or in the shade of a lid

Read = Callable[[Rect, int], EncodedRGB]


@dataclass(frozen=True)
class AreaColour:
    """mean, spread: Lab (3,), of the middle of an area. pixels: seen there, at the size it was read."""

    mean: np.ndarray
    spread: np.ndarray
    pixels: int

    def to_json(self) -> dict:
        """Plain values, for a layer's settings."""
        return {name: [round(float(one), 3) for one in getattr(self, name)] for name in ("mean", "spread")}


def beneath(engine: Engine, job: Job, stage_id: str, layer_id: str = "") -> Read:
    """The picture under a layer; under the whole stage where there is no such layer yet."""
    stage = job.stage(stage_id)
    index = next((n for n, layer in enumerate(stage.layers) if layer.id == layer_id), 0 if not layer_id else None)
    layers = stage.layers[: index if index is not None else len(stage.layers)]
    below = job.with_stage(replace(stage, layers=layers))
    return lambda rect, level: engine.pixels(below, rect, level, stage_id)


def after(engine: Engine, job: Job, stage_id: str) -> Read:
    """The picture after a stage."""
    return lambda rect, level: engine.pixels(job, rect, level, stage_id)


def area_mask(engine: Engine, job: Job, area: dict, level: int) -> tuple[Rect, Mask]:
    """(rectangle of a level, share 0-1 over it) of {"zone": name}, or of {"outline": corners}."""
    bounds = engine.photo.level_bounds(level)
    if "zone" in area:
        if engine.zones is None:
            return bounds, np.zeros((bounds.height, bounds.width), np.float32)
        return bounds, engine.zones_of(job).mask(area["zone"], faces_of(job), bounds, level)
    corners = np.array(area["outline"], float) / (1 << level)
    low, high = np.floor(corners.min(0)).astype(int), np.ceil(corners.max(0)).astype(int)
    rect = Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1).intersect(bounds)
    if rect.empty:
        return rect, np.zeros((0, 0), np.float32)
    return rect, polygon_coverage([corners], rect, 1.0)


def level_for(engine: Engine, area: dict) -> int:
    """Level at which an area is looked at: of about a thousand pixels across, whatever the photo's size."""
    size = max(engine.photo.width, engine.photo.height)
    if "outline" in area:
        size = float(np.ptp(np.array(area["outline"], float), axis=0).max())
    level = 0
    while size / (1 << (level + 1)) >= WORK_SIDE / 2 and max(engine.photo.level_bounds(level + 1)[2:]) > 32:
        level += 1
    return level


def area_colour(engine: Engine, job: Job, read: Read, area: dict, width_px: float) -> AreaColour | None:
    """Of the tone band (Gaussian of `width_px`) inside an area; None where hardly anything is seen of it."""
    level = level_for(engine, area)
    rect, mask = area_mask(engine, job, area, level)
    if rect.empty or float(mask.sum()) < _LEAST_PX:
        return None
    lab = srgb_to_lab(read(rect, level))
    return told(tone_of(lab, width_px / (1 << level)), mask)


def tone_of(lab: Lab, sigma: float) -> Lab:
    """Lab without what is finer than `sigma` px."""
    return cv2.GaussianBlur(np.ascontiguousarray(lab, np.float32), (0, 0), sigma) if sigma > 0.3 else lab


def told(lab: Lab, mask: Mask) -> AreaColour | None:
    """Mean and spread of the middle of what a mask shows."""
    colours, weight = lab[mask > 0.5], mask[mask > 0.5]
    if len(colours) < _LEAST_PX:
        return None
    off = ((colours - np.median(colours, axis=0)) ** 2).sum(-1)
    kept = off <= np.quantile(off, _KEPT)
    colours, weight = colours[kept], weight[kept]
    mean = np.average(colours, axis=0, weights=weight)
    spread = np.sqrt(np.average((colours - mean) ** 2, axis=0, weights=weight))
    return AreaColour(mean, spread, len(colours))


def border_step(engine: Engine, job: Job, read: Read, area: dict, width_px: float) -> float | None:
    """CIEDE2000 between the tone on both sides of an area's border, a fiftieth of the face off it, in the mean along
    the border; None where hardly any of it is seen.
    """
    level = level_for(engine, area)
    rect, mask = area_mask(engine, job, area, level)
    wide = rect.expand(_BORDER_ROOM).intersect(engine.photo.level_bounds(level))
    inside = np.zeros((wide.height, wide.width), np.uint8)
    inside[rect.slices(wide)] = mask > 0.5
    if inside.sum() < _LEAST_PX or inside.all():
        return None
    face = job.face_map
    off = max(2.0, _OFF_BORDER * (face.width_px if face is not None else engine.photo.width) / (1 << level))
    depth = cv2.distanceTransform(inside, cv2.DIST_L2, 5) - cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5)
    down, right = np.gradient(cv2.GaussianBlur(depth, (0, 0), 2.0))
    ys, xs = np.nonzero(np.abs(depth) <= 1)
    way = np.stack([right[ys, xs], down[ys, xs]], 1)
    way /= np.maximum(np.hypot(*way.T), 1e-6)[:, None]
    lab = tone_of(srgb_to_lab(read(wide, level)), max(width_px / (1 << level), 0.5 * off)).astype(np.float32)
    sides = [cv2.remap(lab, (xs + sign * off * way[:, 0]).astype(np.float32)[None],
                       (ys + sign * off * way[:, 1]).astype(np.float32)[None], cv2.INTER_LINEAR,
                       borderMode=cv2.BORDER_REPLICATE)[0] for sign in (1, -1)]
    return float(delta_e2000(*sides).mean())


def difference(a: AreaColour, b: AreaColour, *, light: bool = True) -> float:
    """CIEDE2000 of two areas' means. light=False: of their colour alone, both taken at the lightness of the second."""
    first = a.mean if light else np.array([b.mean[0], *a.mean[1:]])
    return float(delta_e2000(first[None], b.mean[None])[0])


def body_colour(lab: Lab, mask: Mask) -> np.ndarray | None:
    """Usual Lab (3,) of teeth or of an eye white, without gaps and shade; None where there is too little to see."""
    inside = mask > 0.6
    if inside.sum() < _LEAST_PX:
        return None
    colours = lab[inside]
    return np.median(colours[colours[:, 0] >= np.quantile(colours[:, 0], _BODY)], axis=0)


def zone_body(engine: Engine, job: Job, read: Read, zone: str) -> np.ndarray | None:
    """As `body_colour`, of a small zone of the face; read as closely as the face needs."""
    faces = faces_of(job)
    if engine.zones is None or not faces:
        return None
    face = max(faces, key=lambda one: one.width_px)
    level = 0
    while face.width_px / (1 << (level + 1)) >= 500:
        level += 1
    places = face.mesh_px if face.mesh else np.array(list(face.points.values()), float)
    low, high = places.min(0).astype(int) >> level, places.max(0).astype(int) >> level
    rect = Rect(int(low[0]), int(low[1]), int(high[0]) + 2, int(high[1]) + 2)
    rect = rect.intersect(engine.photo.level_bounds(level))
    if rect.empty:
        return None
    mask = engine.zones_of(job).mask(zone, (face,), rect, level)
    return body_colour(srgb_to_lab(read(rect, level)), mask)
