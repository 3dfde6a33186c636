"""lather report JOB --out FILE"""

import argparse
import os
import sys
from contextlib import closing
from pathlib import Path

from lather.cli.outputs import add_replace_argument, may_write
from lather.cli.plan import known_speeds
from lather.core.deliver.report import Report, make_report, report_html, report_print_html, sheet_html
from lather.core.errors import LatherError, RequestError
from lather.core.imageio.atomic import write_atomically
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.plan.plan_of_session import plan_of_measured
from lather.core.record.logbook import Logbook
from lather.core.session import Session


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("job", help="a .lather job")
    parser.add_argument("--out", help="report to write: .html or .pdf")
    parser.add_argument("--sheet", help="before and after sheet to write: .pdf or .png")
    add_replace_argument(parser)
    parser.add_argument("--captions", nargs=2, default=("before", "after"), metavar=("BEFORE", "AFTER"))


def run(arguments: argparse.Namespace) -> int:
    if not arguments.out and not arguments.sheet:
        raise RequestError("Name a report to write with --out, or a sheet with --sheet.")
    for path, endings in ((arguments.out, (".html", ".pdf")), (arguments.sheet, (".pdf", ".png"))):
        if path and Path(path).suffix.lower() not in endings:
            raise RequestError(f"{path}: the name ends in {' or '.join(endings)}.")
    may_write([path for path in (arguments.out, arguments.sheet) if path], [arguments.job], replace=arguments.replace)
    session = Session.open(arguments.job)
    if arguments.out:
        _write_report(_report(session), Path(arguments.out))
        print(arguments.out)
    if arguments.sheet:
        html = sheet_html(session, captions=tuple(arguments.captions))
        paper = _paper()
        if arguments.sheet.lower().endswith(".png"):
            paper.write_png(html, arguments.sheet)
        else:
            paper.write_pdf(html, arguments.sheet, session.job.title)
        print(arguments.sheet)
    return 0


def _report(session: Session) -> Report:
    """With what the logbook knows of the job."""
    job, seconds, files = session.job, session.logged_seconds(), ()
    try:
        with closing(Logbook()) as book:
            entry = book.entry(job.id)
        if entry is not None:
            seconds, files = session.logged_seconds(dict(entry.seconds)), entry.deliveries
    except LatherError as error:  # a report does not fail for a logbook
        print(f"lather: {error.message} The report goes by the job alone.", file=sys.stderr)
    measures = PhotoMeasures.of_job(session.photo, job)
    return make_report(session, seconds=seconds, plan=plan_of_measured(job, measures, known_speeds()),
                       deliveries=files, measures=measures)


def _write_report(report: Report, path: Path) -> None:
    if path.suffix.lower() == ".pdf":
        _paper().write_pdf(report_print_html(report), path, report.title)
    else:
        write_atomically(path, lambda file: file.write(report_html(report).encode()))


def _paper():
    """Qt lays out PDF and pictures; it needs no screen for that."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from lather.desktop.app import make_application
    from lather.desktop.delivery import paper

    make_application()
    return paper
