"""Pupils that flash made red: a round red patch in the middle of an iris, redder than any skin of that face."""

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.find.scene import FindScene
from lather.core.job.face_map import SIDES, FaceMap
from lather.core.job.finds import Find
from lather.core.types import Rect, as_float32

_SEEN_PX = 16.0  # radius of an iris at which it is looked at, where the photo has that many
_REACH = 1.5  # radii around the middle of the iris
_LEAST_RED, _LEAST_LIGHT = 0.34, 0.16  # share of red over the rest; of red itself
_OVER_SKIN = 0.10  # of the same share on the skin of that face
_AREA = (0.06, 1.3)  # of the iris's own
_WITHIN, _CORE, _OF_CORE = 1.15, 0.5, 0.65
"""Radii around the middle of the iris that red is looked for, and that are its core; share of the core's red."""
_SMALL_PX = 12.0  # radius of an iris under which one red eye alone is not believed
_OFF = 0.75  # radii that its middle may lie beside the iris's
_LONGEST = 2.4  # times its width
_FILLED = 0.55  # of the ellipse around it
_USUAL_EXCESS, _STEEP = 0.06, 14.0


def find_red_eyes(scene: FindScene) -> list[Find]:
    """One for each red pupil of everybody whose eyes are open."""
    found = []
    for face in scene.measures.faces:
        person = scene.measures.people.person_of(face)
        closed = person.closed if person is not None else ()
        own = [find for side in SIDES if side in face.irises and side not in closed
               and (find := _red_pupil(scene, face, side)) is not None]
        small = min((radius for *_, radius in face.irises.values()), default=0.0) < _SMALL_PX
        found += own if len(own) == len(SIDES) or not small else []  # flash comes back from both
    return found


def _excess(pixels: np.ndarray) -> np.ndarray:
    """Share of red light over the larger of green and blue, of a pixel's own red."""
    return (pixels[..., 0] - np.maximum(pixels[..., 1], pixels[..., 2])) / np.maximum(pixels[..., 0], 0.04)


def _red_pupil(scene: FindScene, face: FaceMap, side: str) -> Find | None:
    x, y, radius = face.irises[side]
    photo, level = scene.measures.photo, 0
    while radius / (1 << (level + 1)) >= _SEEN_PX:
        level += 1
    step = 1 << level
    reach = _REACH * radius
    area = Rect(int(x - reach), int(y - reach), int(x + reach) + 1, int(y + reach) + 1).intersect(photo.bounds)
    rect = area.at_level(level).intersect(photo.level_bounds(level))
    if min(rect.width, rect.height) < 5:
        return None
    pixels = as_float32(photo.codes(level)[rect.y0 : rect.y1, rect.x0 : rect.x1])
    if not profiles.is_srgb(photo.profile):
        pixels = profiles.convert(pixels, photo.profile, profiles.srgb_profile())
    excess = _excess(pixels)
    ys, xs = np.mgrid[: rect.height, : rect.width] + 0.5
    away = np.hypot(xs + rect.x0 - x / step, ys + rect.y0 - y / step) * step / radius
    core = float(np.percentile(excess[away < _CORE], 90)) if (away < _CORE).any() else 0.0
    least = max(_LEAST_RED, _skin_excess(scene, face) + _OVER_SKIN, _OF_CORE * core)  # a lid is red, but not so red
    red = ((excess > least) & (pixels[..., 0] > _LEAST_LIGHT) & (away < _WITHIN)).astype(np.uint8)
    red = cv2.morphologyEx(red, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))  # the catchlight is no hole
    count, labels, stats, middles = cv2.connectedComponentsWithStats(red)
    own = np.array([x / step - rect.x0, y / step - rect.y0])
    iris_area = np.pi * (radius / step) ** 2
    best = None
    for number in range(1, count):
        _, _, width, height, pixels_in = stats[number]
        off = float(np.hypot(*(middles[number] + 0.5 - own))) * step / radius
        round_enough = max(width, height) <= _LONGEST * min(width, height)
        filled = pixels_in >= _FILLED * np.pi / 4 * width * height
        if _AREA[0] * iris_area <= pixels_in <= _AREA[1] * iris_area and off <= _OFF and round_enough and filled \
                and (best is None or pixels_in > stats[best][cv2.CC_STAT_AREA]):
            best = number
    if best is None:
        return None
    patch = labels == best
    over = float(np.median(excess[patch])) - least
    contours, _ = cv2.findContours(patch.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    rim = max(contours, key=len)[:, 0].astype(float)
    middle = rim.mean(0) + 0.5
    corner = np.array([rect.x0, rect.y0])
    rim = (rim + 0.5 + 0.5 * np.sign(rim + 0.5 - middle) + corner) * step
    at = (middle + corner) * step
    grey = np.repeat(np.minimum(pixels[patch][:, 1], pixels[patch][:, 2])[:, None], 3, 1)
    colours = srgb_to_lab(np.stack([pixels[patch], grey]).astype(np.float32))
    return Find(
        f"red_eye-{at[0]:.0f}-{at[1]:.0f}", "red_eye", float(at[0]), float(at[1]),
        float(2 * np.sqrt(patch.sum() / np.pi) * step), float(delta_e2000(*colours).mean()),
        float(1 / (1 + np.exp(-_STEEP * (over + _USUAL_EXCESS)))), f"eye, {side}", False, True,
        tuple((float(a), float(b)) for a, b in rim),
    )


def _skin_excess(scene: FindScene, face: FaceMap) -> float:
    """Of the reddest usual skin of a face (90th percentile); 0 where none is seen."""
    measures, scale = scene.measures, scene.measures.scale
    places = np.array(list(face.points.values()), float) / scale
    (x0, y0), (x1, y1) = np.maximum(places.min(0).astype(int), 0), places.max(0).astype(int) + 1
    skin = measures.skin[y0:y1, x0:x1] > 0.6
    return float(np.percentile(_excess(measures.small[y0:y1, x0:x1])[skin], 90)) if skin.sum() > 30 else 0.0
