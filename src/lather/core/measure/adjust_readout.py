"""What is shown of an adjustment in hand: before and now, and how near its ceilings it is."""

from dataclasses import dataclass, field

import numpy as np

from lather.core.colour import profiles
from lather.core.colour.lab import srgb_lightness
from lather.core.engine.engine import Engine
from lather.core.job.model import Job, Layer
from lather.core.measure.colours import (
    after,
    area_colour,
    area_mask,
    beneath,
    border_step,
    difference,
    level_for,
    zone_body,
)
from lather.core.phrases import phrase
from lather.core.stages.colour.match import WIDTH
from lather.core.stages.colour.whiten import ceiling
from lather.core.types import Rect

_BINS = 64
_CROP = (144, 100)  # px of a crop
_UNDER = 1.0  # L* that a value may miss its ceiling by and still count as held


@dataclass(frozen=True)
class MatchSeen:
    """ΔE of target and reference before and now, measured on what is shown; border: ΔE across the target's border,
    before and now, None where it is not seen. crops: sRGB 0-1 by name.
    """

    before: float
    now: float
    border: tuple[float, float] | None = None
    crops: dict[str, np.ndarray] = field(default_factory=dict)


@dataclass(frozen=True)
class WhiteSeen:
    """Lab before and now of a part, and its ceilings."""

    part: str
    before: np.ndarray
    now: np.ndarray
    most_light: float
    least_yellow: float
    note: str


def readout_of(engine: Engine, job: Job, stage_id: str, layer: Layer) -> object:
    """For the box of a layer; None where nothing is measured."""
    if layer.kind == "match":
        return _match(engine, job, layer)
    if layer.kind == "whiten":
        return _white(engine, job, layer)
    if layer.kind in ("area_curve", "tone"):
        return histogram(engine, job, stage_id, layer)
    return None


def _match(engine: Engine, job: Job, layer: Layer) -> MatchSeen | None:
    areas = [layer.settings.get(name) for name in ("reference", "target")]
    if None in areas:
        return None
    below, now = beneath(engine, job, "colour", layer.id), after(engine, job, "colour")
    width = float(layer.settings.get(WIDTH.id, WIDTH.start))
    reference, before, after_it = (
        area_colour(engine, job, read, area, width)
        for read, area in ((below, areas[0]), (below, areas[1]), (now, areas[1])))
    if reference is None or before is None or after_it is None:
        return None
    crops = {"reference": _crop(engine, job, below, areas[0]), "before": _crop(engine, job, below, areas[1]),
             "after": _crop(engine, job, now, areas[1])}
    light = bool(layer.settings.get("light", True))
    border = tuple(border_step(engine, job, read, areas[1], width) for read in (below, now))
    return MatchSeen(difference(before, reference, light=light), difference(after_it, reference, light=light),
                     None if None in border else border,
                     {name: crop for name, crop in crops.items() if crop is not None})


def _crop(engine: Engine, job: Job, read, area: dict) -> np.ndarray | None:
    """A piece of the middle of an area, in sRGB."""
    level = level_for(engine, area)
    rect, mask = area_mask(engine, job, area, level)
    ys, xs = np.nonzero(mask > 0.5)
    if not len(ys):
        return None
    y, x = np.median(ys), np.median(xs)
    nearest = int(np.argmin((ys - y) ** 2 + (xs - x) ** 2))
    x, y = int(xs[nearest]) + rect.x0, int(ys[nearest]) + rect.y0
    piece = Rect(x - _CROP[0] // 2, y - _CROP[1] // 2, x + _CROP[0] // 2, y + _CROP[1] // 2)
    piece = piece.intersect(engine.photo.level_bounds(level))
    return profiles.convert(read(piece, level), engine.photo.profile, profiles.srgb_profile())


def _white(engine: Engine, job: Job, layer: Layer) -> WhiteSeen | None:
    part = str(layer.settings.get("part", "teeth"))
    before = zone_body(engine, job, beneath(engine, job, "colour", layer.id), part)
    now = zone_body(engine, job, after(engine, job, "colour"), part)
    if before is None or now is None:
        return None
    most = max(ceiling(layer.settings), float(before[0]))
    least = float(layer.settings.get("least_yellow", 0.25)) * max(float(before[2]), 0.0)
    note = ""
    if part == "teeth":
        white = zone_body(engine, job, after(engine, job, "colour"), "eye_whites")
        if white is not None:
            darker = "teeth stay darker" if now[0] < white[0] else "teeth are lighter than the eyes"
            note = phrase("Eye white L* %1 · b* %2: %3.", f"{white[0]:.0f}", f"{white[2]:.0f}", darker)
    if now[0] > most - _UNDER and now[0] > before[0]:
        note = phrase("Held at the ceiling of L* %1. %2", f"{most:.0f}", note)
    return WhiteSeen(part, before, now, most, least, note.strip())


def histogram(engine: Engine, job: Job, stage_id: str, layer: Layer) -> np.ndarray:
    """How much of the picture under a layer has each L*, over 64 equal parts."""
    level = level_for(engine, {})
    pixels = beneath(engine, job, stage_id, layer.id)(engine.photo.level_bounds(level), level)
    light = srgb_lightness(pixels)
    return np.histogram(light, _BINS, (0, 100))[0]
