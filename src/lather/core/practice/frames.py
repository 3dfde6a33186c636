"""Frames of one sitting, with the very same flaws and keepers on each: what carrying over is measured by.

The flaws are drawn on the first frame. Each other frame has a map, of the place of the same skin on the first one
(from the model it was rendered of); what the flaws take from the light there, they take here.
"""

from dataclasses import replace
from functools import cache

import cv2
import numpy as np
import scipy

from lather.core.colour import srgb
from lather.core.practice.flaws.base import Flaw
from lather.core.practice.grain import Grain
from lather.core.practice.make import Plate, make_plate
from lather.core.practice.sitters import FOLDER, load_sitter

FIRST, OTHERS = "wren", ("wren-2", "wren-3")
_MAP_STEP = 4  # px of a frame per px of its map
_MAP_UNIT = 16.0  # of its values, per px of the first frame
_DARKEST = 1e-4


def make_frames(seed: int, flaws: dict[str, int], grain: Grain | None = None) -> list[Plate]:
    """Plates of three frames, the first one first. A flaw that a frame does not show is not in its list; ids are alike.
    """
    first = make_plate(FIRST, seed, flaws=flaws, grain=grain)
    return [first, *(_frame(name, first) for name in OTHERS)]


@cache
def place_on_first(name: str) -> tuple[np.ndarray, np.ndarray]:
    """(h, w, 2) place on the first frame of each pixel's middle, float32 px; and where it is seen in both (h, w)."""
    codes = cv2.imread(str(FOLDER / f"{name}-to-{FIRST}.png"), cv2.IMREAD_UNCHANGED)[..., ::-1].astype(np.float32)
    height, width = codes.shape[0] * _MAP_STEP, codes.shape[1] * _MAP_STEP
    wide = cv2.resize(codes, (width, height), interpolation=cv2.INTER_LINEAR)
    return wide[..., :2] / _MAP_UNIT, wide[..., 2] > 0.5 * 65535


def _frame(name: str, first: Plate) -> Plate:
    plate = make_plate(load_sitter(name), first.seed, flaws={}, grain=first.grain)
    places, seen = place_on_first(name)
    photo, truth = (np.float32(codes / 65535.0) for codes in (first.photo, first.truth))
    taken = srgb.decode(photo) / np.maximum(srgb.decode(truth), _DARKEST)
    at = places - 0.5
    ratio = cv2.remap(taken, at[..., 0], at[..., 1], cv2.INTER_LINEAR)
    here = srgb.decode(np.float32(plate.truth / 65535.0)) * np.where(seen[..., None], ratio, 1.0)
    codes = np.round(np.clip(srgb.encode(np.clip(here, 0, 1)), 0, 1) * 65535).astype(np.uint16)
    changed = (np.abs(ratio - 1) > 1e-6).any(-1) & seen
    plate.photo = np.where(changed[..., None], codes, plate.truth)
    plate.flaws = [moved for flaw in first.flaws if (moved := _moved(flaw, name)) is not None]
    return plate


@cache
def _tree(name: str) -> "tuple[scipy.spatial.cKDTree, np.ndarray]":
    places, seen = place_on_first(name)
    ys, xs = np.nonzero(seen[::2, ::2])
    return scipy.spatial.cKDTree(places[::2, ::2][ys, xs]), np.column_stack([2 * xs, 2 * ys]) + 0.5


def _moved(flaw: Flaw, name: str) -> Flaw | None:
    """A flaw on another frame; None where its skin is not seen."""
    tree, here = _tree(name)
    corners = np.array([(flaw.x, flaw.y), *flaw.outline, *(flaw.path or ())])
    away, near = tree.query(corners)
    if away[0] > 2.0 or np.median(away) > 3.0:
        return None
    moved = [(float(x), float(y)) for x, y in here[near]]
    outline, path = moved[1 : 1 + len(flaw.outline)], moved[1 + len(flaw.outline) :]
    grown = 1.0
    if len(outline) > 2:
        areas = [abs(cv2.contourArea(np.float32(ring))) for ring in (flaw.outline, outline)]
        grown = float(np.sqrt(areas[1] / areas[0])) if areas[0] > 0 else 1.0
    return replace(flaw, x=moved[0][0], y=moved[0][1], outline=outline, path=path or None,
                   size_px=grown * flaw.size_px, width_px=None if flaw.width_px is None else grown * flaw.width_px)
