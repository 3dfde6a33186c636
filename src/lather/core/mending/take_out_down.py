"""Down taken out: the layer that does it, over zones that were found, or over all skin."""

from collections.abc import Callable

from lather.core.engine.engine import Engine
from lather.core.job.agreements import stays_by_agreement
from lather.core.job.commands import AddEdits, AddLayer, Command, Together
from lather.core.job.finds import Find
from lather.core.job.limits import band
from lather.core.job.model import Job, Layer, new_id
from lather.core.measure.colours import beneath
from lather.core.measure.down import Down, measure_down
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.colour_settings import outline_stroke
from lather.core.phrases import phrase
from lather.core.stages.adjust.mask import by_zones, painted
from lather.core.stages.strands.down import LEAVE, DownKind

KIND = "down"
_FEW_TILES = 6


def leave_of(job: Job) -> float:
    """Share 0-1 of down that the kind of job, and what was agreed on hair, let stay at the least."""
    return 1.0 if stays_by_agreement(job.brief, KIND) else band(job.brief.get("kind"), "down_left").low


def down_command(engine: Engine, job: Job, find: Find) -> Command:
    """One undoable step that takes the down of a find's zone out, as far as may be; all zones share a layer."""
    stroke = outline_stroke(find)
    layer = _layer_by_hand(job)
    if layer is not None:
        return AddEdits("strands", layer.id, (stroke,))
    told = find.extra.get("prominences") or measure_down(
        PhotoMeasures.of_job(engine.photo, job), beneath(engine, job, "strands"), most_tiles=_FEW_TILES).prominences
    settings = painted() | {LEAVE.id: leave_of(job)} | ({"prominences": list(told)} if told else {})
    make = _make(job, settings)
    return Together(phrase("take out down"), (make, AddEdits("strands", make.layer.id, (stroke,))))


def down_everywhere(engine: Engine, job: Job, leave: float | None = None, *, down: Down | None = None
                    ) -> AddLayer | None:
    """A layer over the skin of everybody that leaves a share 0-1; None where no down is seen. down: as measured."""
    settings = down_settings(engine, job, down=down)
    if settings is None:
        return None
    return _make(job, settings | ({} if leave is None else {LEAVE.id: float(leave)}))


def down_settings(engine: Engine, job: Job, *, down: Down | None = None,
                  go_on: Callable[[], bool] = lambda: True) -> dict | None:
    """Settings of a layer over all skin: what its hairs are like, and what has to stay; None where none are seen."""
    if down is None:
        down = measure_down(PhotoMeasures.of_job(engine.photo, job), beneath(engine, job, "strands"), go_on=go_on)
    if not any(zone.seen for zone in down.zones):
        return None
    settings = by_zones("skin") | {LEAVE.id: leave_of(job)}
    return settings | ({"prominences": list(down.prominences)} if down.prominences else {})


def _layer_by_hand(job: Job) -> Layer | None:
    """The topmost layer whose mask is painted."""
    return next((layer for layer in reversed(job.stage("strands").layers)
                 if layer.kind == DownKind.id and not layer.settings.get("zones")), None)


def _make(job: Job, settings: dict) -> AddLayer:
    stage = job.stage("strands")
    layer = Layer(new_id(), stage.free_name(DownKind.label), DownKind.id, settings=DownKind.new_settings() | settings)
    return AddLayer("strands", layer, len(stage.layers))
