"""The edit proposed for a find: which stage and tool, how big, on which layer; one, or all that were accepted."""

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from lather.core.engine.engine import Engine
from lather.core.errors import Cancelled
from lather.core.job.commands import AddEdits, AddLayer, Command, Together
from lather.core.job.drawn_marks import drawn_marks, reaches
from lather.core.job.fence import Fence
from lather.core.job.finds import Find
from lather.core.job.limits import band
from lather.core.job.model import Job, Layer, Stroke, new_id
from lather.core.job.purpose import of_find
from lather.core.kinds.registry import kind_of, stage_of_kind
from lather.core.log import timed
from lather.core.measure.residual import find_contrast, residual_share
from lather.core.mending.colour_settings import colour_command
from lather.core.mending.even_blotches import SHARE, even_command
from lather.core.mending.judged import (
    NO_BETTER,
    NO_SKIN,
    ON_INK,
    Refused,
    harmless,
    least_kept,
)
from lather.core.mending.self_check import is_better, lays_gloss, stands_off
from lather.core.mending.source_of_tone import sparing, without_gloss
from lather.core.phrases import phrase
from lather.core.stages.mend.dab import dab_stroke, source_candidates
from lather.core.stages.strands.propose import strand_size, strand_stroke

SOFTEN_STRENGTH = 0.55
# Brush size over the find's, and pixels more. What is mended wider than need be is told less well from around it.
_SPOT_SIZE, _LINE_SIZE = (1.4, 3.0), (2.3, 3.0)
_LINE_EDGE, _SPOT_EDGE = 0.35, 0.15
_LEAST_PX, _LARGEST_PX = 3.0, 400.0
_TRIES = 4
_SOURCES_TRIED = 3
_ABOVE_FLOOR = 0.01  # of a softened find's strength, so that rounding never leaves less than the floor
_CHEEK_OFF = 0.25  # lengths of the hollow from it to the cheek that is taken
_LASHES_OFF, _CHEEK_IN, _FENCE_FEATHER = 0.45, 2.0, 0.5  # widths of the hollow: fence above and below its middle


def can_mend(find: Find) -> bool:
    """True if an edit can be proposed for a find of this kind."""
    return not kind_of(find.kind).by_hand


def proposed_size(find: Find) -> float:
    """Brush size (px) that covers a find and its soft rim."""
    if find.kind == "stray_hair":
        return strand_size(find.width_px or 2.0)
    times, more = kind_of(find.kind).size or (_SPOT_SIZE if find.path is None else _LINE_SIZE)
    across = find.size_px if find.path is None else find.width_px or 2.0
    return float(np.clip(times * across + more, _LEAST_PX, _LARGEST_PX))


def proposed_stroke(find: Find, stage_id: str = "mend") -> Stroke:
    """A strand along a stray hair; else an unsourced Dab over the find.

    One touch on a spot, touches along a line, a soft rim on a hollow.

    Above a hollow there are lashes, so no tone can be read around it: the tone of the cheek right below is copied,
    only where it is lighter, fenced off from the lashes; the hollow's own pores stay. A vessel in the eye takes nothing
    from elsewhere: the white from both its sides is blended in.
    """
    if find.kind == "stray_hair" or (stage_id == "strands" and find.path is not None):
        return strand_stroke(find.path, find.width_px or 2.0, find=find.id, note=find.label.lower(),
                             purpose=of_find(find.kind))
    edge = kind_of(find.kind).edge
    if edge is None:
        edge = _SPOT_EDGE if find.path is None else _LINE_EDGE
    stroke = dab_stroke(
        find.x, find.y, proposed_size(find), edge=edge, note=find.label.lower(), path=find.path, find=find.id,
        purpose=of_find(find.kind),
    )
    if find.kind == "under_eye":
        fence, down = _below_the_lashes(find)
        offset = np.round(_CHEEK_OFF * find.size_px * down).astype(int)
        return replace(stroke, tool="copy", mode="lighter", offset=(int(offset[0]), int(offset[1])), fence=fence,
                       own_texture=True)
    return replace(stroke, tool="blend_in") if find.kind == "vein_eye" else stroke


def _below_the_lashes(find: Find) -> tuple[Fence, np.ndarray]:
    """The fence, and the unit vector from the eye to the cheek."""
    path, width = np.array(find.path), find.width_px or 10.0
    along = path[-1] - path[0]
    down = np.array([-along[1], along[0]]) / max(np.hypot(*along), 1e-6)
    down = down if down[1] > 0 else -down
    aside = 0.5 * width * along / max(np.hypot(*along), 1e-6)
    upper, lower = path - _LASHES_OFF * width * down, path + _CHEEK_IN * width * down
    rim = [upper[0] - aside, *upper, upper[-1] + aside, lower[-1] + aside, *lower[::-1], lower[0] - aside]
    return Fence((tuple((float(x), float(y)) for x, y in rim),), _FENCE_FEATHER * width), down


@dataclass(frozen=True)
class Place:
    """The layer a find's edit goes to, and the command that makes it if it is not there yet."""

    stage_id: str
    layer_id: str
    make: AddLayer | None


def layer_for(job: Job, find: Find, default_layer_id: str, stage_id: str = "mend") -> Place:
    """What belongs to the person is softened on a layer of its own; all else goes to the layer in hand.

    stage_id: the stage the person is in, for kinds that more than one stage takes away.
    """
    if stage_id == "strands" or stage_of_kind(find.kind) == "strands":
        layers = [layer for layer in job.stage("strands").layers if layer.kind == "strands"]
        if layers:
            ids = [layer.id for layer in layers]
            return Place("strands", default_layer_id if default_layer_id in ids else ids[-1], None)
        layer = Layer(new_id(), "Stray hairs", "strands")
        return Place("strands", layer.id, AddLayer("strands", layer, 0))
    if not kind_of(find.kind).softened:
        plain = [layer.id for layer in job.stage("mend").layers if not layer.soften and layer.kind == "mend"]
        if not plain:
            layer = Layer(new_id(), "Spots")
            return Place("mend", layer.id, AddLayer("mend", layer, len(job.stage("mend").layers)))
        return Place("mend", default_layer_id if default_layer_id in plain else plain[-1], None)
    where = find.zone.partition(",")[2].strip()
    name = kind_of(find.kind).layer_name.format(where=where, zone=find.zone).removesuffix(", ")
    for layer in job.stage("mend").layers:
        if (layer.soften, layer.where) == (find.kind, find.zone):
            return Place("mend", layer.id, None)
    layer = Layer(new_id(), name, strength=SOFTEN_STRENGTH, soften=find.kind, where=find.zone)
    return Place("mend", layer.id, AddLayer("mend", layer, len(job.stage("mend").layers)))


def mend_command(
    engine: Engine, job: Job, find: Find, default_layer_id: str, stage_id: str = "mend", share: float = SHARE,
    refuse: Callable[[Refused], None] = lambda refused: None,
) -> Command | None:
    """One undoable step that mends a find; None if no fitting skin is near, or if each mend makes it worse, or takes a
    contour or a keeper: refuse() hears why.

    share: of the light that is needed, for what is evened.
    """
    if stage_of_kind(find.kind) == "even":
        return even_command(job, (find,), default_layer_id, share=share)
    if stage_of_kind(find.kind) == "colour":
        return _colour(engine, job, find, refuse)
    place, against = layer_for(job, find, default_layer_id, stage_id), [NO_SKIN]
    stroke = next(_better(engine, job, find, place, _proposals(engine, job, find, place), against.append), None)
    if stroke is None:
        refuse(Refused(find, against[-1]))
        return None
    if kind_of(find.kind).softened:
        place, stroke = _above_the_floor(engine, job, find, place, stroke)
    add = AddEdits(place.stage_id, place.layer_id, (stroke,))
    return Together(phrase("mend %1", find.label.lower()), (place.make, add)) if place.make else add


def _colour(engine: Engine, job: Job, find: Find, refuse: Callable[[Refused], None]) -> Command | None:
    command = colour_command(engine, job, find)
    if command is None:
        refuse(Refused(find, NO_SKIN))
        return None
    # Point by point a colour moves no edge, and gloss or red beside a contour is often what makes it look steep: what
    # is lost of contours is judged with all else that was done.
    (stroke,), applied = command.strokes(), command.apply(job)
    harm = ON_INK if reaches(drawn_marks(job), stroke) else harmless(engine, job, stroke, lambda _: applied, ())[1]
    if harm:
        refuse(Refused(find, harm))
    return None if harm else command


def _proposals(engine: Engine, job: Job, find: Find, place: Place) -> Iterator[Stroke]:
    """Strokes for a find, the most fitting first; none over a drawn mark, or that takes from one."""
    marks = drawn_marks(job)
    return (stroke for stroke in _fitting(engine, job, find, place) if not reaches(marks, stroke))


def _fitting(engine: Engine, job: Job, find: Find, place: Place) -> Iterator[Stroke]:
    stroke = sparing(job.keepers(), find, proposed_stroke(find, place.stage_id))
    if stroke.tool == "dab":
        with_layer = place.make.apply(job) if place.make else job
        found = source_candidates(engine, with_layer, place.layer_id, stroke, avoid=job.finds or ())
        yield from (replace(stroke, offset=candidate.offset) for candidate in found[:_SOURCES_TRIED])
    elif stroke.tool == "copy":
        clear = without_gloss(engine, job, stroke)
        if clear is not None:
            yield clear
    else:
        yield stroke


def _better(
    engine: Engine, job: Job, find: Find, place: Place, strokes: Iterable[Stroke], tell: Callable[[str], None]
) -> Iterator[Stroke]:
    """Of some strokes those after which the place stands nearer to its surroundings, and that take nothing else: where
    one would take a contour, that is left out of it. tell() hears what speaks against the others."""
    bounds, profile = engine.photo.bounds, engine.photo.profile
    with_layer = place.make.apply(job) if place.make else job
    others, least = job.finds or (), least_kept(engine, find)

    def laid(stroke: Stroke) -> Job:
        return AddEdits(place.stage_id, place.layer_id, (stroke,)).apply(with_layer)

    for stroke in strokes:
        trial = laid(stroke)
        if kind_of(find.kind).checked:
            views = [partial(engine.pixels, state) for state in (job, trial)]
            before, after = (stands_off(find, stroke, view, bounds, profile, others) for view in views)
            if not is_better(before, after) or lays_gloss(stroke, *views, bounds):
                tell(NO_BETTER)
                continue
        spared, harm = harmless(engine, job, stroke, laid, least=least)
        if spared is None:
            tell(harm)
        else:
            yield spared


def _above_the_floor(engine: Engine, job: Job, find: Find, place: Place, stroke: Stroke) -> tuple[Place, Stroke]:
    """Weaker, if less of the find would be left than this kind of job allows.

    A layer made for it gets less strength. The strength of a layer that is there already is somebody's choice, so
    there the stroke gets a lower ceiling.
    """
    floor = band(job.brief.get("kind"), f"{find.kind}_left").low
    bounds, profile = engine.photo.bounds, engine.photo.profile
    was = find_contrast(find, engine.photo.read, bounds, profile)
    for _ in range(_TRIES):  # what is left is nearly, but not quite, in proportion
        with_layer = place.make.apply(job) if place.make else job
        trial = AddEdits(place.stage_id, place.layer_id, (stroke,)).apply(with_layer)
        now = find_contrast(find, lambda rect, trial=trial: engine.pixels(trial, rect), bounds, profile)
        left = residual_share(was, now)
        if left is None or left >= floor:
            break
        times = max(0.0, 1 - floor - _ABOVE_FLOOR) / (1 - left)
        if place.make is None:
            brush = replace(stroke.brush, ceiling=math.floor(100 * times * stroke.brush.ceiling) / 100)
            stroke = replace(stroke, brush=brush)
        else:
            layer = replace(place.make.layer, strength=math.floor(100 * times * place.make.layer.strength) / 100)
            place = replace(place, make=replace(place.make, layer=layer))
    return place, stroke


@timed("mended all at once", lambda made: made[1])
def mend_all(
    engine: Engine,
    job: Job,
    finds: Sequence[Find],
    default_layer_id: str,
    progress: Callable[[float], bool] | None = None,
    stage_id: str = "mend",
    share: float = SHARE,
    refuse: Callable[[Refused], None] = lambda refused: None,
) -> tuple[Command | None, int]:
    """One undoable step that mends many finds, and how many; each sees the mends before it. share, refuse: as for one.

    progress(share) returning False cancels (raises Cancelled; the job is as it was).
    """
    blotches = [find for find in finds if stage_of_kind(find.kind) == "even" and can_mend(find)]
    command = even_command(job, blotches, default_layer_id, share=share)
    commands, mended = ([command] if command else []), len(blotches)
    for number, find in enumerate(finds):
        if progress and not progress(number / max(1, len(finds))):
            raise Cancelled("Mending was stopped; nothing was changed.")
        if not can_mend(find) or stage_of_kind(find.kind) == "even":
            continue
        command = mend_command(engine, job, find, default_layer_id, stage_id, refuse=refuse)
        if command is not None:
            job = command.apply(job)
            commands.append(command)
            mended += 1
    if len(commands) == 1 and blotches:
        return commands[0], mended
    return (Together(phrase("mend %1 finds", mended), tuple(commands)) if commands else None), mended
