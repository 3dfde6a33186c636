"""The mend proposed for a find: which tool, how big, on which layer; one, or all that were accepted."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from lather.core.engine.engine import Engine
from lather.core.errors import Cancelled
from lather.core.job.commands import AddEdits, AddLayer, Command, Together
from lather.core.job.finds import SOFTENED, Find
from lather.core.job.model import Job, Layer, Stroke, new_id
from lather.core.stages.mend.dab import dab_stroke, source_candidates, with_source

SOFTEN_STRENGTH = 0.55
_SPOT_SIZE, _SPOT_MORE_PX = 1.6, 4.0
_LINE_WIDTH, _LINE_MORE_PX = 2.3, 3.0
_LARGEST_PX = 400.0
_BY_HAND = ("intruder", "braces", "blotch", "redness", "shine", "stray_hair")
"""Kinds that Mend lists but does not mend by itself: by hand, or in a later stage."""


def can_mend(find: Find) -> bool:
    """True if Mend can propose an edit for a find of this kind."""
    return find.kind not in _BY_HAND


def proposed_size(find: Find) -> float:
    """Brush size (px) that covers a find and its soft rim."""
    if find.path is not None:
        return float(np.clip(_LINE_WIDTH * (find.width_px or 2) + _LINE_MORE_PX, 5, _LARGEST_PX))
    return float(np.clip(_SPOT_SIZE * find.size_px + _SPOT_MORE_PX, 6, _LARGEST_PX))


def proposed_stroke(find: Find) -> Stroke:
    """An unsourced Dab over the find: one touch on a spot, touches along a line, a soft rim on a hollow."""
    edge = 0.8 if find.kind == "under_eye" else 0.35 if find.path is not None else 0.15
    return dab_stroke(
        find.x, find.y, proposed_size(find), edge=edge, note=find.label.lower(), path=find.path, find=find.id
    )


@dataclass(frozen=True)
class Place:
    """The layer a find's mend goes to, and the command that makes it if it is not there yet."""

    layer_id: str
    make: Command | None


def layer_for(job: Job, find: Find, default_layer_id: str) -> Place:
    """What belongs to the person is softened on a layer of its own; all else goes to the layer in hand."""
    if find.kind not in SOFTENED:
        layers = job.stage("mend").layers
        plain = [layer.id for layer in layers if not layer.extra.get("soften")]
        return Place(default_layer_id if default_layer_id in plain or not plain else plain[-1], None)
    where = find.zone.partition(",")[2].strip()
    name = {"under_eye": f"Under-eye, {where}" if where else "Under-eye", "crease": f"Creases, {find.zone}"}[find.kind]
    for layer in job.stage("mend").layers:
        if layer.extra.get("soften") == find.kind and layer.extra.get("where") == find.zone:
            return Place(layer.id, None)
    layer = Layer(new_id(), name, strength=SOFTEN_STRENGTH, extra={"soften": find.kind, "where": find.zone})
    return Place(layer.id, AddLayer("mend", layer, len(job.stage("mend").layers)))


def mend_command(engine: Engine, job: Job, find: Find, default_layer_id: str) -> Command | None:
    """One undoable step that mends a find; None if no fitting skin is near."""
    place = layer_for(job, find, default_layer_id)
    with_layer = place.make.apply(job) if place.make else job
    stroke = proposed_stroke(find)
    stroke = with_source(stroke, source_candidates(engine, with_layer, place.layer_id, stroke, avoid=job.finds or ()))
    if stroke is None:
        return None
    add = AddEdits("mend", place.layer_id, (stroke,))
    return Together(f"mend {find.label.lower()}", (place.make, add)) if place.make else add


def mend_all(
    engine: Engine,
    job: Job,
    finds: Sequence[Find],
    default_layer_id: str,
    progress: Callable[[float], bool] | None = None,
) -> tuple[Command | None, int]:
    """One undoable step that mends many finds, and how many; each sees the mends before it.

    progress(share) returning False cancels (raises Cancelled; the job is as it was).
    """
    commands, mended = [], 0
    for number, find in enumerate(finds):
        if progress and not progress(number / max(1, len(finds))):
            raise Cancelled("Mending was stopped; nothing was changed.")
        if not can_mend(find):
            continue
        command = mend_command(engine, job, find, default_layer_id)
        if command is not None:
            job = command.apply(job)
            commands.append(command)
            mended += 1
    return (Together(f"mend {mended} finds", tuple(commands)) if commands else None), mended
