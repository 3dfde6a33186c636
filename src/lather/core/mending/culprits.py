"""Gauges that single edits put over their limits: which edits, and what brings each back while all others stay.

Repeats, keepers, spill and contours are hurt by one edit among many. Turning its whole layer down would bring back all
that the others hid; instead the edit takes other skin, stays off what it harmed, or, where neither helps, is taken out.
Each change is measured before it is proposed.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from functools import partial

from lather.core.engine.engine import Engine, faces_of
from lather.core.gauges import contours_kept
from lather.core.gauges.against_limits import JudgedGauge, judged_gauges
from lather.core.gauges.compared import Compared
from lather.core.gauges.pull_back import FEW_TILES, HIDING, Cause, EditStep, Offer, out_by, over_limit, pull_back
from lather.core.gauges.registry import measure_one, pictures_of, unfinished, unmoved
from lather.core.gauges.repeats import found_repeats
from lather.core.gauges.spill import spilling_strokes
from lather.core.job.finds import Find
from lather.core.job.model import Job, Stroke
from lather.core.job.picking import Placed
from lather.core.log import timed
from lather.core.measure.contours_kept import Stretch
from lather.core.measure.keepers import find_box, intact_keepers
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.judged import beside_contours
from lather.core.mending.source_of_tone import circle, with_holes
from lather.core.people.guard import Guard
from lather.core.phrases import phrase
from lather.core.stages.mend.dab import source_candidates

OF_EDITS = ("repeats", "keepers_intact", "spill", "contours_kept")
"""Gauges that come from single edits."""
_MOST_EDITS, _SOURCES = 24, 3
_KEEPER_ROOM = 1.2
_TAKEN_OUT = "taken out"


@timed("way back", lambda offer: f"{len(offer.edits)} edits, {len(offer.steps)} layers")
def way_back(
    engine: Engine, job: Job, measures: PhotoMeasures, values: Mapping[str, float | None], job_kind: str | None, *,
    only: Iterable[str] | None = None, go_on: Callable[[], bool] = lambda: True,
    tell: Callable[[str, tuple[Cause, ...]], None] = lambda name, causes: None,
) -> Offer:
    """What `pull_back` offers, but single edits first, wherever a gauge comes from them; as its arguments are."""
    wanted = None if only is None else set(only)
    out = [one for one in over_limit(values, job_kind) if wanted is None or one.gauge.id in wanted]
    steps: list[EditStep] = []
    now = job
    for one in out:
        if one.gauge.id in OF_EDITS:
            own, now = _changed(engine, now, measures, one, job_kind, go_on)
            steps += own
    if not go_on():
        return Offer()
    left, after = dict(values), {}
    if steps:
        pictures = pictures_of(engine, now, measures, most_tiles=FEW_TILES)
        after = {one.gauge.id: measure_one(engine, now, one.gauge.id, pictures) for one in out}
        left |= after
    offer = pull_back(engine, now, measures, left, job_kind, only=wanted, go_on=go_on, tell=tell)
    still = {one.gauge.id for one in over_limit(left, job_kind)}
    mended = tuple(one.gauge.id for one in out if one.gauge.id not in still)
    return replace(offer, edits=tuple(steps), helped=(*mended, *offer.helped), values=after | dict(offer.values))


def culprits(engine: Engine, job: Job, measures: PhotoMeasures, name: str) -> list[Placed]:
    """The edits that a gauge of OF_EDITS comes from, the most to blame first."""
    pictures = pictures_of(engine, job, measures, most_tiles=FEW_TILES)
    return [placed for placed, _ in _blamed(job, pictures, name, engine)]


def _changed(engine: Engine, job: Job, measures: PhotoMeasures, one: JudgedGauge, job_kind: str | None,
             go_on: Callable[[], bool]) -> tuple[list[EditStep], Job]:
    """(edits changed for a gauge, the job with them): of each the first change that brings the gauge inside, or the one
    that brings it nearest.
    """
    name, steps = one.gauge.id, []
    pictures = pictures_of(engine, job, measures, most_tiles=FEW_TILES)
    blamed = _blamed(job, pictures, name, engine)[:_MOST_EDITS]
    for (stage_id, layer_id, edit), about in blamed:
        if one.within is not False or not go_on():
            break
        if any(step.edit_id == edit.id for step in steps):
            continue
        layer, best = job.stage(stage_id).layer(layer_id), None
        for changed, what in _ways(engine, job, measures, name, (stage_id, layer_id, edit), about):
            if changed is None and best is not None:
                break  # it is not taken out where it can be kept
            step = EditStep(stage_id, layer_id, layer.name, edit.id, changed, what, name)
            trial = step.command.apply(job)
            value = measure_one(engine, trial, name, pictures_of(engine, trial, measures, most_tiles=FEW_TILES))
            tried = judged_gauges({name: value}, job_kind)[name]
            inside = value is None or tried.within is not False
            if inside or out_by(tried) < out_by(one if best is None else best[2]):
                best = step, trial, tried
            if inside or not go_on():
                break
        if best is not None:
            (step, job, one), steps = best, [*steps, best[0]]
    return steps, job


def _blamed(job: Job, pictures: Compared, name: str, engine: Engine) -> list[tuple[Placed, object]]:
    """((stage, layer, edit), what it harmed) of a gauge."""
    placed = {edit.id: (stage.id, layer.id, edit) for stage in job.stages if stage.on for layer in stage.layers
              if layer.on and layer.strength > 0 for edit in layer.edits}
    if name == "repeats":  # the later of two that show the same skin
        return [(placed[one.edits[-1]], None) for one in pictures.once(found_repeats)
                if one.edits and one.edits[-1] in placed]
    if name == "spill":
        return [(row, None) for row in spilling_strokes(pictures)]
    if name == "contours_kept":
        low = judged_gauges({}, job.brief.get("kind"))[name].low / 100
        lost = [stretch for stretch in pictures.once(contours_kept.stretches) if stretch.kept < low]
        return [(row, stretch) for stretch in lost for row in reversed(placed.values())
                if _lies_under(row[2], stretch.x, stretch.y)]
    now = partial(engine.pixels, unfinished(unmoved(job)))
    keepers = job.keepers()
    intact = {id(find) for find in intact_keepers(keepers, engine.photo.read, now, engine.photo.bounds,
                                                  engine.photo.profile)}
    return [(row, find) for find in keepers if id(find) not in intact for row in reversed(placed.values())
            if not row[2].bounds.intersect(find_box(find)).empty]


def _lies_under(edit: Stroke, x: float, y: float) -> bool:
    box = edit.bounds
    return box.x0 <= x < box.x1 and box.y0 <= y < box.y1 and edit.covers(x, y, 0.0)


def _ways(engine: Engine, job: Job, measures: PhotoMeasures, name: str, placed: Placed, about: object
          ) -> Iterator[tuple[Stroke | None, str]]:
    """(edit instead, what that is) from the one that loses least to taking it out: a mend, not what evens a face."""
    stage_id, layer_id, edit = placed
    if name == "repeats" and edit.tool == "dab":
        found = source_candidates(engine, job, layer_id, edit, avoid=job.finds or ())
        yield from ((replace(edit, offset=one.offset), "with other skin") for one in found[:_SOURCES])
    elif name == "spill":
        guard = Guard.of(measures.people, faces_of(job), engine.photo.bounds)
        if guard is not None:
            yield replace(edit, fence=guard.fence(edit.bounds, own=edit.fence)), "kept on skin"
    elif isinstance(about, Stretch):
        for whole in (False, True):
            spared = beside_contours(engine, edit, [about], whole=whole)
            if spared is not None:
                yield spared, phrase("kept off the %1", about.label)
    elif isinstance(about, Find) and edit.fence is None:
        hole = circle(about.x, about.y, 0.5 * _KEEPER_ROOM * about.size_px + 2)
        yield with_holes(edit, [hole]), phrase("kept off a %1", about.label.lower())
    if stage_id in HIDING:
        yield None, _TAKEN_OUT
