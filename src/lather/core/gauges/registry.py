"""All gauges, in the order in which they are told; and measuring them."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from lather.core.engine.engine import Engine
from lather.core.gauges import (
    blotch_residual,
    clipped_skin,
    colour_life,
    contours_kept,
    crease_left,
    evenness,
    eye_white_light,
    eye_white_warmth,
    grain_match,
    halo,
    keepers_intact,
    largest_move,
    modelling_kept,
    repeats,
    residual_strength,
    skin_touched,
    spill,
    teeth_light,
    teeth_white,
    texture_kept,
    under_eye_left,
)
from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.job.finds import Find
from lather.core.job.model import Job
from lather.core.job.purpose import of_find
from lather.core.kinds.registry import SOFTENED
from lather.core.log import timed
from lather.core.measure.keepers import intact_keepers
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.measure.residual import find_contrast, residual_share

GAUGES: dict[str, Gauge] = {module.GAUGE.id: module.GAUGE for module in (
    texture_kept,
    modelling_kept,
    contours_kept,
    colour_life,
    under_eye_left,
    crease_left,
    keepers_intact,
    skin_touched,
    repeats,
    spill,
    grain_match,
    halo,
    blotch_residual,
    evenness,
    largest_move,
    teeth_white,
    teeth_light,
    eye_white_warmth,
    eye_white_light,
    clipped_skin,
    residual_strength,
)}
ON_DESK = ("texture_kept", "modelling_kept", "contours_kept", "grain_match", "blotch_residual")
OF_STAGE = {"colour": ("texture_kept", "colour_life"), "crisp": ("texture_kept", "halo"),
            "finish": ("clipped_skin", "colour_life")}
"""On the desk in their place, where a stage may harm something else."""
_DESK_TILES = 12  # tiles of skin that the fine bands are read from while working
_WHOLE_TILES = 60
SKIN_STAGES = ("mend", "split", "even")
_ELSEWHERE = frozenset(of_find(kind) for kind in (
    "cloth_speck", "lens_mark", "intruder", "vein_eye", "brow_hair", "smeared_lip", "braces", "hair_on_skin",
    "stray_hair"))
"""Purposes of edits that were meant for something else than skin."""


def measure_gauges(pictures: Compared) -> dict[str, float | None]:
    """{gauge: value}, None where it cannot be told."""
    return {name: gauge.measure(pictures) for name, gauge in GAUGES.items()}


def measured_on_desk(
    engine: Engine, job: Job, measures: PhotoMeasures | None, go_on: Callable[[], bool] = lambda: True,
    stage_id: str = "",
) -> dict:
    """What the desk shows beside the photo: {"keepers": (intact, all), "left": [(Find, share 0-1), …]} and, once the
    photo is measured, the gauges of the stage in hand, or those of ON_DESK. Empty when go_on() turns False.
    """
    warp, in_place = engine.warp(job), unmoved(job)
    now, bounds, profile = partial(engine.pixels, in_place), engine.photo.bounds, engine.photo.profile
    keepers, marks = job.keepers(), partial(engine.pixels, unfinished(in_place))
    values: dict = {"keepers": (len(intact_keepers(keepers, engine.photo.read, marks, bounds, profile)), len(keepers))}
    values["left"] = []
    for find in softened_finds(job):
        contrasts = (find_contrast(find, read, bounds, profile) for read in (engine.photo.read, now))
        share = residual_share(*contrasts)
        if share is not None:
            values["left"].append((find, share))
    if measures is not None:
        pictures = Compared(bounds, profile, engine.photo.read, now, measures, most_tiles=_DESK_TILES,
                            after_fingerprint=engine.stack(in_place).fingerprint,
                            needed=engine.kinds["even"].stores.needed, warp=warp, masks=engine.zones, quick=True)
        for name in OF_STAGE.get(stage_id, ON_DESK):
            if not go_on():
                return {}
            values[name] = GAUGES[name].measure(pictures)
    return values


def pictures_of(engine: Engine, job: Job, measures: PhotoMeasures, *, most_tiles: int = _WHOLE_TILES) -> Compared:
    """A job against its photo, both as they were before Shape moved them."""
    in_place, photo = unmoved(job), engine.photo
    return Compared(photo.bounds, photo.profile, photo.read, partial(engine.pixels, in_place), measures,
                    softened_finds(job), most_tiles=most_tiles, after_fingerprint=engine.stack(in_place).fingerprint,
                    needed=engine.kinds["even"].stores.needed, warp=engine.warp(job), masks=engine.zones, job=job,
                    skin_work=partial(engine.pixels, only_skin_work(in_place)))


def measure_one(engine: Engine, job: Job, name: str, pictures: Compared) -> float | None:
    """One gauge of a job; None where it cannot be told. pictures: `pictures_of` that job."""
    if name == "keepers_intact":  # the look of the whole picture takes no mark away
        keepers, photo = job.keepers(), engine.photo
        if not keepers:
            return None
        marks = partial(engine.pixels, unfinished(unmoved(job)))
        return len(intact_keepers(keepers, photo.read, marks, photo.bounds, photo.profile)) / len(keepers)
    return GAUGES[name].measure(pictures)


@timed("all gauges", len)
def measured_whole(
    engine: Engine, job: Job, measures: PhotoMeasures, *, most_tiles: int = _WHOLE_TILES,
    go_on: Callable[[], bool] = lambda: True,
) -> dict[str, float | None]:
    """Every gauge of a job, {id: value}; None where it cannot be told. Empty when go_on() turns False."""
    pictures, values = pictures_of(engine, job, measures, most_tiles=most_tiles), {}
    for name in GAUGES:
        if not go_on():
            return {}
        values[name] = measure_one(engine, job, name, pictures)
    return values


def only_skin_work(job: Job) -> Job:
    """The job with the stages alone whose business is skin, less what was meant for something else."""
    return replace(job, stages=tuple(
        replace(stage, layers=tuple(replace(x, edits=tuple(e for e in x.edits if e.purpose not in _ELSEWHERE))
                                    for x in stage.layers)) if stage.id in SKIN_STAGES else replace(stage, on=False)
        for stage in job.stages))


def unmoved(job: Job) -> Job:
    """The job without what moves the photo: every mask, find and place of the photo lies where it is, and what was only
    moved is the same.
    """
    moving = [stage for stage in job.stages if stage.layers and stage.id == "shape"]
    return job.with_stage(replace(moving[0], on=False)) if moving and moving[0].on else job


def unfinished(job: Job) -> Job:
    """The job without Finish: the look of the whole picture takes no mark away."""
    finish = job.stage("finish")
    return job.with_stage(replace(finish, on=False)) if finish.layers and finish.on else job


def softened_finds(job: Job) -> list[Find]:
    """Finds that are softened on a layer of their own."""
    made_for = {edit.find for layer in job.stage("mend").layers if layer.soften for edit in layer.edits}
    return [find for find in job.finds or () if find.id in made_for and find.kind in SOFTENED]
