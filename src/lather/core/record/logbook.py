"""The logbook: every job with its time, finds, gauges, deliveries and price, in one SQLite file.

Every change is one transaction, flushed to the disk (WAL, synchronous FULL): a program that is killed loses none that
was told. Rows carry ids of their own, so that the logbook of a second machine can be taken in, as often as one likes.
"""

import os
import platform
import shutil
import sqlite3
import threading
import uuid
from collections.abc import Iterable, Mapping
from contextlib import closing, contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path

from lather.core.errors import LatherError
from lather.core.log import timed
from lather.core.phrases import phrase
from lather.core.record.clock import Span
from lather.core.record.entries import DeliveryNote, GaugeNote, LogEntry

SCHEMA = 3  # 1 had no looks, 2 no practice
_BUSY_S = 10.0
_TABLES = """
CREATE TABLE IF NOT EXISTS jobs (id TEXT PRIMARY KEY, title TEXT NOT NULL DEFAULT '', client TEXT NOT NULL DEFAULT '',
    kind TEXT NOT NULL DEFAULT '', route TEXT NOT NULL DEFAULT '', began TEXT NOT NULL, delivered_at TEXT NOT NULL
    DEFAULT '', demo INTEGER NOT NULL DEFAULT 0, rate_cents INTEGER, price_cents INTEGER, currency TEXT NOT NULL
    DEFAULT '', machine TEXT NOT NULL DEFAULT '', changed TEXT NOT NULL DEFAULT '');
CREATE TABLE IF NOT EXISTS spans (uid TEXT PRIMARY KEY, job_id TEXT NOT NULL, stage TEXT NOT NULL, kind TEXT NOT NULL
    DEFAULT '', finds INTEGER NOT NULL DEFAULT 0, seconds INTEGER NOT NULL, at TEXT NOT NULL);
CREATE INDEX IF NOT EXISTS spans_of_job ON spans (job_id);
CREATE TABLE IF NOT EXISTS planned (job_id TEXT NOT NULL, stage TEXT NOT NULL, seconds INTEGER NOT NULL, area REAL NOT
    NULL DEFAULT 0, PRIMARY KEY (job_id, stage));
CREATE TABLE IF NOT EXISTS finds (job_id TEXT NOT NULL, kind TEXT NOT NULL, mended INTEGER NOT NULL,
    PRIMARY KEY (job_id, kind));
CREATE TABLE IF NOT EXISTS gauges (job_id TEXT NOT NULL, gauge TEXT NOT NULL, label TEXT NOT NULL, value REAL NOT NULL,
    low REAL NOT NULL, high REAL NOT NULL, unit TEXT NOT NULL DEFAULT '', PRIMARY KEY (job_id, gauge));
CREATE TABLE IF NOT EXISTS deliveries (uid TEXT PRIMARY KEY, job_id TEXT NOT NULL, output TEXT NOT NULL, path TEXT NOT
    NULL, format TEXT NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL, bytes INTEGER NOT NULL, sha256 TEXT NOT
    NULL, profile TEXT NOT NULL DEFAULT '', at TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS looks (uid TEXT PRIMARY KEY, job_id TEXT NOT NULL, picked TEXT NOT NULL, at TEXT NOT
    NULL);
CREATE TABLE IF NOT EXISTS practice (uid TEXT PRIMARY KEY, lesson INTEGER NOT NULL, seed INTEGER NOT NULL, score REAL
    NOT NULL, automatic REAL, seconds REAL NOT NULL, at TEXT NOT NULL);
"""
_KEYS = {"jobs": "id", "spans": "uid", "planned": "job_id, stage", "finds": "job_id, kind", "gauges": "job_id, gauge",
         "deliveries": "uid", "looks": "uid", "practice": "uid"}


class LogbookError(LatherError):
    """The logbook cannot be read or written."""


def logbook_path() -> Path:
    """Where the person's logbook lies."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "lather" / "logbook.sqlite"


def now() -> str:
    """UTC, to the second, ISO 8601."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


class Logbook:
    """Open as long as it is used; may be called from any thread. Raises LogbookError with what to do."""

    def __init__(self, path: Path | str | None = None):
        self.path = Path(path) if path and path != ":memory:" else None if path == ":memory:" else logbook_path()
        self._lock = threading.RLock()
        try:
            if self.path is not None:
                self.path.parent.mkdir(parents=True, exist_ok=True)
            self._db = sqlite3.connect(str(self.path or ":memory:"), timeout=_BUSY_S, check_same_thread=False,
                                       isolation_level=None)
        except (OSError, sqlite3.Error) as error:
            raise LogbookError(phrase("The logbook %1 cannot be opened (%2); free some space, or choose another "
                                      "folder with XDG_DATA_HOME.", self.path, error)) from error
        try:
            self._begin()
        except BaseException:
            self._db.close()
            raise

    def _begin(self) -> None:
        try:
            (version,) = self._db.execute("PRAGMA user_version").fetchone()
            if version > SCHEMA:
                raise LogbookError(phrase("The logbook was written by a newer Lather (form %1); open it there.",
                                          version))
            self._db.execute("PRAGMA journal_mode=WAL")
            self._db.execute("PRAGMA synchronous=FULL")
            self._db.executescript(_TABLES)
            self._db.execute(f"PRAGMA user_version={SCHEMA}")
        except sqlite3.DatabaseError as error:
            raise LogbookError(phrase("The logbook %1 is damaged (%2); `lather log --repair` saves what can be read.",
                                      self.path, error)) from error

    def close(self) -> None:
        """Nothing is read or written any more."""
        with self._lock:
            self._db.close()

    @contextmanager
    def _change(self):
        with self._lock:
            try:
                self._db.execute("BEGIN IMMEDIATE")
                yield self._db
                self._db.execute("COMMIT")
            except sqlite3.Error as error:
                with suppress(sqlite3.Error):
                    self._db.execute("ROLLBACK")
                raise LogbookError(phrase("The logbook could not be written (%1); free some space. Your work on the "
                                          "photo is not touched by this.", error)) from error
            except BaseException:
                with suppress(sqlite3.Error):
                    self._db.execute("ROLLBACK")
                raise

    # writing

    def note_job(self, job_id: str, **facts) -> None:
        """What the job sheet says; the first call begins the entry. facts: columns of `jobs` but its id and dates."""
        known = {"title", "client", "kind", "route", "demo", "rate_cents", "price_cents", "currency", "began"}
        facts = {key: value for key, value in facts.items() if key in known}
        began = facts.pop("began", now())
        with self._change() as db:
            db.execute("INSERT OR IGNORE INTO jobs (id, began, machine) VALUES (?, ?, ?)",
                       (job_id, began, platform.node()))
            facts["changed"] = now()
            columns = ", ".join(f"{key} = ?" for key in facts)
            db.execute(f"UPDATE jobs SET {columns} WHERE id = ?", (*facts.values(), job_id))

    def add_spans(self, job_id: str, spans: Iterable[Span], at: str = "") -> None:
        """Time that was worked; all of it or nothing."""
        at = at or now()
        rows = [(uuid.uuid4().hex, job_id, one.stage, one.kind, one.finds, one.seconds, at) for one in spans]
        if rows:
            with self._change() as db:
                db.execute("INSERT OR IGNORE INTO jobs (id, began, machine) VALUES (?, ?, ?)",
                           (job_id, at, platform.node()))
                db.executemany("INSERT INTO spans VALUES (?, ?, ?, ?, ?, ?, ?)", rows)

    def set_plan(self, job_id: str, planned: Mapping[str, tuple[int, float]]) -> None:
        """{stage: (seconds, area)} in place of what was planned before."""
        with self._change() as db:
            db.execute("DELETE FROM planned WHERE job_id = ?", (job_id,))
            db.executemany("INSERT INTO planned VALUES (?, ?, ?, ?)",
                           [(job_id, stage, seconds, area) for stage, (seconds, area) in planned.items()])

    def set_finds(self, job_id: str, mended: Mapping[str, int]) -> None:
        """{kind: mended} of a job, in place of what was there. Raises LogbookError."""
        with self._change() as db:
            db.execute("DELETE FROM finds WHERE job_id = ?", (job_id,))
            db.executemany("INSERT INTO finds VALUES (?, ?, ?)", [(job_id, *row) for row in mended.items()])

    def set_gauges(self, job_id: str, notes: Iterable[GaugeNote]) -> None:
        """Gauges of a job at delivery, in place of what was there. Raises LogbookError."""
        with self._change() as db:
            db.execute("DELETE FROM gauges WHERE job_id = ?", (job_id,))
            db.executemany("INSERT INTO gauges VALUES (?, ?, ?, ?, ?, ?, ?)", [
                (job_id, one.gauge, one.label, float(one.value), float(one.low), float(one.high), one.unit)
                for one in notes])

    def add_delivery(self, job_id: str, note: DeliveryNote) -> None:
        """A file that was read back and found equal; the job counts as delivered from the first one on."""
        with self._change() as db:
            db.execute("INSERT OR IGNORE INTO jobs (id, began, machine) VALUES (?, ?, ?)",
                       (job_id, note.at, platform.node()))
            db.execute("DELETE FROM deliveries WHERE job_id = ? AND path = ?", (job_id, note.path))  # written anew
            db.execute("INSERT INTO deliveries VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", (
                uuid.uuid4().hex, job_id, note.output, note.path, note.format, note.width, note.height, note.bytes,
                note.sha256, note.profile, note.at))
            db.execute("UPDATE jobs SET delivered_at = ? WHERE id = ?", (note.at, job_id))

    def add_look(self, job_id: str, picked: str) -> None:
        """What fresh eyes took for the more natural: photo or retouch."""
        with self._change() as db:
            db.execute("INSERT INTO looks VALUES (?, ?, ?, ?)", (uuid.uuid4().hex, job_id, picked, now()))

    def looks(self, job_id: str) -> list[str]:
        """What was picked, the first look first."""
        return [row[0] for row in self._rows("SELECT picked FROM looks WHERE job_id = ? ORDER BY at", (job_id,))]

    def add_practice(self, lesson: int, seed: int, score: float, automatic: float | None, seconds: float) -> None:
        """A lesson that was scored."""
        with self._change() as db:
            db.execute("INSERT INTO practice VALUES (?, ?, ?, ?, ?, ?, ?)",
                       (uuid.uuid4().hex, lesson, seed, score, automatic, seconds, now()))

    def practice(self) -> list[tuple[int, float, float | None, str]]:
        """(lesson, score, automatic, when) of every lesson that was scored, the first one first."""
        return self._rows("SELECT lesson, score, automatic, at FROM practice ORDER BY at, rowid")

    def set_price(self, job_id: str, price_cents: int | None) -> None:
        """What was asked for a job, in hundredths; None for nothing. Raises LogbookError."""
        with self._change() as db:
            db.execute("UPDATE jobs SET price_cents = ? WHERE id = ?", (price_cents, job_id))

    def forget(self, job_id: str) -> None:
        """Everything about one job."""
        with self._change() as db:
            for table in [table for table in _KEYS if table != "practice"]:
                db.execute(f"DELETE FROM {table} WHERE {'id' if table == 'jobs' else 'job_id'} = ?", (job_id,))

    # reading

    def _rows(self, query: str, values: tuple = ()) -> list[tuple]:
        with self._lock:
            try:
                return self._db.execute(query, values).fetchall()
            except sqlite3.Error as error:
                raise LogbookError(phrase("The logbook could not be read (%1); `lather log --repair` saves what can "
                                          "be read.", error)) from error

    def seconds(self, job_id: str) -> dict[str, int]:
        """{stage: seconds} of one job."""
        return dict(self._rows("SELECT stage, SUM(seconds) FROM spans WHERE job_id = ? GROUP BY stage", (job_id,)))

    def entries(self) -> list[LogEntry]:
        """All jobs, the latest first."""
        def by_job(query: str) -> dict[str, list[tuple]]:
            held: dict[str, list[tuple]] = {}
            for job_id, *rest in self._rows(query):
                held.setdefault(job_id, []).append(tuple(rest))
            return held

        spans = by_job("SELECT job_id, stage, kind, SUM(finds), SUM(seconds) FROM spans GROUP BY job_id, stage, kind")
        planned = by_job("SELECT job_id, stage, seconds, area FROM planned")
        finds = by_job("SELECT job_id, kind, mended FROM finds")
        gauges = by_job("SELECT job_id, gauge, label, value, low, high, unit FROM gauges")
        files = by_job("SELECT job_id, output, path, format, width, height, bytes, sha256, profile, at FROM deliveries "
                       "ORDER BY at")
        made = []
        for row in self._rows("SELECT id, title, client, kind, route, began, delivered_at, demo, rate_cents, "
                              "price_cents, currency, machine FROM jobs"):
            job_id, title, client, kind, route, began, delivered_at, demo, rate, price, currency, machine = row
            seconds: dict[str, int] = {}
            for stage, _, _, worked in spans.get(job_id, ()):
                seconds[stage] = seconds.get(stage, 0) + worked
            made.append(LogEntry(
                job_id, title, client, kind, route, began, delivered_at, bool(demo), rate, price, currency, machine,
                seconds=seconds, planned={s: n for s, n, _ in planned.get(job_id, ())},
                areas={s: area for s, _, area in planned.get(job_id, ())},
                spent={(stage, kind): (n, s) for stage, kind, n, s in spans.get(job_id, ())},
                mended=dict(finds.get(job_id, ())), gauges=tuple(GaugeNote(*note) for note in gauges.get(job_id, ())),
                deliveries=tuple(DeliveryNote(*note) for note in files.get(job_id, ())),
            ))
        return sorted(made, key=lambda entry: (entry.delivered_at or entry.began, entry.job_id), reverse=True)

    # keeping it

    def check(self) -> list[str]:
        """What SQLite finds wrong; empty if it is whole."""
        said = [row[0] for row in self._rows("PRAGMA integrity_check")]
        return [] if said == ["ok"] else said

    def back_up(self, path: Path | str) -> None:
        """A whole copy, also while others write. An existing file is replaced."""
        path = Path(path)
        part = path.with_name(f".{path.name}.part")
        try:
            with closing(sqlite3.connect(str(part))) as copy, self._lock:
                self._db.backup(copy)
            os.replace(part, path)
        except (OSError, sqlite3.Error) as error:
            raise LogbookError(phrase("The logbook could not be copied to %1 (%2); choose another folder.", path, error)
                               ) from error
        finally:
            with suppress(OSError):
                part.unlink(missing_ok=True)

    def take_in(self, path: Path | str) -> tuple[int, int]:
        """Jobs and spans of a second machine's logbook that were not here yet. What is here already stays, but for what
        that machine knows later of a job. Raises LogbookError.
        """
        path = Path(path)
        if not path.is_file():
            raise LogbookError(phrase("%1 does not exist; choose a logbook.sqlite.", path))
        other = _rows_of(path)
        with self._change() as db:
            changed = dict(db.execute("SELECT id, changed FROM jobs"))
            (spans,) = db.execute("SELECT COUNT(*) FROM spans").fetchone()
            later = {row[0] for row in other["jobs"] if row[12] > changed.get(row[0], "")}
            for table, rows in other.items():
                for row in rows:
                    by_uid = table in ("spans", "deliveries", "looks", "practice")
                    wins = not by_uid and row[0] in later
                    marks = ", ".join("?" * len(row))
                    db.execute(f"INSERT OR {'REPLACE' if wins else 'IGNORE'} INTO {table} VALUES ({marks})", row)
            (now_spans,) = db.execute("SELECT COUNT(*) FROM spans").fetchone()
        return len({row[0] for row in other["jobs"]} - set(changed)), now_spans - spans


def _rows_of(path: Path) -> dict[str, list[tuple]]:
    """All rows of another logbook, read only."""
    with closing(Logbook(":memory:")) as form:
        widths = {table: len(form._rows(f"PRAGMA table_info({table})")) for table in _KEYS}
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as db:
            there = {row[0] for row in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            if not there & set(_KEYS):
                raise sqlite3.DatabaseError("it holds none of its tables")
            rows = {table: db.execute(f"SELECT * FROM {table}").fetchall() if table in there else [] for table in _KEYS}
    except sqlite3.Error as error:
        raise LogbookError(phrase("%1 is no logbook of Lather (%2); choose a logbook.sqlite.", path.name,
                                  error)) from error
    if any(rows[table] and len(rows[table][0]) != widths[table] for table in _KEYS):
        raise LogbookError(phrase("%1 was written by another version of Lather; open it there once.", path.name))
    return rows


@timed("logbook repaired", lambda outcome: f"{outcome[1]} rows")
def repair(path: Path | None = None) -> tuple[Path | None, int]:
    """Save what can be read of a damaged logbook into a new one; (where the damaged one was put aside, rows saved).

    (None, rows) if nothing is wrong with it. Raises LogbookError.
    """
    path = path or logbook_path()
    if not path.exists():
        raise LogbookError(phrase("There is no logbook at %1 to repair.", path))
    with suppress(LogbookError):
        book = Logbook(path)
        try:
            if not book.check():
                return None, sum(len(rows) for rows in _rows_of(path).values())
        finally:
            book.close()
    aside = path.with_name(f"{path.stem}-damaged-{datetime.now(UTC):%Y%m%d-%H%M%S}{path.suffix}")
    try:
        shutil.copy2(path, aside)
        saved = {table: list(_readable(path, table)) for table in _KEYS}
        for ending in ("", "-wal", "-shm"):
            path.with_name(path.name + ending).unlink(missing_ok=True)
    except OSError as error:
        raise LogbookError(phrase("The logbook cannot be put aside (%1); free some space.", error)) from error
    with closing(Logbook(path)) as book, book._change() as db:
        for table, rows in saved.items():
            for row in rows:
                db.execute(f"INSERT OR IGNORE INTO {table} VALUES ({', '.join('?' * len(row))})", row)
    return aside, sum(len(rows) for rows in saved.values())


def _readable(path: Path, table: str):
    """Row after row by its number, going round those that cannot be read."""
    with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as db:
        try:
            yield from db.execute(f"SELECT * FROM {table}").fetchall()
            return
        except sqlite3.Error:
            pass
        try:
            (last,) = db.execute(f"SELECT MAX(rowid) FROM {table}").fetchone()
        except sqlite3.Error:
            last = None
        for rowid in range(1, (last or 100_000) + 1):
            with suppress(sqlite3.Error):
                yield from db.execute(f"SELECT * FROM {table} WHERE rowid = ?", (rowid,)).fetchall()
