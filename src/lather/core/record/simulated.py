"""A made-up retoucher with known speeds, who works through made-up jobs event by event: for tests, and for the demo.

Nothing here looks at a clock: the events carry their own times, and go through the same `ActivityClock` as real ones.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from lather.core.job.finds import Find
from lather.core.job.outputs import OutputSpec
from lather.core.kinds.registry import stage_of_kind
from lather.core.measure.photo_facts import PhotoFacts
from lather.core.plan.minutes import Speeds, shipped_speeds
from lather.core.plan.plan import Plan, PlanInput, make_plan
from lather.core.record.clock import ActivityClock, Span

_USUAL_COUNTS = {"blemish_dark": 14, "blemish_red": 10, "blemish_bright": 6, "flake": 2, "crease": 2, "under_eye": 2,
                 "stray_hair": 12, "brow_hair": 3, "blotch_dark": 10, "blotch_bright": 7, "redness": 1, "shine": 2,
                 "mole": 3, "lens_mark": 1}
_EVENT_S = 4.0
_BREAK_EACH, _BREAK_S = 0.004, (90.0, 700.0)  # chance at an event, and how long: none of it counts


@dataclass(frozen=True)
class SimulatedJob:
    """plan: as it was before the work, by the speeds known then. spans: what the clock took of the work. mended: {kind:
    finds}. true_s: seconds of work that went in, breaks left out.
    """

    brief: dict
    finds: tuple[Find, ...]
    facts: PhotoFacts
    plan: Plan
    spans: tuple[Span, ...]
    mended: dict[str, int]
    true_s: float


class Retoucher:
    """speeds: of one who neither learns nor tires: shipped ones times a factor of their own for each kind and stage.

    learning: share by which each job is quicker than the last; noise: standard deviation of the logarithm of the time
    a job takes, and twice that of each find.
    """

    def __init__(self, seed: int, *, spread: float = 0.5, learning: float = 0.0, noise: float = 0.12):
        self._rng = np.random.default_rng(seed)
        shipped, draw = shipped_speeds(), lambda: float(np.exp(self._rng.normal(0, spread)))
        self.speeds = Speeds({kind: s * draw() for kind, s in shipped.finds.items()},
                             {stage: s * draw() for stage, s in shipped.areas.items()}, shipped.around * draw())
        self._learning, self._noise, self._jobs = learning, noise, 0

    def work(self, speeds: Speeds, brief: Mapping, scale: float = 1.0) -> SimulatedJob:
        """One job from plan to delivery. speeds: known when the plan is made. scale: of the usual number of finds."""
        facts, finds = self._facts(), self._finds(scale)
        plan = make_plan(PlanInput(dict(brief), finds, facts, speeds=speeds))
        form = float(np.exp(self._rng.normal(0, self._noise))) * (1 - self._learning) ** self._jobs
        self._jobs += 1
        clock, state = ActivityClock("brief"), _Now(0.0, 0.0)
        clock.seen(0.0)
        self._pass(clock, state, 0.4 * self.speeds.around * form)
        mended: dict[str, int] = {}
        for row in plan.rows[:-1]:
            if not row.do:
                continue
            clock.enter(row.stage_id, state.at)
            for find in finds:
                if stage_of_kind(find.kind) == row.stage_id and not find.keeper:
                    own = self.speeds.of_find(find.kind) * form * float(np.exp(self._rng.normal(0, 2 * self._noise)))
                    self._pass(clock, state, own)
                    clock.mended([find.kind], state.at)
                    mended[find.kind] = mended.get(find.kind, 0) + 1
            self._pass(clock, state, row.area * self.speeds.of_area(row.stage_id) * form)
        clock.enter("review", state.at)
        self._pass(clock, state, 0.6 * self.speeds.around * form)
        return SimulatedJob(dict(brief), finds, facts, plan, tuple(clock.take()), mended, state.worked)

    def _pass(self, clock: ActivityClock, state: "_Now", seconds: float) -> None:
        """Hands at work for so long, with breaks in between."""
        while seconds > 0:
            step = min(seconds, float(self._rng.uniform(0.5, 2.0)) * _EVENT_S)
            state.at, state.worked, seconds = state.at + step, state.worked + step, seconds - step
            clock.seen(state.at)
            if self._rng.random() < _BREAK_EACH:
                state.at += float(self._rng.uniform(*_BREAK_S))
                clock.seen(state.at)

    def _finds(self, scale: float) -> tuple[Find, ...]:
        made: list[Find] = []
        for kind, usual in _USUAL_COUNTS.items():
            for _ in range(int(self._rng.poisson(scale * usual))):
                x, y = self._rng.uniform(600, 1400, 2)
                made.append(Find(f"{kind}-{len(made)}", kind, float(x), float(y), float(self._rng.uniform(8, 40)),
                                 float(self._rng.uniform(4, 12)), 0.95, "cheek", keeper=kind == "mole"))
        return tuple(made)

    def _facts(self) -> PhotoFacts:
        area = float(self._rng.uniform(0.9, 2.4))
        return PhotoFacts(2000, 2500, 8, "sRGB", 612.0, 612.0, 1, 34.0, area, 4.8, (1.6, 1.3), 0.1, "above, left",
                          float(self._rng.uniform(0.9, 2.6)))


@dataclass
class _Now:
    at: float
    worked: float


FULL_SIZE = [OutputSpec("output-1", "Full size").to_json()]
