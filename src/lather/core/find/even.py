"""Evening what was found: an outline over each blotch, at a share of what is needed."""

from collections.abc import Sequence

from lather.core.brush.values import Brush
from lather.core.job.commands import AddEdits, AddLayer, Command, Together
from lather.core.job.finds import Find
from lather.core.job.model import Job, Layer, Stroke, freeze_points, new_id
from lather.core.stages.even.kind import BOTH, LIFTING, LOWERING
from lather.core.tools.lift import ASSISTED

SHARE = 0.8  # of what is needed, to begin with: perfectly even skin is nobody's
_FEATHER = 0.25  # of a blotch's size
_NAMES = {BOTH: "Lift and lower", LIFTING: "Lift", LOWERING: "Lower"}


def even_stroke(find: Find, share: float = SHARE) -> Stroke:
    """Evens one blotch."""
    points = freeze_points([(x, y, 1.0, 0.0) for x, y in find.outline])
    brush = Brush(size_px=max(1.0, find.size_px), edge=1.0, ceiling=share)
    return Stroke(new_id(), "even_area", brush, points, mode=ASSISTED, note=find.label.lower(), find=find.id,
                  feather=max(1.0, _FEATHER * find.size_px))


def layer_for_side(job: Job, side: str, default_layer_id: str = "") -> tuple[Layer, AddLayer | None]:
    """The layer in hand if it takes what goes to a side, else the topmost one that does, else a new one. side: BOTH,
    LIFTING or LOWERING.
    """
    layers = [one for one in job.stage("even").layers if one.kind == "even"]
    fitting = [one for one in layers if one.settings.get("side", BOTH) in (side, BOTH)]
    if fitting:
        return next((one for one in fitting if one.id == default_layer_id), fitting[-1]), None
    layer = Layer(new_id(), _NAMES[side], "even", settings={"side": side})
    return layer, AddLayer("even", layer, len(job.stage("even").layers))


def side_of(find: Find, apart: bool) -> str:
    """The side of the layer that a find goes to. apart: lifting and lowering are kept on two layers."""
    if not apart:
        return BOTH
    return LIFTING if find.kind == "blotch_dark" else LOWERING


def even_command(job: Job, finds: Sequence[Find], default_layer_id: str = "", *, share: float = SHARE,
                 apart: bool | None = None) -> Command | None:
    """One undoable step that evens blotches, dark ones first. apart: None goes by the layers that are there.

    None if there is nothing to even.
    """
    finds = sorted(finds, key=lambda find: find.kind != "blotch_dark")
    if not finds:
        return None
    if apart is None:
        apart = any(one.settings.get("side", BOTH) != BOTH for one in job.stage("even").layers)
    commands: list[Command] = []
    for side in dict.fromkeys(side_of(find, apart) for find in finds):
        layer, make = layer_for_side(job, side, default_layer_id)
        if make is not None:
            commands.append(make)
            job = make.apply(job)
        own = tuple(even_stroke(find, share) for find in finds if side_of(find, apart) == side)
        commands.append(AddEdits("even", layer.id, own))
    if len(commands) == 1:
        return commands[0]
    return Together("even" if len(finds) == 1 else f"even {len(finds)} blotches", tuple(commands))
