"""Pull back: for gauges over their limits, which layers cause it, and the strengths that bring them just inside.

A layer's share in a gauge is told by taking the layer away from the job as it is: once another has been turned down,
what is left is so little that any layer could seem to be all of it. Strengths of those layers, and no others, are then
sought by false position on whole per cents: most gauges are nearly straight in the strength of a layer, so that a few
measurements are enough.
"""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from lather.core.engine.engine import Engine
from lather.core.gauges.against_limits import JudgedGauge, judged_gauges
from lather.core.gauges.compared import Compared
from lather.core.gauges.registry import GAUGES, measure_one, pictures_of
from lather.core.job.commands import Command, RemoveEdits, ReplaceEdit, SetLayer, Together
from lather.core.job.model import Job, Layer, Stroke, acts_by_itself
from lather.core.log import timed
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.phrases import joined, phrase

FEW_TILES = 12
"""Places at which fine bands are read while somebody waits; a check of an offer reads as many."""
_COUNTS = 0.04  # of how far a gauge is out, that a layer must take back to count as a cause
_TRIES = 5
_ROUNDS = 3
_MOST_CAUSES = 4
HIDING, _MOST_WEAKER = ("mend", "strands"), 0.3
"""Stages whose layers hide flaws; the most that is taken off the strength of one: below, all that it hid shows again,
which is worth more than what any gauge is over by.
"""
_HELD_PICTURES = 4  # of jobs with other strengths; what was measured of them is kept


@dataclass(frozen=True)
class Cause:
    """A layer and its share (0-1) in what a gauge is out by."""

    stage_id: str
    layer_id: str
    name: str
    share: float


@dataclass(frozen=True)
class Step:
    """A strength turned down. mends: edits that become weaker with it and are to hide something."""

    stage_id: str
    layer_id: str
    name: str
    before: float
    after: float
    mends: int = 0

    def text(self) -> str:
        """The layer, its strength before and after, in %, and what becomes weaker with it."""
        text = phrase("%1 %2 → %3 %", self.name, f"{100 * self.before:.0f}", f"{100 * self.after:.0f}")
        return text if not self.mends else phrase("%1 (%n mends weaker)", text, n=self.mends, one="%1 (%n mend weaker)")


@dataclass(frozen=True)
class EditStep:
    """One edit changed, or taken out (edit None). name: of its layer. what: in a few words. gauge: for which."""

    stage_id: str
    layer_id: str
    name: str
    edit_id: str
    edit: Stroke | None
    what: str
    gauge: str

    @property
    def command(self) -> Command:
        """That does it."""
        if self.edit is None:
            return RemoveEdits(self.stage_id, self.layer_id, (self.edit_id,))
        return ReplaceEdit(self.stage_id, self.layer_id, self.edit)


@dataclass(frozen=True)
class Offer:
    """What would bring gauges back. causes: {gauge: layers, the most to blame first}. steps: one for each layer that is
    turned down. edits: single edits that are changed instead (`mending.culprits`).

    helped: gauges that lie inside with them; beyond: those that no strength brings inside, with the reason in words.
    values: every gauge that was out, as it would be. command: the steps as one undoable step; None where there is none.
    """

    causes: Mapping[str, tuple[Cause, ...]] = field(default_factory=dict)
    steps: tuple[Step, ...] = ()
    helped: tuple[str, ...] = ()
    beyond: Mapping[str, str] = field(default_factory=dict)
    values: Mapping[str, float | None] = field(default_factory=dict)
    edits: tuple[EditStep, ...] = ()

    @property
    def command(self) -> Command | None:
        """All steps as one that can be undone; None where there is none."""
        if not self.steps and not self.edits:
            return None
        turned_down = (SetLayer(s.stage_id, s.layer_id, "strength", s.after) for s in self.steps)
        return Together("pull back", (*(one.command for one in self.edits), *turned_down))

    def lines(self) -> list[str]:
        """What it does, and what is lost by it, a line each."""
        told, alike = [], Counter((one.name, one.what, one.stage_id == "mend") for one in self.edits)
        for (name, what, mends), times in alike.items():
            told.append(phrase("%1: %n mends %2", name, what, n=times, one="%1: %n mend %2") if mends else
                        phrase("%1: %n edits %2", name, what, n=times, one="%1: %n edit %2"))
        return told + [one.text() for one in self.steps]


def over_limit(values: Mapping[str, float | None], job_kind: str | None) -> list[JudgedGauge]:
    """Gauges out of their bands, the furthest out first."""
    out = [one for one in judged_gauges(values, job_kind).values() if one.within is False]
    return sorted(out, key=out_by, reverse=True)


def out_by(one: JudgedGauge, value: float | None = None) -> float:
    """How far a value lies outside its band, in widths of the band."""
    value = one.value if value is None else value
    width = max(one.high - one.low, 1e-3 * max(1.0, abs(one.high)))
    return max(0.0, one.low - value, value - one.high) / width


class _Judge:
    """Measures one gauge of a job with other strengths; what was measured once is kept."""

    def __init__(self, engine: Engine, measures: PhotoMeasures, job_kind: str | None, go_on: Callable[[], bool]):
        self._engine, self._measures, self._kind, self._go_on = engine, measures, job_kind, go_on
        self._held: dict = {}
        self._pictures: dict[tuple, Compared] = {}

    def one(self, name: str, job: Job) -> JudgedGauge:
        key = (name, _strengths(job))
        if key not in self._held:
            if not self._go_on():
                raise InterruptedError
            state = key[1]
            if state not in self._pictures:
                while len(self._pictures) >= _HELD_PICTURES:
                    del self._pictures[next(iter(self._pictures))]
                self._pictures[state] = pictures_of(self._engine, job, self._measures, most_tiles=FEW_TILES)
            value = measure_one(self._engine, job, name, self._pictures[state])
            self._held[key] = judged_gauges({name: value}, self._kind)[name]
        return self._held[key]


def _strengths(job: Job) -> tuple:
    """Tells jobs apart that differ in strengths alone."""
    return tuple((layer.id, layer.on, layer.strength) for stage in job.stages for layer in stage.layers)


def acting_layers(job: Job) -> list[tuple[str, Layer]]:
    """Layers that do something, bottom first."""
    return [(stage.id, layer) for stage in job.stages if stage.on and stage.strength > 0 for layer in stage.layers
            if layer.on and layer.strength > 0 and (layer.edits or acts_by_itself(layer))]


@timed("pull back", lambda offer: f"{len(offer.steps)} layers")
def pull_back(
    engine: Engine, job: Job, measures: PhotoMeasures, values: Mapping[str, float | None], job_kind: str | None, *,
    only: Iterable[str] | None = None, go_on: Callable[[], bool] = lambda: True,
    tell: Callable[[str, tuple[Cause, ...]], None] = lambda name, causes: None,
) -> Offer:
    """values: gauges as they were measured. only: these gauges; without it all that are out. tell(gauge, causes) hears
    of each as soon as it is known, the one furthest out first. Empty when go_on() turns False.
    """
    wanted = [one.gauge.id for one in over_limit(values, job_kind) if only is None or one.gauge.id in set(only)]
    judge, beyond, now = _Judge(engine, measures, job_kind, go_on), {}, job
    try:
        causes = _causes(judge, wanted, job)
        for name, found in causes.items():
            tell(name, found)
        for _ in range(_ROUNDS):
            out = [name for name in wanted if name not in beyond and judge.one(name, now).within is False]
            if not out:
                break
            for name in sorted(out, key=lambda n: -out_by(judge.one(n, now))):
                if judge.one(name, now).within is not False:
                    continue
                better = _brought_inside(judge, name, now, causes[name]) if causes[name] else None
                if better is None:
                    beyond[name] = _why(causes[name], judge.one(name, now))
                else:
                    now = better
        after = {name: judge.one(name, now).value for name in wanted}
        inside = tuple(name for name in wanted if judge.one(name, now).within is not False)
    except InterruptedError:
        return Offer()
    for name in wanted:
        if name not in inside and name not in beyond:
            beyond[name] = "turning it down further would put another gauge out"
    return Offer(causes, _steps(job, now), inside, beyond, after)


def _steps(job: Job, now: Job) -> tuple[Step, ...]:
    before = {layer.id: layer for stage in job.stages for layer in stage.layers}
    return tuple(Step(stage.id, layer.id, layer.name, before[layer.id].strength, layer.strength,
                      len(layer.edits) if _hides(stage.id, layer) else 0)
                 for stage in now.stages for layer in stage.layers if layer.strength != before[layer.id].strength)


def _with(job: Job, strengths: Mapping[str, float]) -> Job:
    """The job with other strengths of some layers."""
    return replace(job, stages=tuple(
        replace(stage, layers=tuple(replace(x, strength=strengths[x.id]) if x.id in strengths else x
                                    for x in stage.layers))
        if any(x.id in strengths for x in stage.layers) else stage for stage in job.stages))


def _causes(judge: _Judge, names: Iterable[str], job: Job) -> dict[str, tuple[Cause, ...]]:
    """{gauge: layers without which it is less far out}, by how much less."""
    found: dict[str, list[Cause]] = {name: [] for name in names}
    for stage_id, layer in acting_layers(job):  # a layer at a time: its picture serves all gauges
        for name, own in found.items():
            here = out_by(judge.one(name, job))
            if here <= 0 or (GAUGES[name].stages and stage_id not in GAUGES[name].stages):
                continue
            without = judge.one(name, _with(job, {layer.id: 0.0}))
            # nothing left of it to be measured: it was all this layer's
            share = 1.0 if without.value is None else (here - out_by(without)) / here
            if share >= _COUNTS:
                own.append(Cause(stage_id, layer.id, layer.name, float(min(1.0, share))))
    return {name: tuple(sorted(own, key=lambda cause: -cause.share)[:_MOST_CAUSES]) for name, own in found.items()}


def _brought_inside(judge: _Judge, name: str, job: Job, causes: tuple[Cause, ...]) -> Job | None:
    """The job with the gauge just inside: by the one layer that loses least, else by all causes in proportion."""
    before = {layer.id: layer.strength for _, layer in acting_layers(job)}
    ways = []
    for cause in causes:
        if not before.get(cause.layer_id):  # turned down to nothing for another gauge
            continue
        least = _least_share(job, cause.layer_id)
        if judge.one(name, _with(job, {cause.layer_id: 0.0})).within is False:
            continue
        share = _largest_inside(judge, name, job, {cause.layer_id: before[cause.layer_id]})
        if share is not None and share >= least:
            ways.append((_work(job, cause.layer_id) * (1 - share), share, (cause.layer_id,)))
    if not ways:
        ids = tuple(cause.layer_id for cause in causes if before.get(cause.layer_id))
        if not ids:
            return None
        if judge.one(name, _with(job, dict.fromkeys(ids, 0.0))).within is False:
            return None
        share = _largest_inside(judge, name, job, {layer_id: before[layer_id] for layer_id in ids})
        if share is None or share < max(_least_share(job, layer_id) for layer_id in ids):
            return None
        ways.append((0.0, share, ids))
    _, share, ids = min(ways, key=lambda way: way[0])
    return _with(job, {layer_id: _percent(before[layer_id] * share) for layer_id in ids})


def _hides(stage_id: str, layer: Layer) -> bool:
    """True of a layer whose edits hide flaws: weaker, each of them shows again."""
    return stage_id in HIDING and not layer.soften


def _percent(strength: float) -> float:
    return int(100 * strength + 1e-6) / 100


def _least_share(job: Job, layer_id: str) -> float:
    """Share of its strength that a layer keeps whatever a gauge says."""
    hides = any(_hides(stage.id, layer) for stage in job.stages for layer in stage.layers if layer.id == layer_id)
    return 1 - _MOST_WEAKER if hides else 0.0


def _work(job: Job, layer_id: str) -> float:
    """How much else a layer does: what is lost by turning it down."""
    layer = next(x for stage in job.stages for x in stage.layers if x.id == layer_id)
    return 1.0 + len(layer.edits)


def _largest_inside(judge: _Judge, name: str, job: Job, full: Mapping[str, float]) -> float | None:
    """The largest share (0-1) of some layers' strengths at which a gauge lies inside; strengths in whole per cents."""
    def at(share: float) -> JudgedGauge:
        return judge.one(name, _with(job, {layer_id: _percent(s * share) for layer_id, s in full.items()}))

    top, bottom = judge.one(name, job), at(0.0)
    if bottom.within is False:
        return None
    limit = top.low if top.value < top.low else top.high
    low, high, low_value, high_value = 0.0, 1.0, bottom.value, top.value
    unit = 0.01 / max(full.values())  # a share of one per cent
    for number in range(_TRIES):
        if high - low <= 1.01 * unit:
            break
        known = low_value is not None and abs(high_value - low_value) > 1e-9
        share = low + (high - low) * float(np.clip((limit - low_value) / (high_value - low_value), 0.04, 0.96)) if (
            known and number != 2) else 0.5 * (low + high)  # halved once, where it is bent
        tried = at(share)
        if tried.within is False:
            high, high_value = share, tried.value
        else:
            low, low_value = share, tried.value
    for share in np.arange(low, high, unit)[1:3]:  # the last per cents
        if at(float(share)).within is False:
            break
        low = float(share)
    return low


def _why(causes: tuple[Cause, ...], one: JudgedGauge) -> str:
    if not causes:
        return phrase("no layer’s strength changes it; %1 may help", one.gauge.lowered_by)
    names = joined((cause.name for cause in causes), ", ")
    if any(cause.stage_id in HIDING for cause in causes):
        return phrase("turning %1 down would bring back what it hides; %2 may help", names, one.gauge.lowered_by)
    return phrase("no strength of %1 brings it inside; %2 may help", names, one.gauge.lowered_by)


