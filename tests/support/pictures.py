"""Small pictures and sessions for tests."""

import functools
from dataclasses import replace

import imagecodecs
import numpy as np

from lather.core.engine.engine import Engine
from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.history import History
from lather.core.job.model import new_job
from lather.core.practice.make import Plate, make_plate
from lather.core.session import Session
from lather.core.stages.registry import make_kinds

WIDE = imagecodecs.cms_profile("rgb", whitepoint=[0.3127, 0.329, 1.0],
                               primaries=[0.64, 0.33, 1, 0.21, 0.71, 1, 0.15, 0.06, 1], gamma=2.2)
"""A profile with more colours than sRGB."""
FLAWS = {"blemish_dark": 8, "blemish_red": 8, "blemish_bright": 6, "mole": 1}


def skin_like(height: int = 300, width: int = 340, seed: int = 0, dtype=np.uint16) -> np.ndarray:
    """A slope with fine noise: enough like skin for heals, cheap to make. One's own, to be written to."""
    return _skin_like(height, width, seed, np.dtype(dtype)).copy()


@functools.lru_cache(16)
def _skin_like(height: int, width: int, seed: int, dtype: np.dtype) -> np.ndarray:
    rng = np.random.default_rng(seed)
    ys, xs = np.mgrid[:height, :width]
    base = np.stack([0.72 + xs / width * 0.1, 0.55 + ys / height * 0.1, 0.47 + 0 * xs], -1)
    values = np.clip(base + rng.normal(0, 0.012, base.shape), 0, 1)
    return np.round(values * np.iinfo(dtype).max).astype(dtype)


def session_of(pixels: np.ndarray, name: str = "photo.png", file_bytes: bytes = b"photo", profile: bytes | None = None
               ) -> Session:
    photo = Photo(Picture(pixels, profile), file_bytes, name)
    return Session(photo, History(new_job(photo.source)))


def engine_of(pixels: np.ndarray) -> Engine:
    return Engine(Photo(Picture(pixels), b"", "photo"), make_kinds())


@functools.cache
def plate(sitter: str = "wren", seed: int = 3) -> Plate:
    return make_plate(sitter, seed, flaws=FLAWS, edge_margin_px=30)


def head_of(made: Plate) -> Plate:
    """The part of a plate around the face, its flaws where they lie there: a third of the pixels to look at."""
    marks, wide = made.sitter.landmarks, made.sitter.face_width_px
    (x, y), (height, width) = marks["nose_tip"], made.zones.shape
    x0, x1 = max(0, int(x - 0.95 * wide)), min(width, int(x + 0.95 * wide))
    y0, y1 = max(0, int(y - 1.15 * wide)), min(height, int(y + 0.95 * wide))

    def moved(places):
        return None if places is None else [(px - x0, py - y0) for px, py in places]

    flaws = [replace(f, x=f.x - x0, y=f.y - y0, outline=moved(f.outline), path=moved(f.path)) for f in made.flaws
             if x0 <= f.x < x1 and y0 <= f.y < y1]
    part = np.s_[y0:y1, x0:x1]
    photo, truth, zones = (np.ascontiguousarray(whole[part]) for whole in (made.photo, made.truth, made.zones))
    return replace(made, photo=photo, truth=truth, zones=zones, flaws=flaws)
