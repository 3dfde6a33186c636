"""The first pass without anybody's hand, and the verdict on it: what was done, left and dropped, and what is over."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from lather.core.engine.engine import Engine
from lather.core.find.finder import look_at
from lather.core.find.lines.stray_hairs import chosen_hairs
from lather.core.find.no_flaw import reason
from lather.core.find.visibility import Delivery
from lather.core.gauges import contours_kept
from lather.core.gauges.against_limits import JudgedGauge, judged_gauges
from lather.core.gauges.pull_back import FEW_TILES, Step, acting_layers, over_limit
from lather.core.gauges.registry import measure_one, measured_whole, pictures_of
from lather.core.job.commands import RemoveEdits, SetBrief, SetLayer, Together
from lather.core.job.finds import Find
from lather.core.job.history import History
from lather.core.job.model import Job, Layer, Stroke
from lather.core.kinds.registry import kind_of, stage_of_kind
from lather.core.log import timed
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.colour_settings import automatic_whitening
from lather.core.mending.culprits import way_back
from lather.core.mending.edit_for_find import can_mend, mend_all
from lather.core.mending.evening_by_route import crisp_command, evening_command
from lather.core.mending.judged import Refused
from lather.core.phrases import joined, phrase
from lather.core.stages.registry import STAGES

ROUTES = ("light", "bands", "sweep", "veil", "mend")
_MOST_DROPPED, _ROUNDS = 40, 4


@dataclass
class Verdict:
    """found: what was looked at. mended: {stage: how many}. refused: finds without an edit, and why. pulled: strengths
    turned down, as text. over: gauges out of their limits at the end; before: those that were so in the photo.
    """

    found: int = 0
    mended: dict[str, int] = field(default_factory=dict)
    evened: int = 0
    calmed: int = 0
    whitened: list[str] = field(default_factory=list)
    by_itself: set[str] = field(default_factory=set)
    kept: int = 0
    will_not_show: int = 0
    to_look_at: Counter = field(default_factory=Counter)
    left_alone: Counter = field(default_factory=Counter)
    refused: list[Refused] = field(default_factory=list)
    pulled: list[str] = field(default_factory=list)
    over: list[JudgedGauge] = field(default_factory=list)
    before: list[JudgedGauge] = field(default_factory=list)
    gauges: dict[str, JudgedGauge] = field(default_factory=dict)

    def to_json(self) -> dict:
        """As `lather auto --json` prints it."""
        return {
            "finds": self.found,
            "mended": self.mended.get("mend", 0) + self.mended.get("strands", 0),
            "strands": self.mended.get("strands", 0),
            "evened": self.evened,
            "calmed": self.calmed,
            "whitened": self.whitened,
            "grain": "grain" in self.by_itself,
            "kept": self.kept,
            "will_not_show": self.will_not_show,
            "to_look_at": dict(self.to_look_at),
            "left_alone": dict(self.left_alone),
            "dropped": [one.to_json() for one in self.refused],
            "pulled_back": self.pulled,
            "over": {one.gauge.id: one.to_json() for one in self.over},
            "over_in_the_photo": [one.gauge.id for one in self.before],
            "gauges": {name: one.to_json() for name, one in self.gauges.items()},
        }

    def lines(self) -> list[str]:
        """The same in words, a line each; without what there is nothing to say of."""
        told = []
        if self.to_look_at:
            told.append("look yourself: " + _counted(self.to_look_at, lambda kind: kind_of(kind).label.lower()))
        if self.left_alone:
            told.append("left alone: " + _counted(self.left_alone, str))
        if self.refused:
            told.append("dropped: " + _counted(Counter(one.why for one in self.refused), str))
        if self.pulled:
            told.append("pulled back: " + ", ".join(self.pulled))
        told += [f"over: {one.gauge.label} {one.text}, allowed {one.band_text}" for one in self.over]
        told += [f"over in the photo already: {one.gauge.label} {one.text}" for one in self.before]
        return told or ["every gauge is inside its limits"]


def _counted(counts: Counter, name) -> str:
    return ", ".join(f"{n} {name(what)}" for what, n in counts.most_common())


@timed("first pass", lambda verdict: f"{len(verdict.refused)} dropped, {len(verdict.over)} over")
def first_pass(
    engine: Engine, history: History, *, delivery: Delivery | None = None, route: str = ROUTES[0],
    soft_share: float = 0.0, over: bool = False,
) -> Verdict:
    """Find, mend what is sure, clear, calm, even and match grain; then judged, and pulled back until inside its limits.

    over: leave gauges over their limits as they are. soft_share: of the finest stray hairs that stay. Raises as its
    parts do.
    """
    measures = PhotoMeasures.of_job(engine.photo, history.job)
    found = look_at(engine.photo, measures=measures, delivery=delivery)
    history.amend(found.command)
    job = history.job
    verdict = Verdict(found=len(found.finds), left_alone=Counter(reason(find) for find in found.left_alone))
    open_ = [f for f in found.finds if f.worth and job.find_state(f) == "open"]
    sure = [f for f in open_ if f.sure or stage_of_kind(f.kind) == "even"]
    verdict.to_look_at = Counter(f.kind for f in open_ if not f.sure and stage_of_kind(f.kind) != "even")
    _mend(engine, history, sure, soft_share, verdict)
    if route != "mend":
        _colour(engine, history, sure, verdict)
        _even(engine, history, measures, route, sum(stage_of_kind(f.kind) == "even" for f in open_), verdict)
    for info in STAGES:
        command = info.automatic(history.job, measures) if info.automatic else None
        if command is not None:
            history.do(command)
            verdict.by_itself.add(info.id)
    verdict.kept = sum(history.job.find_state(f) == "keep" for f in found.finds)
    verdict.will_not_show = sum(not f.worth for f in found.finds)
    judge(engine, history, measures, verdict, pull=not over)
    return verdict


def _mend(engine: Engine, history: History, sure: Sequence[Find], soft_share: float, verdict: Verdict) -> None:
    flaws = [f for f in sure if stage_of_kind(f.kind) == "mend"]
    hairs = chosen_hairs(sure, soft_share=soft_share)
    for stage_id, chosen in (("mend", flaws), ("strands", hairs)):
        layers = history.job.stage(stage_id).layers
        command, verdict.mended[stage_id] = mend_all(engine, history.job, chosen, layers[0].id if layers else "",
                                                     stage_id=stage_id, refuse=verdict.refused.append)
        if command is not None:
            history.do(command)


def _colour(engine: Engine, history: History, sure: Sequence[Find], verdict: Verdict) -> None:
    """Redness calmed and shine taken down as far as the kind of job allows, eye whites and teeth whitened at part
    strength.
    """
    finds = [f for f in sure if stage_of_kind(f.kind) == "colour" and can_mend(f)]
    command, verdict.calmed = mend_all(engine, history.job, finds, "", stage_id="colour", refuse=verdict.refused.append)
    if command is not None:
        history.do(command)
    layers = automatic_whitening(engine, history.job)
    if layers:
        history.do(Together("whiten", tuple(layers)))
    verdict.whitened = [layer.layer.settings["part"] for layer in layers]


def _even(engine: Engine, history: History, measures: PhotoMeasures, route: str, blotches: int, verdict: Verdict
          ) -> None:
    history.do(SetBrief("route", route))
    evening = evening_command(engine, history.job, measures, route)
    sharpening = crisp_command(engine, history.job, measures) if route in ("bands", "veil") else None
    for command in (evening, sharpening):
        if command is not None:
            history.do(command)
    verdict.evened = blotches if evening is not None else 0


def judge(engine: Engine, history: History, measures: PhotoMeasures, verdict: Verdict, *, pull: bool = True) -> None:
    """Gauges of the job as it is; edits that took a contour are dropped, and strengths turned down until all are
    inside: as steps of the history. The verdict tells what was done, and what is still over.
    """
    job_kind = history.job.brief.get("kind")
    if pull:
        _drop_what_took_a_contour(engine, history, measures, verdict)
    values = measured_whole(engine, history.job, measures, most_tiles=FEW_TILES)
    out = over_limit(values, job_kind)
    if out:
        untouched = measured_whole(engine, _untouched(history.job), measures, most_tiles=FEW_TILES)
        own = {one.gauge.id for one in over_limit(untouched, job_kind)}
        if pull and any(one.gauge.id not in own for one in out):
            offer = way_back(engine, history.job, measures, values, job_kind,
                             only=[one.gauge.id for one in out if one.gauge.id not in own])
            if offer.command is not None:
                history.do(offer.command)
                verdict.pulled = [str(line) for line in offer.lines()]
                values = measured_whole(engine, history.job, measures, most_tiles=FEW_TILES)
                out = over_limit(values, job_kind)
            for one in out:
                if one.gauge.id not in own and not _inside(engine, history.job, measures, one.gauge.id):
                    _without_layers(engine, history, measures, one.gauge.id, verdict)
                    values = measured_whole(engine, history.job, measures, most_tiles=FEW_TILES)
            out = over_limit(values, job_kind)
        verdict.before = [one for one in out if one.gauge.id in own]
        verdict.over = [one for one in out if one.gauge.id not in own]
    verdict.gauges = judged_gauges(values, job_kind)


def _without_layers(engine: Engine, history: History, measures: PhotoMeasures, gauge: str, verdict: Verdict) -> None:
    """What no strength brings inside: the topmost layer without which the gauge is, is turned to nothing; where no one
    layer does it, as few as do.
    """
    acting = [(stage_id, layer) for stage_id, layer in reversed(acting_layers(history.job))]
    chosen = next(([one] for one in acting if _inside(engine, _turned_off(history.job, [one]), measures, gauge)), None)
    if chosen is None:
        chosen = next((acting[: n + 1] for n in range(len(acting))
                       if _inside(engine, _turned_off(history.job, acting[: n + 1]), measures, gauge)), acting)
    for one in chosen if len(chosen) > 1 else ():
        rest = [other for other in chosen if other is not one]
        if rest and _inside(engine, _turned_off(history.job, rest), measures, gauge):
            chosen = rest
    for stage_id, layer in chosen:
        verdict.pulled.append(Step(stage_id, layer.id, layer.name, layer.strength, 0.0).text())
    steps = tuple(SetLayer(stage_id, layer.id, "strength", 0.0) for stage_id, layer in chosen)
    history.do(Together("pull back", steps))


def _turned_off(job: Job, layers: Sequence[tuple[str, Layer]]) -> Job:
    for stage_id, layer in layers:
        job = SetLayer(stage_id, layer.id, "strength", 0.0).apply(job)
    return job


def _inside(engine: Engine, job: Job, measures: PhotoMeasures, gauge: str) -> bool:
    value = measure_one(engine, job, gauge, pictures_of(engine, job, measures, most_tiles=FEW_TILES))
    return judged_gauges({gauge: value}, job.brief.get("kind"))[gauge].within is not False


def _untouched(job: Job) -> Job:
    """The job with nothing done to the photo."""
    return replace(job, stages=tuple(replace(stage, layers=()) for stage in job.stages))


def _drop_what_took_a_contour(engine: Engine, history: History, measures: PhotoMeasures, verdict: Verdict) -> None:
    """Mends and hairs that, together, cost a contour more than its limit: those that reach its worst stretch go."""
    limit = judged_gauges({}, history.job.brief.get("kind"))["contours_kept"].low / 100
    for _ in range(_ROUNDS):
        pictures = pictures_of(engine, history.job, measures, most_tiles=FEW_TILES)
        lost = [one for one in contours_kept.stretches(pictures) if one.kept < limit]
        taken = _edits_at(history.job, [(one.x, one.y) for one in lost])
        if not taken or len(verdict.refused) > _MOST_DROPPED:
            return
        by_id = {find.id: find for find in history.job.finds or ()}
        history.do(Together("leave contours", tuple(
            RemoveEdits(stage_id, layer_id, (edit.id,)) for stage_id, layer_id, edit in taken)))
        for stage_id, _, edit in taken:
            find = by_id.get(edit.find)
            if find is None:
                continue
            names = dict.fromkeys(one.label for one in lost if _reaches(edit, (one.x, one.y)))
            verdict.refused.append(Refused(find, phrase("it took a contour: %1", joined(names, ", "))))
            if stage_id == "colour":
                verdict.calmed -= 1
            else:
                verdict.mended[stage_id] -= 1


def _edits_at(job: Job, places: Sequence[tuple[float, float]]) -> list[tuple[str, str, Stroke]]:
    """(stage, layer, edit) of the edits made for a find that reach one of some places."""
    found = []
    for stage_id in ("mend", "strands", "colour"):
        for layer in job.stage(stage_id).layers:
            for edit in layer.edits:
                if edit.find and any(_reaches(edit, place) for place in places):
                    found.append((stage_id, layer.id, edit))
    return found


def _reaches(edit: Stroke, place: tuple[float, float]) -> bool:
    x, y = place
    box = edit.bounds
    return box.x0 <= x < box.x1 and box.y0 <= y < box.y1
