"""lather plan PHOTO"""

import argparse
import json
import sys
from contextlib import closing

from lather.cli.arguments import number, whole
from lather.cli.delivery import add_delivery_arguments, delivery_of
from lather.core.errors import LatherError, RequestError
from lather.core.find.finder import look_at
from lather.core.job.agreements import AGREEMENTS
from lather.core.job.brief import clock_text, money
from lather.core.job.commands import SetBrief
from lather.core.job.limits import job_kind_named, job_kinds
from lather.core.measure.photo_facts import meanings, photo_facts
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.plan.minutes import Speeds, shipped_speeds
from lather.core.plan.plan import Plan
from lather.core.plan.plan_of_session import plan_of
from lather.core.plan.routes import ROUTES, route_named
from lather.core.record.logbook import Logbook
from lather.core.record.own_speed import LATEST_JOBS, own_speeds
from lather.core.record.which import Which
from lather.core.session import Session
from lather.core.warmup import tell_on_terminal


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("photo", help="photo, or a job, whose sheet is then gone by")
    parser.add_argument("--brief", help="kind of job: " + ", ".join(job_kinds()))
    parser.add_argument("--route", help="way to even skin: " + ", ".join(ROUTES))
    parser.add_argument("--rate", type=number(0, 100_000), help="asked an hour")
    parser.add_argument("--currency", help="of the rate, for instance EUR")
    parser.add_argument("--minutes", type=number(0, 100_000), help="minutes allowed")
    parser.add_argument("--price", type=number(0, 10_000_000), help="agreed for the job")
    parser.add_argument("--agreed", action="append", default=[], metavar="WHAT=ANSWER",
                        help="for instance lasting_marks=go, scars=stay, reshaping=yes")
    parser.add_argument("--shipped", action="store_true", help="go by shipped speeds, not by the logbook's")
    parser.add_argument("--most", type=whole(0, 1000), default=5, help="how many things to leave out are listed")
    parser.add_argument("--json", action="store_true", help="machine-readable")
    add_delivery_arguments(parser)


def known_speeds(*, shipped: bool = False) -> Speeds:
    """Own speeds where the logbook tells them; shipped ones otherwise."""
    if shipped:
        return shipped_speeds()
    try:
        with closing(Logbook()) as book:
            return own_speeds(book.entries(Which(latest=LATEST_JOBS)))
    except LatherError as error:  # a plan does not fail for a logbook
        print(f"lather: {error.message} The plan goes by shipped speeds.", file=sys.stderr)
        return shipped_speeds()


def _take_sheet(session: Session, arguments: argparse.Namespace) -> None:
    """What the flags say, over the job's own sheet. Raises RequestError."""
    values: dict = {}
    if arguments.brief is not None:
        values["kind"] = job_kind_named(arguments.brief)
    if arguments.route is not None:
        values["route"] = route_named(arguments.route).id
    for key, said in (("rate_cents", arguments.rate), ("price_cents", arguments.price)):
        if said is not None:
            values[key] = round(100 * said)
    if arguments.currency is not None:
        values["currency"] = arguments.currency[:8]
    if arguments.minutes is not None:
        values["minutes_allowed"] = arguments.minutes
    if arguments.delivered_px is not None or arguments.print_mm is not None:
        values["delivery"] = delivery_of(arguments).to_json()
        values["outputs"] = []
    agreed = dict(session.job.brief.get("agreed") or {})
    for said in arguments.agreed:
        what, _, answer = said.partition("=")
        if what not in AGREEMENTS or answer not in AGREEMENTS[what].answers:
            known = "; ".join(f"{one.id}={'|'.join(one.answers)}" for one in AGREEMENTS.values())
            raise RequestError(f"“{said[:60]}” is no agreement; choose from {known}.")
        agreed[what] = answer
    if agreed:
        values["agreed"] = agreed
    for key, value in values.items():
        session.history.do(SetBrief(key, value))


def run(arguments: argparse.Namespace) -> int:
    session = Session.open(arguments.photo)
    tell_on_terminal()
    _take_sheet(session, arguments)
    measures = PhotoMeasures.of_job(session.photo, session.job)
    if session.job.finds is None:
        session.history.amend(look_at(session.photo, measures=measures).command)
    facts = photo_facts(measures)
    plan = plan_of(session.job, facts, known_speeds(shipped=arguments.shipped))
    if arguments.json:
        print(json.dumps({"photo": facts.to_json()} | plan.to_json(), indent=1, ensure_ascii=False))
        return 0
    for what, value, means in meanings(facts):
        print(f"{what:14} {value:22} {means}")
    print(f"\n{plan.shown} of {plan.found} finds will show ({plan.least_px:.1f} px and larger"
          f"{f', in {plan.delivery}' if plan.delivery else ''}); "
          + (f"own speeds from {plan.speed_jobs} jobs" if plan.speed_jobs else "shipped speeds"))
    _print_plan(plan, arguments.most)
    return 0


def _print_plan(plan: Plan, most: int) -> None:
    for row in plan.rows:
        mark = "do  " if row.do else "    "
        cost = money(row.cost_cents) if row.do and plan.rate_cents else "–"
        print(f"{mark}{row.label:10} {row.what[:44]:44} {row.start_with:26} {row.finds or '–':>5} "
              f"{clock_text(row.seconds) if row.do else '–':>8} {cost:>9}")
    total = f"{money(plan.cost_cents, plan.currency)}" if plan.rate_cents else "no rate set"
    allowed = f" of {clock_text(plan.allowed_seconds)}" if plan.allowed_seconds is not None else ""
    print(f"    {'together':88} {clock_text(plan.seconds) + allowed:>8} {total:>9}")
    if plan.missing_seconds:
        print(f"{clock_text(plan.missing_seconds)} too much. Leave out:")
    elif plan.leave_out:
        print("If time gets short, leave out first:")
    for number_, one in enumerate(plan.leave_out[: max(most, plan.needed)]):
        sign = "−" if number_ < plan.needed or not plan.missing_seconds else " "
        print(f"  {sign} {one.what}: {clock_text(one.seconds)}, seen {one.visibility:.0f}")
