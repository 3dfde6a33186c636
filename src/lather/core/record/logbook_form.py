"""The form of the logbook: its tables, and what each column may hold. The database itself refuses everything else
(CHECK), so that no row is ever in it that cannot be read; a logbook of another machine goes through the same words.

Form 1 had no looks, 2 no practice, 3 nothing that held a column to its type.
"""

import sqlite3
import time
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote

FORM = 4
_MOST_SECONDS, _MOST_CENTS, _MOST_COUNT = 10**8, 10**12, 10**9
_MOST_TEXT = 5000
_NO_DAY = "1970-01-01T00:00:00Z"
_PATIENCE_S = 8.0  # for one row of a foreign logbook: a table may be made to go on for ever


@dataclass(frozen=True)
class Column:
    """sql: its declaration. check: condition on {c}. start: what it is where an older form does not have it."""

    name: str
    sql: str
    check: str
    start: object = None

    @property
    def condition(self) -> str:
        """True for a value that may be there, never NULL."""
        return f"({self.check.format(c=self.name)}) IS 1"

    @property
    def needed(self) -> bool:
        """True where a row is none without it."""
        return self.start is None and "NOT NULL" in self.sql

    @property
    def safe(self) -> str:
        """What is read of it, whatever it holds: a value of its type."""
        start = self.start
        if start is None and self.needed:
            start = {"TEXT": "", "REAL": 0.0}.get(self.sql.split()[0], 0)
            if "GLOB" in self.check:
                start = _NO_DAY
        shown = "NULL" if start is None else f"'{start}'" if isinstance(start, str) else str(start)
        return f"CASE WHEN {self.condition} THEN {self.name} ELSE {shown} END"

    @property
    def mended(self) -> str:
        """What is taken of it: as it is, or as it starts where it cannot be; as it is where a row needs it."""
        start = f"'{self.start}'" if isinstance(self.start, str) else "NULL" if self.start is None else str(self.start)
        return self.name if self.needed else f"CASE WHEN {self.condition} THEN {self.name} ELSE {start} END"


def _text(name: str, *, start: str | None = None) -> Column:
    default = "" if start is None else f" DEFAULT '{start}'"
    return Column(name, f"TEXT NOT NULL{default}", f"typeof({{c}}) = 'text' AND length({{c}}) <= {_MOST_TEXT}", start)


def _key(name: str) -> Column:
    return Column(name, "TEXT NOT NULL", "typeof({c}) = 'text' AND length({c}) BETWEEN 1 AND 200")


def _when(name: str, *, start: str | None = None) -> Column:
    day = ("{c} GLOB '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]*' AND substr({c}, 6, 2) BETWEEN '01' AND '12' AND "
           "substr({c}, 9, 2) BETWEEN '01' AND '31' AND length({c}) <= 40")
    none = "{c} = '' OR " if start == "" else ""
    default = "" if start is None else f" DEFAULT '{start}'"
    return Column(name, f"TEXT NOT NULL{default}", f"typeof({{c}}) = 'text' AND ({none}({day}))", start)


def _whole(name: str, most: int, *, least: int | None = None, start: int | None = None, none: bool = False) -> Column:
    check = f"typeof({{c}}) = 'integer' AND {{c}} BETWEEN {-most if least is None else least} AND {most}"
    default = "" if start is None else f" DEFAULT {start}"
    return Column(name, f"INTEGER{'' if none else ' NOT NULL'}{default}",
                  f"{{c}} IS NULL OR ({check})" if none else check, start)


def _real(name: str, *, start: float | None = None, none: bool = False) -> Column:
    check = "typeof({c}) = 'real' AND {c} BETWEEN -1e12 AND 1e12"
    default = "" if start is None else f" DEFAULT {start}"
    return Column(name, f"REAL{'' if none else ' NOT NULL'}{default}", f"{{c}} IS NULL OR ({check})" if none else check,
                  start)


TABLES: Mapping[str, tuple[Column, ...]] = {
    "jobs": (_key("id"), _text("title", start=""), _text("client", start=""), _text("kind", start=""),
             _text("route", start=""), _when("began"), _when("delivered_at", start=""),
             _whole("demo", 1, least=0, start=0), _whole("rate_cents", _MOST_CENTS, none=True),
             _whole("price_cents", _MOST_CENTS, none=True), _text("currency", start=""), _text("machine", start=""),
             _when("changed", start="")),
    "spans": (_key("uid"), _key("job_id"), _text("stage"), _text("kind", start=""),
              _whole("finds", _MOST_COUNT, start=0), _whole("seconds", _MOST_SECONDS), _when("at")),
    "planned": (_key("job_id"), _text("stage"), _whole("seconds", _MOST_SECONDS), _real("area", start=0.0)),
    "finds": (_key("job_id"), _text("kind"), _whole("mended", _MOST_COUNT)),
    "gauges": (_key("job_id"), _text("gauge"), _text("label"), _real("value"), _real("low"), _real("high"),
               _text("unit", start="")),
    "deliveries": (_key("uid"), _key("job_id"), _text("output"), _text("path"), _text("format"),
                   _whole("width", _MOST_COUNT), _whole("height", _MOST_COUNT), _whole("bytes", 10**15),
                   _text("sha256"), _text("profile", start=""), _when("at")),
    "looks": (_key("uid"), _key("job_id"), _text("picked"), _when("at")),
    "practice": (_key("uid"), _whole("lesson", _MOST_COUNT), _whole("seed", 2**62), _real("score"),
                 _real("automatic", none=True), _real("seconds"), _when("at")),
}
KEYS = {"jobs": ("id",), "spans": ("uid",), "planned": ("job_id", "stage"), "finds": ("job_id", "kind"),
        "gauges": ("job_id", "gauge"), "deliveries": ("uid",), "looks": ("uid",), "practice": ("uid",)}
OF_A_JOB = tuple(table for table in TABLES if table not in ("jobs", "practice"))
"""Tables whose rows belong to a job, by `job_id`."""


def marks(table: str) -> str:
    """A question mark for each column."""
    return ", ".join("?" * len(TABLES[table]))


def created(table: str) -> str:
    """The statement that makes a table, as the database keeps it."""
    columns = [f"{c.name} {c.sql} CHECK ({c.condition})" for c in TABLES[table]]
    return f"CREATE TABLE {table} ({', '.join(columns)}, PRIMARY KEY ({', '.join(KEYS[table])}))"


def safe(table: str, *names: str) -> str:
    """Columns for a statement that reads: each gives a value of its type, whatever somebody wrote into the file."""
    held = {column.name: column.safe for column in TABLES[table]}
    return ", ".join(held[name] for name in names)


INDEXES = ("CREATE INDEX IF NOT EXISTS spans_of_job ON spans (job_id, stage, kind, finds, seconds)",
           "CREATE INDEX IF NOT EXISTS deliveries_of_job ON deliveries (job_id)",
           "CREATE INDEX IF NOT EXISTS looks_of_job ON looks (job_id)")
"""The first holds all that is asked of the spans, so that those of a hundred thousand jobs are read in order."""


def uri(path: Path, mode: str = "ro") -> str:
    """A file by name for SQLite, whatever signs the name holds."""
    return f"file:{quote(str(path.absolute()))}?mode={mode}"


def as_text(data: bytes) -> str:
    """Text as it is stored; bytes that are no UTF-8 become �."""
    return str(data, "utf-8", "replace").replace("\0", "\ufffd")


@dataclass
class Foreign:
    """Another database, read without trust: tables alone, in typed columns, no view, no loaded module, no row that
    takes for ever. left_out: rows that were not what they should be, or of which a value was not. earlier: what stands
    before the names of its tables.
    """

    db: sqlite3.Connection
    earlier: str = ""
    left_out: int = 0

    def __post_init__(self):
        self._until = time.monotonic() + _PATIENCE_S
        self.db.text_factory = as_text
        self.db.execute("PRAGMA trusted_schema=OFF")
        self.db.set_progress_handler(lambda: time.monotonic() > self._until, 100_000)

    def columns(self, table: str) -> set[str]:
        """Names of a table's columns; none where it is not there, or is no plain table."""
        made = self.db.execute("SELECT sql FROM sqlite_master WHERE type = 'table' AND name = ?",
                               (self.earlier + table,)).fetchone()
        if made is None or str(made[0]).upper().lstrip().startswith("CREATE VIRTUAL"):
            return set()
        return {str(row[1]) for row in self.db.execute(f"PRAGMA table_info({self.earlier}{table})")}

    def has_any(self) -> bool:
        """True if it holds one of our tables."""
        return any(self.columns(table) for table in TABLES)

    def rows(self, table: str) -> Iterator[tuple]:
        """Rows of a table in the order of our columns. What a row does not need and cannot be is left out of it.

        Raises sqlite3.Error.
        """
        given = 0
        for _, *row in self.numbered(table, "1"):
            given += 1
            yield tuple(row)
        if self.columns(table):
            self._until = time.monotonic() + _PATIENCE_S
            (count,) = self.db.execute(f"SELECT COUNT(*) FROM {self.earlier}{table}").fetchone()
            self.left_out += max(0, count - given)

    def numbered(self, table: str, further: str) -> Iterator[tuple]:
        """As `rows`, with the row's number before its columns. further: a condition, and an ordering."""
        there, columns = self.columns(table), TABLES[table]
        if not there or any(c.needed and c.name not in there for c in columns):
            return
        own = [c for c in columns if c.name in there]
        asked = ", ".join(c.mended if c in own else "NULL" if c.start is None else repr(c.start) for c in columns)
        needed = " AND ".join(c.condition for c in own if c.needed)
        whole = " AND ".join(c.condition for c in own)
        for rowid, *row, is_whole in self.db.execute(
                f"SELECT rowid, {asked}, ({whole}) FROM {self.earlier}{table} NOT INDEXED "
                f"WHERE {needed} AND {further}"):
            self._until = time.monotonic() + _PATIENCE_S
            self.left_out += not is_whole
            yield (rowid, *row)
