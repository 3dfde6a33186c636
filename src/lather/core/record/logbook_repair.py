"""A damaged logbook: all that can still be read of it goes into a new one, and it is kept as it was."""

import shutil
import sqlite3
import tempfile
import time
from collections.abc import Iterator
from contextlib import closing, suppress
from datetime import UTC, datetime
from pathlib import Path

from lather.core.log import timed
from lather.core.phrases import phrase
from lather.core.record import logbook_form as form
from lather.core.record.logbook import Logbook, logbook_path
from lather.core.record.logbook_error import BUSY, DAMAGED, NONE, LogbookError, told
from lather.core.record.logbook_files import BESIDE, in_use, put_aside

_PATIENCE_S = 120.0
_FURTHEST = 1 << 20  # row numbers that are tried past the last one that could be read


@timed("logbook repaired", lambda outcome: f"{outcome[1]} rows")
def repair(path: Path | None = None) -> tuple[Path | None, int]:
    """Save what can be read of a damaged logbook into a new one; (where the damaged one was put aside, rows saved).

    (None, rows) if nothing is wrong with it. Raises LogbookError: for one that is newer, that cannot be read or
    written here, that somebody has open, or that is no logbook at all: none of that is mended by a new one.
    """
    path = path or logbook_path()
    if not path.exists():
        raise LogbookError(phrase("There is no logbook at %1 to repair.", path), NONE)
    try:
        book = Logbook(path)
        try:
            if not book.check():
                return None, book.count()
        finally:
            book.close()
    except LogbookError as error:
        if error.reason != DAMAGED:
            raise
    try:
        held = in_use(path, alone=True)
    except OSError as error:
        raise told(path, error) from error
    if held is None:
        raise LogbookError(phrase("The logbook %1 is open in another window; close it, then repair.", path), BUSY)
    with open(held, "rb"):
        return _repair(path)


def _repair(path: Path) -> tuple[Path, int]:
    now = f"{datetime.now(UTC):%Y%m%d-%H%M%S}"
    aside, new = path.with_name(f"{path.stem}-damaged-{now}{path.suffix}"), path.with_name(f".{path.name}.repaired")
    try:
        saved = _saved(path)
        for ending in ("", *BESIDE):
            new.with_name(new.name + ending).unlink(missing_ok=True)
        with closing(Logbook(new)) as book, book._change() as db:
            for table, rows in saved.items():
                db.executemany(f"INSERT OR IGNORE INTO {table} VALUES ({form.marks(table)})", rows)
        new.with_name(f".{new.name}.open").unlink(missing_ok=True)
        put_aside(path, aside)
        put_aside(new, path)
    except OSError as error:
        raise LogbookError(phrase("The logbook cannot be put aside (%1); free some space.", error.strerror or error)
                           ) from error
    return aside, sum(len(rows) for rows in saved.values())


def _saved(path: Path) -> dict[str, list[tuple]]:
    """{table: rows} that can be read, of a copy with its write-ahead log: reading would change what lies there."""
    saved: dict[str, list[tuple]] = {}
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder) / "damaged.sqlite"
        for ending in ("", "-wal"):
            with suppress(FileNotFoundError):
                shutil.copy2(path.with_name(path.name + ending), copy.with_name(copy.name + ending))
        for table in form.TABLES:
            rows = {}
            for row in _readable(copy, table):
                rows[row[: len(form.KEYS[table])]] = row
            saved[table] = list(rows.values())
    return saved


def _readable(path: Path, table: str) -> Iterator[tuple]:
    """Row after row by its number, from both ends, going round those that cannot be read."""
    until = time.monotonic() + _PATIENCE_S
    with closing(sqlite3.connect(str(path), isolation_level=None)) as db:
        with suppress(sqlite3.Error):
            db.execute("PRAGMA writable_schema=ON")  # what is wrong with one table does not hide the others
        with suppress(sqlite3.Error):
            db.execute("PRAGMA cell_size_check=ON")
        foreign = form.Foreign(db)
        last, step = 0, 1
        while time.monotonic() < until and step <= _FURTHEST:
            try:
                for rowid, *row in foreign.numbered(table, f"rowid > {last + step - 1} ORDER BY rowid"):
                    last, step = max(last, rowid), 1
                    yield tuple(row)
                break
            except sqlite3.Error:
                step *= 2
        with suppress(sqlite3.Error):
            for _, *row in foreign.numbered(table, f"rowid > {last} ORDER BY rowid DESC"):
                yield tuple(row)
