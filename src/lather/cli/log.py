"""lather log"""

import argparse
import json
import sys
from dataclasses import replace
from pathlib import Path

from lather.cli.outputs import add_replace_argument, may_write, refuse_ending
from lather.core.errors import RequestError
from lather.core.imageio.atomic import write_atomically
from lather.core.job.brief import clock_text, money
from lather.core.record.demo import demo_entries
from lather.core.record.entries import LogEntry, Sums, Totals, matches, sums
from lather.core.record.logbook import Logbook, logbook_path
from lather.core.record.logbook_repair import repair
from lather.core.record.statistics import as_csv
from lather.core.record.which import Which


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--find", default="", help="words in title or client")
    parser.add_argument("--kind", default="", help="kind of job")
    parser.add_argument("--route", default="", help="route")
    parser.add_argument("--month", default="", help="for instance 2026-11")
    parser.add_argument("--demo", action="store_true", help="the made-up demo jobs instead")
    parser.add_argument("--csv", nargs="?", const="-", metavar="FILE", help="as CSV, to a file or to the terminal")
    parser.add_argument("--json", action="store_true", help="machine-readable")
    parser.add_argument("--check", action="store_true", help="whether the logbook is whole")
    parser.add_argument("--repair", action="store_true", help="save what can be read of a damaged one")
    parser.add_argument("--backup", metavar="FILE", help="write a whole copy")
    add_replace_argument(parser)
    parser.add_argument("--import", dest="import_from", metavar="FILE", help="take in a second machine's logbook")


_MOST_LISTED = 1000
"""Jobs in the table; all others are added up, and come out as CSV or JSON."""


def _row(entry: LogEntry) -> dict:
    return {
        "job": entry.job_id, "date": entry.day, "title": entry.title, "client": entry.client, "kind": entry.kind,
        "route": entry.route, "planned_seconds": entry.planned_s, "real_seconds": entry.real_s,
        "seconds": dict(entry.seconds), "planned": dict(entry.planned), "mended": dict(entry.mended),
        "gauges": {g.gauge: {"value": g.value, "low": g.low, "high": g.high, "state": g.state} for g in entry.gauges},
        "deliveries": [{"path": d.path, "sha256": d.sha256, "width": d.width, "height": d.height, "at": d.at}
                       for d in entry.deliveries],
        "price": None if entry.price_cents is None else entry.price_cents / 100, "currency": entry.currency,
        "earned_an_hour": None if entry.earned_cents is None else entry.earned_cents / 100, "demo": entry.demo,
    }


def run(arguments: argparse.Namespace) -> int:
    if arguments.repair:
        aside, rows = repair()
        print(f"The logbook is whole; {rows} rows." if aside is None else
              f"{rows} rows were saved into a new logbook; the damaged one is kept as {aside}.")
        return 0
    _check_files(arguments)
    which = Which(arguments.find, arguments.kind, arguments.route, arguments.month)
    totals: Sums | Totals
    if arguments.demo:
        shown = [entry for entry in demo_entries() if matches(entry, words=which.words, kind=which.kind,
                                                              route=which.route, month=which.month)]
        totals = sums(shown)
    else:
        book = Logbook()
        try:
            if _kept(book, arguments):
                return 0
            listed = arguments.csv is None and not arguments.json
            shown = book.entries(replace(which, latest=_MOST_LISTED) if listed else which)
            totals = book.totals(which) if listed else sums(shown)
        finally:
            book.close()
    if arguments.csv:
        text = as_csv(shown)
        if arguments.csv == "-":
            sys.stdout.write(text)
        else:
            write_atomically(Path(arguments.csv), lambda file: file.write(text.encode()))
    elif arguments.json:
        print(json.dumps([_row(entry) for entry in shown], indent=1, ensure_ascii=False))
    else:
        _print_table(shown, totals)
    return 0


def _check_files(arguments: argparse.Namespace) -> None:
    """Raises RequestError or SaveError before anything is read or written."""
    files = [one for one in (arguments.csv, arguments.backup) if one and one != "-"]
    if arguments.csv:
        refuse_ending(arguments.csv, "table")
    if arguments.backup:
        refuse_ending(arguments.backup, "backup", allowed=(".sqlite",))
    may_write(files, [one for one in (arguments.import_from,) if one], replace=arguments.replace)


def _kept(book: Logbook, arguments: argparse.Namespace) -> bool:
    """Does what was asked for the keeping of the logbook; False where nothing was."""
    if arguments.check:
        wrong = book.check()
        if wrong:
            raise RequestError(f"The logbook is damaged ({wrong[0]}); `lather log --repair` saves what can be read.")
        print(f"{logbook_path()} is whole.")
    if arguments.import_from:
        print(book.take_in(arguments.import_from).sentence)
    if arguments.backup:
        book.back_up(arguments.backup)
        print(arguments.backup)
    return bool(arguments.check or arguments.import_from or arguments.backup)


def _print_table(entries: list[LogEntry], total: Sums | Totals) -> None:
    if not entries:
        print("No job is in the logbook yet; time is logged as soon as you work on one.")
        return
    print(f"{'date':10} {'job':30} {'kind':16} {'planned':>8} {'real':>8} {'finds':>5} {'files':>5} "
          f"{'price':>10} an hour")
    for e in entries:
        print(f"{e.day:10} {e.title[:30]:30} {e.kind[:16]:16} {clock_text(e.planned_s):>8} {clock_text(e.real_s):>8} "
              f"{e.finds:5} {len(e.deliveries):5} {money(e.price_cents):>10} {money(e.earned_cents)}")
    if total.jobs > len(entries):
        print(f"… and {total.jobs - len(entries):,} earlier ones: name a --month, words to --find, or all as --csv.")
    prices = ", ".join(money(cents, currency) for currency, cents in total.price_cents.items()) or "–"
    print(f"{'':10} {f'{total.jobs} jobs':30} {'':16} {clock_text(total.planned_s):>8} {clock_text(total.real_s):>8} "
          f"{total.finds:5} {total.files:5} {prices:>10} {money(total.earned_cents)}")
