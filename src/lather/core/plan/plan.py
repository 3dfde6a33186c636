"""The plan of a job: for each stage what to do and why, starting values, minutes and cost; what to leave out first.

Seconds and hundredths of money are whole numbers, and every sum is the sum of what is shown.
"""

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace

from lather.core.find.visibility import Delivery, judged
from lather.core.job.agreements import AGREEMENTS, agreed, state_by_agreement
from lather.core.job.brief import JobSheet
from lather.core.job.finds import Find
from lather.core.job.outputs import USUAL, OutputSpec
from lather.core.kinds.registry import kind_of, stage_of_kind
from lather.core.measure.photo_facts import PhotoFacts
from lather.core.phrases import phrase
from lather.core.plan.leave_out import STEP_S, Leavable, in_order, least_seen
from lather.core.plan.minutes import Speeds, shipped_speeds
from lather.core.plan.routes import Route, route_of
from lather.core.stages.info import StageInfo
from lather.core.stages.planned import Planned, PlanSeen
from lather.core.stages.registry import STAGES

AROUND = "around"
"""The row for brief, review and delivery."""
_MM_PER_INCH = 25.4
_SMALL, _LARGE = 0.1, 0.9  # of the finds' sizes: what the brush sizes are proposed for


@dataclass(frozen=True)
class PlanRow:
    """One stage of the plan. finds: those that will show. area: gone over, in squares of the face's width. overridden:
    names of what the person wrote over it; proposed: the row without that.
    """

    stage_id: str
    label: str
    do: bool
    what: str
    start_with: str
    values: dict
    finds: int
    seconds: int
    cost_cents: int
    area: float = 0.0
    own_speed: bool = False
    overridden: tuple[str, ...] = ()
    start: tuple[str, float, str] | None = None
    proposed: "PlanRow | None" = None

    @property
    def minutes(self) -> float:
        """To a tenth."""
        return round(self.seconds / 60, 1)

    def to_json(self) -> dict:
        """As `lather plan --json` prints it."""
        return {
            "id": self.stage_id, "do": self.do, "why": self.what, "finds": self.finds, "minutes": self.minutes,
            "cost": self.cost_cents / 100, "values": dict(self.values), "start_with": self.start_with,
            "seconds": self.seconds, "overridden": list(self.overridden), "own_speed": self.own_speed,
        }


@dataclass(frozen=True)
class Plan:
    """rows: the ten stages, then what lies around them. shown, found: finds that will show, of all that were found.

    leave_out: the least seen per minute first; the first `needed` of them are those to be left out, chosen so that the
    time reaches and the least is lost. least_px: source pixels under which nothing is seen.
    """

    rows: tuple[PlanRow, ...]
    shown: int
    found: int
    allowed_seconds: int | None
    rate_cents: int | None
    currency: str
    leave_out: tuple[Leavable, ...] = ()
    needed: int = 0
    least_px: float = 0.0
    delivery: str = ""
    speed_jobs: int = 0

    @property
    def seconds(self) -> int:
        """Of all rows."""
        return sum(row.seconds for row in self.rows)

    @property
    def cost_cents(self) -> int:
        """Of all rows, in hundredths of the currency."""
        return sum(row.cost_cents for row in self.rows)

    @property
    def missing_seconds(self) -> int:
        """What the plan takes beyond what is allowed."""
        return 0 if self.allowed_seconds is None else max(0, self.seconds - self.allowed_seconds)

    def row(self, stage_id: str) -> PlanRow:
        """The row of a stage. Raises StopIteration where it has none."""
        return next(row for row in self.rows if row.stage_id == stage_id)

    def to_json(self) -> dict:
        """As `lather plan --json` prints it."""
        return {
            "stages": [row.to_json() for row in self.rows],
            "minutes": round(self.seconds / 60, 1), "seconds": self.seconds, "cost": self.cost_cents / 100,
            "currency": self.currency,
            "allowed_minutes": None if self.allowed_seconds is None else round(self.allowed_seconds / 60, 1),
            "finds_shown": self.shown, "finds": self.found, "least_px": round(self.least_px, 1),
            "delivery": self.delivery, "own_speed_jobs": self.speed_jobs,
            "leave_out": [
                {"what": one.what, "stage": one.stage_id, "minutes": round(one.seconds / 60, 1),
                 "visibility": round(one.visibility, 1), "finds": one.finds, "needed": number < self.needed}
                for number, one in enumerate(self.leave_out)
            ],
        }


@dataclass(frozen=True)
class PlanInput:
    """What a plan is made from. brief: the job sheet as it is kept."""

    brief: dict
    finds: Sequence[Find]
    facts: PhotoFacts
    decisions: dict = field(default_factory=dict)
    speeds: Speeds = field(default_factory=shipped_speeds)


def delivery_of(spec: OutputSpec, width: int, height: int) -> Delivery:
    """How an output will be seen."""
    size = max(spec.size_px(width, height))
    if not spec.is_print:
        return Delivery("screen", size)
    return Delivery("print", None, size / spec.ppi * _MM_PER_INCH, 10 * spec.distance_cm)


def largest_delivery(brief: dict, width: int, height: int) -> tuple[Delivery, str]:
    """The output in which the smallest flaw shows, and its name; without outputs what the sheet says otherwise."""
    specs = [spec for spec in JobSheet.of(brief).outputs if spec.on]
    if not specs:
        held = brief.get("delivery")
        return (Delivery.from_json(held), "") if held else (delivery_of(USUAL[0], width, height), "")
    long_edge = max(width, height)
    chosen = min(specs, key=lambda spec: delivery_of(spec, width, height).least_px(long_edge))
    return delivery_of(chosen, width, height), chosen.name


def make_plan(given: PlanInput) -> Plan:
    """The plan, with what the person wrote over it."""
    sheet, facts = JobSheet.of(given.brief), given.facts
    route = route_of(sheet.route)
    delivery, name = largest_delivery(given.brief, facts.width, facts.height)
    finds = judged(given.finds, delivery, facts.long_edge)
    wanted = [find for find in finds if find.worth and _is_wanted(find, given)]
    by_stage: dict[str, list[Find]] = {info.id: [] for info in STAGES}
    for find in wanted:
        stage = stage_of_kind(find.kind)
        by_stage.setdefault(route.blotches_in if stage == "even" else stage, []).append(find)
    rows, items = [], []
    for info in STAGES:
        own = by_stage[info.id]
        planned = _planned(info, route, own, given)
        row = _overridden(_row(info, planned, own, given.speeds, sheet), sheet, planned)
        rows.append(row)
        items += _leavables(row, planned, own, given.speeds)
    rows.append(_around(given.speeds, sheet))
    allowed = None if sheet.minutes_allowed is None else round(60 * sheet.minutes_allowed)
    missing = 0 if allowed is None else max(0, sum(row.seconds for row in rows) - allowed)
    needed = least_seen(items, missing)
    rest = [one for one in in_order(items) if one not in needed]
    return Plan(tuple(rows), len(wanted), sum(_is_wanted(find, given) for find in finds), allowed, sheet.rate_cents,
                sheet.currency, (*needed, *rest), len(needed), delivery.least_px(facts.long_edge), name,
                given.speeds.jobs)


def _is_wanted(find: Find, given: PlanInput) -> bool:
    """True for finds that are to be mended, or were: of those that are listed."""
    if not find.listed:
        return False
    said = given.decisions.get(find.id)
    if said is not None:
        return said == "mend"
    return state_by_agreement(given.brief, find.kind, find.keeper) == "open"


def _planned(info: StageInfo, route: Route, finds: list[Find], given: PlanInput) -> Planned:
    if info.id not in route.stages:
        return Planned(False, phrase("not on the %1 route", route.label))
    sizes = sorted(find.width_px or find.size_px for find in finds)
    brief, facts = given.brief, given.facts
    return info.planned(PlanSeen(
        facts.feature_px, facts.face_px is not None, facts.skin_faces, Counter(find.kind for find in finds),
        (sizes[int(_SMALL * (len(sizes) - 1))], sizes[int(_LARGE * (len(sizes) - 1))]) if sizes else None,
        facts.split_px, facts.grain, facts.clipped_percent, facts.light_from, facts.uneven,
        JobSheet.of(brief).kind, route.stages[info.id], {name: agreed(brief, name) for name in AGREEMENTS},
        facts.teeth_seen,
    ))


def in_steps(seconds: float) -> int:
    """Whole steps of a tenth of a minute: minutes with one decimal are exact."""
    return STEP_S * round(seconds / STEP_S)


def cost_cents(seconds: int, rate_cents: int | None) -> int:
    """Rounded half up to a hundredth; 0 where no rate was set."""
    return (2 * seconds * (rate_cents or 0) + 3600) // 7200


def _row(info: StageInfo, planned: Planned, finds: list[Find], speeds: Speeds, sheet: JobSheet) -> PlanRow:
    per_find = sum(speeds.of_find(find.kind) for find in finds)
    seconds = in_steps(per_find + planned.area * speeds.of_area(info.id)) if planned.do else 0
    own = {*(find.kind for find in finds), *([info.id] if planned.area else [])}
    return PlanRow(info.id, info.label, planned.do, planned.what, planned.start_with, dict(planned.values),
                   len(finds) if planned.do else 0, seconds, cost_cents(seconds, sheet.rate_cents),
                   planned.area if planned.do else 0.0, bool(own & speeds.own) and planned.do, start=planned.start)


def _overridden(row: PlanRow, sheet: JobSheet, planned: Planned) -> PlanRow:
    """The row with what the person wrote over it; the proposal is kept beside it."""
    said = sheet.overrides.get(row.stage_id, {})
    changes, names = {}, []
    if isinstance(said.get("do"), bool) and said["do"] != row.do:
        changes["do"] = said["do"]
        names.append("do")
        if not said["do"]:
            changes |= {"finds": 0, "seconds": 0, "area": 0.0}
    minutes = said.get("minutes")
    if isinstance(minutes, int | float) and 0 <= minutes <= 100_000 and changes.get("do", row.do):
        changes["seconds"] = in_steps(60 * minutes)
        names.append("minutes")
    start = sheet.start(row.stage_id)
    if start is not None and row.start is not None:
        name, _, unit = row.start
        changes |= {"start": (name, start, unit), "values": row.values | {name: start},
                    "start_with": f"{start:g} {unit}"}
        names.append("start")
    if not names:
        return row
    changed = replace(row, **changes, overridden=tuple(names), proposed=row)
    return replace(changed, cost_cents=cost_cents(changed.seconds, sheet.rate_cents))


def _around(speeds: Speeds, sheet: JobSheet) -> PlanRow:
    seconds = in_steps(speeds.around)
    return PlanRow(AROUND, "Around it", True, "brief, review, delivery", "–", {}, 0, seconds,
                   cost_cents(seconds, sheet.rate_cents), own_speed="around" in speeds.own)


def _leavables(row: PlanRow, planned: Planned, finds: Iterable[Find], speeds: Speeds) -> list[Leavable]:
    """What of a stage could be left out: its finds by kind and zone, and what it goes over as a whole.

    They share the seconds of the row between them, so that leaving all out frees just what the row takes.
    """
    if not row.do or not row.seconds:
        return []
    groups: dict[tuple[str, str], list[Find]] = {}
    for find in finds:
        groups.setdefault((find.kind, find.zone), []).append(find)
    parts = [
        (Leavable(_group_name(kind, zone, len(held)), row.stage_id, 0,
                  sum(find.visibility for find in held), kind, zone, len(held)),
         sum(speeds.of_find(find.kind) for find in held))
        for (kind, zone), held in groups.items()
    ]
    area = planned.area * speeds.of_area(row.stage_id)
    if area > 0 or not parts:
        what = phrase("%1 over the rest", row.label) if parts else f"{row.label}: {row.what}"
        parts.append((Leavable(what, row.stage_id, 0, planned.weight), area or 1.0))
    return [replace(one, seconds=seconds) for (one, _), seconds in
            zip(parts, _shared([share for _, share in parts], row.seconds))]


def _shared(shares: list[float], seconds: int) -> list[int]:
    """Whole steps that add up to `seconds`, by largest remainder."""
    steps, total = seconds // STEP_S, sum(shares) or 1.0
    exact = [steps * share / total for share in shares]
    whole = [int(value) for value in exact]
    rest = sorted(range(len(shares)), key=lambda n: whole[n] - exact[n])
    for n in rest[: steps - sum(whole)]:
        whole[n] += 1
    return [STEP_S * value for value in whole]


def _group_name(kind: str, zone: str, count: int) -> str:
    label = kind_of(kind).label.lower()
    where = f", {zone.replace('_', ' ')}" if zone else ""
    return f"{count} × {label}{where}"
