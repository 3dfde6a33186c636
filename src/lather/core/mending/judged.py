"""What an automatic edit is held against before it is laid down: contours of the people, and marks that stay."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np

from lather.core.brush.coverage import stroke_coverage
from lather.core.engine.engine import Engine
from lather.core.job.finds import Find
from lather.core.job.model import Job, Stroke
from lather.core.measure.contours_kept import EDGES, Stretch, worst_stretches
from lather.core.measure.keepers import find_box, intact_keepers
from lather.core.mending.source_of_tone import with_holes
from lather.core.people.contours import Contour, Contours, contours_read
from lather.core.people.reading import read_already
from lather.core.phrases import phrase
from lather.core.types import Rect

LEAST_KEPT = 0.9
"""Share of a contour's edge that an edit has to leave."""
_UNDER_BAND = 0.6
_BAND, _ALONG = 3.0, 0.35  # widths of a contour from which a mark is a band; share of a band along one: it lies on it
_ROOM = 4  # px around a stroke
_AROUND, _STRETCHES = 0.08, 4  # of a head's size, around a stretch that is left out; and how many of them
_SPARED, _MOST_SPARED = 1.3, 0.5  # widths to both sides of a contour; share of a stroke that may be left out


@dataclass(frozen=True)
class Refused:
    """A find for which no edit was laid down, and why in a few words."""

    find: Find
    why: str

    def to_json(self) -> dict:
        """As `lather auto --json` prints it."""
        return {"id": self.find.id, "kind": self.find.kind, "x": round(self.find.x, 1), "y": round(self.find.y, 1),
                "why": self.why}


NO_SKIN = "no fitting skin near"
NO_BETTER = "it would stand out more than before"
ON_INK = "it would reach a drawn mark"
CHANGES_KEEPER = "it would change a mark that stays"


def harmless(
    engine: Engine, job: Job, stroke: Stroke, applied: Callable[[Stroke], Job], kinds: tuple[str, ...] = EDGES,
    least: float = LEAST_KEPT, keepers: bool = True,
) -> tuple[Stroke | None, str]:
    """(the stroke, without the stretches of contours that it would take, ""); (None, why in a few words) where hardly
    anything would be left of it, or where a keeper would change. applied(stroke): the job with it. least: share of a
    contour's edge that it has to leave. keepers: False where the person paints, who may mean them.
    """
    one, taken = stroke, []
    while True:
        trial = applied(one)
        lost = contour_taken(engine, job, trial, one, kinds, least)
        if lost is None:
            harms = keepers and _keeper_changed(engine, job, trial, one)
            return (None, CHANGES_KEEPER) if harms else (one, "")
        taken.append(lost)
        spared = beside_contours(engine, stroke, taken) if len(taken) <= _STRETCHES else None
        if spared is None:
            return None, phrase("it would take a contour: %1", lost.label)
        one = spared


def least_kept(engine: Engine, find: Find) -> float:
    """Share of a contour's edge that a mend of a find has to leave: less under a band across it, which hides how steep
    it is there, and would stay as a patch of its own colour.
    """
    people = read_already(engine.photo)
    if people is None or find.path is None or not find.width_px:
        return LEAST_KEPT
    contours = Contours.of(people)
    widest = max((one.width_px for one in contours.all), default=np.inf)
    band = find.width_px >= _BAND * widest and contours.along(np.array(find.path)) < _ALONG
    return _UNDER_BAND if band else LEAST_KEPT


def contour_taken(engine: Engine, job: Job, trial: Job, stroke: Stroke,
                  kinds: tuple[str, ...] = EDGES, least: float = LEAST_KEPT) -> Stretch | None:
    """The stretch of a contour that an edit takes; None if every edge is left."""
    area = _area(engine, stroke)
    if area.empty:
        return None
    views = [partial(engine.pixels, state) for state in (job, trial)]
    lost = worst_stretches(contours_read(engine.photo), *views, engine.photo.bounds, engine.photo.profile,
                           kinds=kinds, within=area)
    return lost[0] if lost and lost[0].kept < least else None


def beside_contours(engine: Engine, stroke: Stroke, taken: Sequence[Stretch], *, whole: bool = False) -> Stroke | None:
    """The stroke with stretches of contours left out (whole: all of those contours); None where hardly anything would
    be left of it.
    """
    area = _area(engine, stroke)
    if area.empty:
        return None
    strip = np.zeros((area.height, area.width), np.uint8)
    if stroke.fence is not None:
        strip[stroke.fence.coverage(area) <= 0] = 1
    for contour in contours_read(engine.photo):
        for lost in taken:
            if (contour.what, contour.person) == (lost.what, lost.person):
                _draw(strip, area, contour, None if whole else lost)
    laid = stroke_coverage(stroke, area) > 0.5
    if not laid.any() or strip[laid].mean() > _MOST_SPARED:
        return None
    rings = cv2.findContours(strip, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_SIMPLE)[0]
    corner = np.array([area.x0, area.y0]) + 0.5
    holes = [tuple((float(x), float(y)) for x, y in ring[:, 0] + corner) for ring in rings if len(ring) > 2]
    return with_holes(replace(stroke, fence=None), holes)


def _draw(strip: np.ndarray, area: Rect, contour: Contour, lost: Stretch | None) -> None:
    """The part of a contour around a stretch of it, or all of it, into a mask of an area."""
    reach = np.inf if lost is None else _AROUND * contour.head_px
    middle = (0.0, 0.0) if lost is None else (lost.x, lost.y)
    near = np.hypot(*(contour.points - middle).T) < reach
    for run in np.split(np.arange(len(near)), np.flatnonzero(np.diff(near)) + 1):
        if near[run[0]]:
            places = np.round((contour.points[run] - (area.x0, area.y0)) * 16).astype(np.int32)
            cv2.polylines(strip, [places], False, 1, max(2, round(2 * _SPARED * contour.width_px)), shift=4)


def _keeper_changed(engine: Engine, job: Job, trial: Job, stroke: Stroke) -> bool:
    area, bounds = _area(engine, stroke), engine.photo.bounds
    near = [keeper for keeper in job.keepers() if not find_box(keeper).intersect(area).empty]
    views = [partial(engine.pixels, state) for state in (job, trial)]
    return bool(near) and len(intact_keepers(near, *views, bounds, engine.photo.profile)) < len(near)


def _area(engine: Engine, stroke: Stroke) -> Rect:
    return stroke.bounds.expand(_ROOM).intersect(engine.photo.bounds)
