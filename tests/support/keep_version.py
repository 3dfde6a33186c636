"""Keeps what the version of today writes, so that later ones are held to open it: a small job with every kind of layer,
and a small logbook.

    PYTHONPATH=src .venv/bin/python -m tests.support.keep_version

is run at the end of whatever changes a format. The files lie in tests/data/earlier under the day and hour.
"""

import sqlite3
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from lather.core.job.commands import AddLayer, SetBrief
from lather.core.job.model import Layer
from lather.core.parameters import starting
from lather.core.record.clock import Span
from lather.core.record.entries import DeliveryNote, GaugeNote
from lather.core.record.logbook import Logbook
from lather.core.session import Session
from lather.core.stages.registry import STAGES
from tests.support.mutations import job_file

EARLIER = Path(__file__).parents[1] / "data" / "earlier"


def write_job(path: Path) -> None:
    """Every edit that `job_file` holds, and a layer of every kind as it starts."""
    path.write_bytes(job_file())
    session = Session.open(path)
    for info in STAGES:
        for kind in info.kinds.values():
            layer = Layer(f"{info.id}-{kind.id}-every", info.id, kind.id, settings=starting(kind.parameters))
            session.history.do(AddLayer(info.id, layer, 0))
    session.history.do(SetBrief("title", "Made up"))
    session.save(path)
    for copy in path.parent.glob(f"{path.name}~*"):
        copy.unlink()


def fill(book: Logbook) -> None:
    """One job with something in every table."""
    book.note_job("one", title="Wren", client="Alder", kind="beauty", route="light", rate_cents=4800, price_cents=3600,
                  currency="EUR", began="2026-11-02T09:00:00Z")
    book.add_spans("one", [Span("mend", 1800), Span("mend", 30, "flake", 3), Span("review", 60)])
    book.set_plan("one", {"mend": (1700, 0.0), "around": (100, 0.0)})
    book.set_finds("one", {"flake": 3, "mole": 1})
    book.set_gauges("one", [GaugeNote("texture_kept", "Skin texture kept", 91.0, 90.0, 108.0, "%")])
    book.add_delivery("one", DeliveryNote("Web", "/out/one.jpg", "JPEG", 100, 200, 5000, "ab", "sRGB",
                                          "2026-11-03T10:00:00Z"))
    book.add_look("one", "photo")
    book.add_practice(3, 7, 81.5, None, 120.0)


def write_logbook(path: Path) -> None:
    """In one file, without its write-ahead log."""
    with closing(Logbook(path)) as book:
        fill(book)
    with closing(sqlite3.connect(path)) as db:
        db.execute("PRAGMA journal_mode=DELETE")
        db.execute("VACUUM")
    path.with_name(f".{path.name}.open").unlink()


def main() -> None:
    name = f"{datetime.now(UTC):%Y-%m-%dT%H%M}"
    write_job(EARLIER / f"{name}.lather")
    write_logbook(EARLIER / f"{name}.sqlite")
    print(f"kept as {EARLIER / name}")


if __name__ == "__main__":
    main()
