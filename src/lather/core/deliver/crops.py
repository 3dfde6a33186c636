"""Crops before and after, for sheets and reports: the whole picture, and where most was done."""

import base64
import io
from dataclasses import dataclass

import cv2
import numpy as np
from PIL import Image

from lather.core.colour import profiles
from lather.core.colour.lab import delta_e2000
from lather.core.engine.engine import Engine
from lather.core.job.model import Job
from lather.core.phrases import phrase
from lather.core.types import Rect

_WORK_PX = 700
_CROP_SHARE = 0.3  # of the picture's short side


@dataclass(frozen=True)
class Crop:
    """before, after: sRGB uint8 (h, w, 3) of the same size. rect: source px."""

    caption: str
    before: np.ndarray
    after: np.ndarray
    rect: Rect


def crops_of(engine: Engine, job: Job, *, count: int = 2, whole_px: int = 900, crop_px: int = 520) -> list[Crop]:
    """The whole picture first, then up to `count` places where most was done, each apart from the others."""
    photo, bounds = engine.photo, engine.photo.bounds
    level = 0
    while max(photo.level_bounds(level + 1)[2:]) >= _WORK_PX:
        level += 1
    rect = photo.level_bounds(level)
    both = [profiles.to_lab(read, photo.profile) for read in (photo.read(rect, level), engine.pixels(job, rect, level))]
    change = np.minimum(delta_e2000(*both), 8.0)
    side = max(8, round(_CROP_SHARE * min(change.shape)))
    weight = cv2.boxFilter(change, -1, (side, side), borderType=cv2.BORDER_CONSTANT)
    made = [_crop(engine, job, "The whole picture", bounds, whole_px)]
    for number in range(count):
        y, x = np.unravel_index(int(np.argmax(weight)), weight.shape)
        if weight[y, x] <= 0.02:
            break
        half = side << level >> 1
        cx = int(np.clip(int(x) << level, half, max(half, bounds.width - half)))
        cy = int(np.clip(int(y) << level, half, max(half, bounds.height - half)))
        place = Rect(cx - half, cy - half, cx + half, cy + half).intersect(bounds)
        made.append(_crop(engine, job, phrase("Detail %1", number + 1), place, crop_px))
        weight[max(0, y - side) : y + side, max(0, x - side) : x + side] = 0
    return made


def _crop(engine: Engine, job: Job, caption: str, rect: Rect, most_px: int) -> Crop:
    level = 0
    while max(rect.width, rect.height) >> (level + 1) >= most_px:
        level += 1
    part = Rect(rect.x0 >> level, rect.y0 >> level, -(-rect.x1 >> level), -(-rect.y1 >> level))
    part = part.intersect(engine.photo.level_bounds(level))
    pictures = [as_srgb(read, engine.photo.profile, most_px) for read in (
        engine.photo.read(part, level), engine.pixels(job, part, level))]
    return Crop(caption, *pictures, rect)


def as_srgb(encoded: np.ndarray, profile: bytes | None, most_px: int) -> np.ndarray:
    """uint8 sRGB, at most so many px on the long side."""
    values = profiles.convert(np.clip(encoded, 0, 1), profile, profiles.srgb_profile())
    shrink = min(1.0, most_px / max(values.shape[:2]))
    if shrink < 1:
        values = cv2.resize(values, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    return np.round(255 * np.clip(values, 0, 1)).astype(np.uint8)


def data_uri(codes: np.ndarray, *, quality: int = 88) -> str:
    """A picture inside a page: `data:image/jpeg;base64,…`."""
    buffer = io.BytesIO()
    Image.fromarray(codes).save(buffer, "JPEG", quality=quality, subsampling=0, icc_profile=profiles.srgb_profile())
    return "data:image/jpeg;base64," + base64.b64encode(buffer.getvalue()).decode()
