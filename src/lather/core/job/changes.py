"""What lies between two states of a job: named and placed, so that undo can say and show what it did."""

from dataclasses import dataclass

from lather.core.job.model import Job, Layer, Stage
from lather.core.phrases import phrase
from lather.core.types import EMPTY, Rect


@dataclass(frozen=True)
class Change:
    """`label` says what was done, and where. stage_id, layer_id: "" where it is in none. area: EMPTY if nowhere."""

    label: str
    stage_id: str = ""
    layer_id: str = ""
    area: Rect = EMPTY


def change_between(before: Job, after: Job, label: str) -> Change:
    """The first place, in the order of the course, in which two jobs differ; `label` is the command's own."""
    for old, new in zip(before.stages, after.stages):
        if old is not new:
            return _in_stage(old, new, label)
    if before.decisions != after.decisions:
        ids = {find_id for find_id, _ in before.decisions.items() ^ after.decisions.items()}
        for find in after.finds or ():
            if find.id in ids:
                half = round(find.size_px / 2) + 1
                x, y = round(find.x), round(find.y)
                return Change(f"{label} ({find.label.lower()})", area=Rect(x - half, y - half, x + half, y + half))
    return Change(label)


def _in_stage(old: Stage, new: Stage, label: str) -> Change:
    where = new.id.capitalize()
    layers = {layer.id: layer for layer in old.layers}
    for layer in new.layers:
        before = layers.pop(layer.id, None)
        if before is not layer:
            return Change(phrase("%1 on “%2” in %3", label, layer.name, where), new.id, layer.id, _area(before, layer))
    for layer in layers.values():  # they are gone
        return Change(phrase("%1 “%2” in %3", label, layer.name, where), new.id, "", _area(layer, None))
    return Change(phrase("%1 in %2", label, where), new.id)


def _area(before: Layer | None, after: Layer | None) -> Rect:
    """Pixels of the edits that one of two states of a layer has and the other has not."""
    old, new = (layer.edits if layer is not None else () for layer in (before, after))
    held = {id(edit) for edit in old} & {id(edit) for edit in new}
    area = EMPTY
    for edit in (*old, *new):
        if id(edit) not in held:
            area = area.union(edit.bounds)
    return area
