"""The logbook: every job with its time, finds, gauges, deliveries and price, in one SQLite file.

Every change is one transaction, flushed to the disk (WAL, synchronous FULL): a program that is killed loses none that
was told. Rows carry ids of their own, so that the logbook of a second machine can be taken in, as often as one likes.
"""

import gc
import logging
import os
import platform
import sqlite3
import threading
import uuid
from collections.abc import Iterable, Iterator, Mapping
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from lather.core.imageio.files import is_same_file
from lather.core.phrases import joined, phrase
from lather.core.record import logbook_form as form
from lather.core.record import waiting
from lather.core.record.clock import Span
from lather.core.record.entries import DeliveryNote, GaugeNote, LogEntry, Totals, earned_an_hour
from lather.core.record.logbook_error import BUSY, CLOSED, NEWER, LogbookError, told
from lather.core.record.logbook_files import copy_whole, in_use
from lather.core.record.which import DATED, Which, has_words
from lather.core.strict_json import MALFORMED, plain_text

_log = logging.getLogger(__name__)

_BUSY_S = 10.0


def logbook_path() -> Path:
    """Where the person's logbook lies."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "lather" / "logbook.sqlite"


def now() -> str:
    """UTC, to the second, ISO 8601."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def _insert(uid: str) -> str:
    """What is entered late may be there already."""
    return "INSERT OR IGNORE" if uid else "INSERT"


@contextmanager
def _nothing_collected() -> Iterator[None]:
    """The collector walks over all that is made again and again: with many jobs that takes longer than making them."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


class Logbook:
    """Open as long as it is used; may be called from any thread. Raises LogbookError with what to do."""

    def __init__(self, path: Path | str | None = None):
        self.path = Path(path) if path and path != ":memory:" else None if path == ":memory:" else logbook_path()
        self._lock = threading.RLock()
        self._use: int | None = None
        try:
            if self.path is not None:
                self.path.parent.mkdir(parents=True, exist_ok=True)
                self._use = in_use(self.path, alone=False)
                if self._use is None:
                    raise LogbookError(phrase("The logbook %1 is being repaired; try again in a moment.", self.path),
                                       BUSY)
            self._db = sqlite3.connect(form.uri(self.path, "rwc") if self.path else ":memory:", timeout=_BUSY_S,
                                       check_same_thread=False, isolation_level=None, uri=True)
        except sqlite3.Error as error:
            self._let_go()
            raise told(self.path, error) from error
        except OSError as error:
            raise LogbookError(phrase("The logbook %1 cannot be opened (%2); free some space, or choose another "
                                      "folder with XDG_DATA_HOME.", self.path, error.strerror), CLOSED) from error
        try:
            self._begin()
        except BaseException as error:
            self._db.close()
            self._let_go()
            if isinstance(error, sqlite3.Error | UnicodeError):
                raise told(self.path, error) from error
            raise
        if path is None:
            waiting.enter(self)

    def _begin(self) -> None:
        db = self._db
        (version,) = db.execute("PRAGMA user_version").fetchone()
        if version > form.FORM:
            raise LogbookError(phrase("The logbook was written by a newer Lather (form %1); open it there.", version),
                               NEWER)
        db.execute("PRAGMA journal_mode=WAL")
        db.execute("PRAGMA synchronous=FULL")
        if version == form.FORM and self._is_in_form():
            return
        db.execute("BEGIN IMMEDIATE")
        try:
            (version,) = db.execute("PRAGMA user_version").fetchone()  # another window may just have done it
            if version < form.FORM or not self._is_in_form():
                self._bring_forward(version)
            db.execute("COMMIT")
        except BaseException:
            with suppress(sqlite3.Error):
                db.execute("ROLLBACK")
            raise

    def _is_in_form(self) -> bool:
        """True if every table holds its columns to what they may be: then every row can be read."""
        made = dict(self._db.execute("SELECT name, sql FROM sqlite_master WHERE type = 'table'"))
        return all(made.get(table) == form.created(table) for table in form.TABLES)

    def _bring_forward(self, version: int) -> None:
        """Tables of an earlier form, in the form of today; rows that were never what they should be go, and a copy of
        the whole stays beside it.
        """
        db = self._db
        there = {row[0] for row in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")} & set(form.TABLES)
        if there and self.path is not None:
            kept = self.path.with_name(f"{self.path.stem}-form{version}{self.path.suffix}")
            if not kept.exists():
                with closing(sqlite3.connect(form.uri(self.path), uri=True)) as reader:
                    copy_whole(reader, kept)
        db.execute("DROP INDEX IF EXISTS spans_of_job")
        left_out = 0
        for table in form.TABLES:
            if table in there:
                db.execute(f"ALTER TABLE {table} RENAME TO earlier_{table}")
            db.execute(form.created(table))
            if table in there:
                left_out += self._move(table)
                db.execute(f"DROP TABLE earlier_{table}")
        for index in form.INDEXES:
            db.execute(index)
        db.execute(f"PRAGMA user_version={form.FORM}")
        if left_out:
            _log.warning("%s rows of the logbook were not what they should be and were left out or mended; the logbook "
                         "as it was is kept beside it", left_out)

    def _move(self, table: str) -> int:
        """How many rows of an earlier form could not be taken as they are."""
        foreign = form.Foreign(self._db, earlier="earlier_")
        rows = list(foreign.rows(table))
        self._db.text_factory = str
        self._db.set_progress_handler(None, 0)
        self._db.executemany(f"INSERT OR IGNORE INTO {table} VALUES ({form.marks(table)})", rows)
        return foreign.left_out

    def _let_go(self) -> None:
        if self._use is not None:
            os.close(self._use)
            self._use = None

    def close(self) -> None:
        """Nothing is read or written any more."""
        with self._lock:
            self._db.close()
            self._let_go()

    @contextmanager
    def _change(self):
        with self._lock:
            try:
                self._db.execute("BEGIN IMMEDIATE")
                yield self._db
                self._db.execute("COMMIT")
            except (sqlite3.Error, OverflowError, UnicodeError) as error:
                with suppress(sqlite3.Error):
                    self._db.execute("ROLLBACK")
                raise told(self.path, error) from error
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

    def add_spans(self, job_id: str, spans: Iterable[Span], at: str = "", *, uid: str = "") -> None:
        """Time that was worked; all of it or nothing. uid: of what is entered late, so that it is entered once."""
        at = at or now()
        rows = [(f"{uid}-{n}" if uid else uuid.uuid4().hex, job_id, one.stage, one.kind, one.finds, one.seconds, at)
                for n, one in enumerate(spans)]
        if rows:
            with self._change() as db:
                db.execute("INSERT OR IGNORE INTO jobs (id, began, machine) VALUES (?, ?, ?)",
                           (job_id, at, platform.node()))
                db.executemany(f"{_insert(uid)} INTO spans VALUES (?, ?, ?, ?, ?, ?, ?)", rows)

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
            later = db.execute("SELECT 1 FROM deliveries WHERE job_id = ? AND path = ? AND at > ?",
                               (job_id, note.path, note.at)).fetchone()
            if later:  # this one waited, and the file was written anew meanwhile
                return
            db.execute("DELETE FROM deliveries WHERE job_id = ? AND path = ?", (job_id, note.path))
            db.execute("INSERT INTO deliveries VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", (
                uuid.uuid4().hex, job_id, note.output, note.path, note.format, note.width, note.height, note.bytes,
                note.sha256, note.profile, note.at))
            db.execute("UPDATE jobs SET delivered_at = MAX(delivered_at, ?) WHERE id = ?", (note.at, job_id))

    def add_look(self, job_id: str, picked: str, *, uid: str = "") -> None:
        """What fresh eyes took for the more natural: photo or retouch."""
        with self._change() as db:
            db.execute(f"{_insert(uid)} INTO looks VALUES (?, ?, ?, ?)",
                       (uid or uuid.uuid4().hex, job_id, picked, now()))

    def looks(self, job_id: str) -> list[str]:
        """What was picked, the first look first."""
        picked = form.safe("looks", "picked")
        return [row[0] for row in self._rows(f"SELECT {picked} FROM looks WHERE job_id = ? ORDER BY at", (job_id,))]

    def add_practice(self, lesson: int, seed: int, score: float, automatic: float | None, seconds: float, *,
                     uid: str = "") -> None:
        """A lesson that was scored."""
        with self._change() as db:
            db.execute(f"{_insert(uid)} INTO practice VALUES (?, ?, ?, ?, ?, ?, ?)",
                       (uid or uuid.uuid4().hex, lesson, seed, score, automatic, seconds, now()))

    def practice(self) -> list[tuple[int, float, float | None, str]]:
        """(lesson, score, automatic, when) of every lesson that was scored, the first one first."""
        told = form.safe("practice", "lesson", "score", "automatic", "at")
        return self._rows(f"SELECT {told} FROM practice ORDER BY at, rowid")

    def set_price(self, job_id: str, price_cents: int | None) -> None:
        """What was asked for a job, in hundredths; None for nothing. Raises LogbookError."""
        with self._change() as db:
            db.execute("UPDATE jobs SET price_cents = ? WHERE id = ?", (price_cents, job_id))

    def forget(self, job_id: str) -> None:
        """Everything about one job."""
        with self._change() as db:
            db.execute("DELETE FROM jobs WHERE id = ?", (job_id,))
            for table in form.OF_A_JOB:
                db.execute(f"DELETE FROM {table} WHERE job_id = ?", (job_id,))

    # reading

    def _rows(self, query: str, values: tuple = ()) -> list[tuple]:
        with self._lock:
            try:
                return self._db.execute(query, values).fetchall()
            except (sqlite3.Error, UnicodeError) as error:
                raise told(self.path, error) from error

    def seconds(self, job_id: str) -> dict[str, int]:
        """{stage: seconds} of one job."""
        stage, seconds = form.safe("spans", "stage"), form.safe("spans", "seconds")
        return dict(self._rows(f"SELECT {stage}, SUM({seconds}) FROM spans WHERE job_id = ? GROUP BY 1", (job_id,)))

    def entries(self, which: Which | None = None) -> list[LogEntry]:
        """All jobs, or those that are asked for, the latest first."""
        which = which or Which()
        with self._lock, self._chosen(which) as of_chosen, _nothing_collected():
            return self._entries(which, of_chosen)

    def entry(self, job_id: str) -> LogEntry | None:
        """One job; None where it was never logged."""
        return next(iter(self.entries(Which(job_id=job_id))), None)

    @contextmanager
    def _chosen(self, which: Which) -> Iterator[str]:
        """A condition on `job_id`: "" for all, else of a table that holds the ids of those that are asked for."""
        if which.is_all:
            yield ""
            return
        condition, values = which.condition()
        db = self._db
        db.create_function("has_words", 3, has_words, deterministic=True)
        self._rows("CREATE TEMP TABLE IF NOT EXISTS chosen (id TEXT PRIMARY KEY)")
        self._rows("DELETE FROM chosen")
        limit = f"ORDER BY {DATED} DESC, id DESC LIMIT {which.latest}" if which.latest else ""
        self._rows(f"INSERT INTO chosen SELECT id FROM jobs WHERE {condition} {limit}", values)
        yield " WHERE job_id IN (SELECT id FROM chosen)"

    def _entries(self, which: Which, of_chosen: str) -> list[LogEntry]:
        def by_job(columns: str, table: str, further: str = "") -> dict[str, list[tuple]]:
            held: dict[str, list[tuple]] = {}
            for job_id, *rest in self._rows(f"SELECT job_id, {columns} FROM {table}{of_chosen} {further}"):
                held.setdefault(job_id, []).append(tuple(rest))
            return held

        spans = by_job(f"{form.safe('spans', 'stage', 'kind')}, SUM({form.safe('spans', 'finds')}), "
                       f"SUM({form.safe('spans', 'seconds')})", "spans", "GROUP BY job_id, stage, kind")
        planned = by_job(form.safe("planned", "stage", "seconds", "area"), "planned")
        finds = by_job(form.safe("finds", "kind", "mended"), "finds")
        gauges = by_job(form.safe("gauges", "gauge", "label", "value", "low", "high", "unit"), "gauges")
        files = by_job(form.safe("deliveries", "output", "path", "format", "width", "height", "bytes", "sha256",
                                 "profile", "at"), "deliveries", "ORDER BY at")
        made = []
        job = form.safe("jobs", "title", "client", "kind", "route", "began", "delivered_at", "demo", "rate_cents",
                        "price_cents", "currency", "machine")
        for row in self._rows(f"SELECT id, {job} FROM jobs{of_chosen.replace('job_id', 'id')} ORDER BY {DATED} DESC, "
                              "id DESC"):
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
        return made

    def totals(self, which: Which | None = None) -> Totals:
        """What all that is asked for adds up to: added by the database, so that it is quick for any number of jobs."""
        which = which or Which()
        with self._lock, self._chosen(which) as of_chosen:
            jobs = f"jobs{of_chosen.replace('job_id', 'id')}"
            priced = f"{jobs} {'AND' if of_chosen else 'WHERE'} price_cents IS NOT NULL"

            def summed(table: str, name: str, which: str = of_chosen) -> int:
                return self._rows(f"SELECT SUM({form.safe(table, name)}) FROM {table}{which}")[0][0] or 0

            def count(where: str) -> int:
                return self._rows(f"SELECT COUNT(*) FROM {where}")[0][0]

            prices = dict(self._rows(f"SELECT {form.safe('jobs', 'currency')}, SUM({form.safe('jobs', 'price_cents')}) "
                                     f"FROM {priced} GROUP BY 1"))
            all_jobs, real_s = count(jobs), summed("spans", "seconds")
            earned = None
            if len(prices) == 1:
                timed = real_s if count(priced) == all_jobs else summed(
                    "spans", "seconds", f" WHERE job_id IN (SELECT id FROM {priced})")
                earned = earned_an_hour(next(iter(prices.values())), timed)
            return Totals(all_jobs, summed("planned", "seconds"), real_s, summed("finds", "mended"),
                          count(f"deliveries{of_chosen}"), prices, earned)

    # keeping it

    def check(self) -> list[str]:
        """What is wrong with it, in SQLite's own words; empty if it is whole, and every value is one that may be."""
        said = [str(row[0]) for row in self._rows("PRAGMA integrity_check")]
        return [] if said == ["ok"] else said

    def count(self) -> int:
        """Rows of all tables."""
        return sum(self._rows(f"SELECT COUNT(*) FROM {table}")[0][0] for table in form.TABLES)

    def back_up(self, path: Path | str) -> None:
        """A whole copy, also while others write. An existing file is replaced. Raises LogbookError."""
        if is_same_file(self.path, path):
            raise LogbookError(phrase("%1 is the logbook itself; choose another name for the copy.", path))
        try:
            with self._lock:
                copy_whole(self._db, Path(path))
        except (OSError, sqlite3.Error) as error:
            raise LogbookError(phrase("The logbook could not be copied to %1 (%2); choose another folder.", path, error)
                               ) from error

    def take_in(self, path: Path | str) -> "TakenIn":
        """What a second machine's logbook holds and this one does not, row by row through typed columns. What is here
        already stays, but for what that machine knows later of a job. Raises LogbookError for what is no logbook.
        """
        path = Path(path)
        if not path.is_file():
            raise LogbookError(phrase("%1 does not exist; choose a logbook.sqlite.", path))
        rows, left_out = _rows_of(path)
        with self._change() as db:
            changed = dict(db.execute("SELECT id, changed FROM jobs"))
            (spans,) = db.execute("SELECT COUNT(*) FROM spans").fetchone()
            later = {row[0] for row in rows["jobs"] if row[12] > changed.get(row[0], "")}
            for table, own in rows.items():
                by_uid = form.KEYS[table] == ("uid",)
                for wins in (False, True):
                    some = [row for row in own if (not by_uid and row[0] in later) == wins]
                    db.executemany(f"INSERT OR {'REPLACE' if wins else 'IGNORE'} INTO {table} "
                                   f"VALUES ({form.marks(table)})", some)
            (now_spans,) = db.execute("SELECT COUNT(*) FROM spans").fetchone()
        return TakenIn(len({row[0] for row in rows["jobs"]} - set(changed)), now_spans - spans, left_out)


@dataclass(frozen=True)
class TakenIn:
    """jobs, spans: that were not here yet. left_out: rows that were not what they should be."""

    jobs: int
    spans: int
    left_out: int

    @property
    def sentence(self) -> str:
        """For the message line."""
        said = phrase("%1 jobs and %2 stretches of time were taken in.", self.jobs, self.spans)
        if not self.left_out:
            return said
        return joined((said, phrase("%n rows were not what they should be and were left out or mended.",
                                    n=self.left_out,
                                    one="%n row was not what it should be and was left out or mended.")))


def _rows_of(path: Path) -> tuple[dict[str, list[tuple]], int]:
    """(all rows of another logbook, how many were not what they should be); it is read only."""
    try:
        with closing(sqlite3.connect(form.uri(path), uri=True)) as db:
            foreign = form.Foreign(db)
            (version,) = db.execute("PRAGMA user_version").fetchone()
            if version > form.FORM:
                raise LogbookError(phrase("%1 was written by a newer Lather (form %2); take it in there.",
                                          path.name, version), NEWER)
            if not foreign.has_any():
                raise sqlite3.DatabaseError("it holds none of its tables")
            return {table: list(foreign.rows(table)) for table in form.TABLES}, foreign.left_out
    except (sqlite3.Error, *MALFORMED) as error:
        raise LogbookError(phrase("%1 is no logbook of Lather (%2); choose a logbook.sqlite.", path.name,
                                  plain_text(str(error)[:200]))) from error
