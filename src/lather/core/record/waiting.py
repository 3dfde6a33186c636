"""What was to be logged while the logbook could not take it: kept line by line in the state folder, entered later.

Each line carries an id, from which the rows that it becomes have theirs: entered twice it is in the logbook once.
"""

import logging
import os
import uuid
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import closing, contextmanager, suppress
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

from lather.core import log
from lather.core.errors import LatherError
from lather.core.imageio.alone import alone
from lather.core.phrases import Phrase, phrase
from lather.core.record.clock import Span
from lather.core.record.entries import DeliveryNote, GaugeNote
from lather.core.record.logbook_error import BUSY, CLOSED, DAMAGED, FULL, NEWER, NONE, LogbookError
from lather.core.state import state_folder
from lather.core.strict_json import MALFORMED, parsed, written

if TYPE_CHECKING:
    from lather.core.record.logbook import Logbook

_log = logging.getLogger(__name__)
_LATER = (BUSY, CLOSED, DAMAGED, FULL, NEWER, NONE)
_CHANGES = ("note_job", "add_spans", "set_plan", "set_finds", "set_gauges", "add_delivery", "set_price", "add_look",
            "add_practice", "forget")
_MOST_LINE_BYTES = 4 * 1024**2


def waiting_file() -> Path:
    """Where it is kept."""
    return state_folder() / "logbook-waiting.jsonl"


@contextmanager
def _held() -> Iterator[Path]:
    """The file, to one program at a time. Raises OSError."""
    path = waiting_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    with alone(path.with_suffix(".lock")):
        yield path


class Waiting:
    """Takes the changes that a `Logbook` takes, by the same names, and keeps them. Raises LogbookError."""

    def __getattr__(self, name: str) -> Callable[..., None]:
        if name not in _CHANGES:
            raise AttributeError(name)
        return lambda *given, **named: self._keep(name, given, named)

    @staticmethod
    def _keep(name: str, given: tuple, named: dict) -> None:
        line = {"id": uuid.uuid4().hex, "do": name, "given": [_plain(one) for one in given], "named": named}
        try:
            data = written(line, indent=None) + b"\n"
            with _held() as path, open(path, "ab") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
        except (OSError, *MALFORMED) as error:
            raise LogbookError(phrase("What was to be logged cannot be kept (%1); free some space.",
                                      getattr(error, "strerror", None) or error), FULL) from error


def _plain(value: object) -> object:
    """What JSON holds of a change: notes and spans as their fields, numbers of NumPy as numbers."""
    if isinstance(value, DeliveryNote | GaugeNote | Span):
        return _plain(asdict(value))
    if isinstance(value, Mapping):
        return {str(key): _plain(one) for key, one in value.items()}
    if isinstance(value, str | int | float | None):
        return value
    return [_plain(one) for one in value] if isinstance(value, Iterable) else value.item()  # type: ignore


def enter(book: "Logbook") -> int:
    """Enter all that waits; how many changes. What cannot be entered now waits on. Raises nothing."""
    if not waiting_file().exists():
        return 0
    entered = 0
    with suppress(OSError), _held() as path:
        lines = path.read_bytes().splitlines(keepends=True) if path.exists() else []
        for at, line in enumerate(lines):
            try:
                _enter(book, parsed(line, most_bytes=_MOST_LINE_BYTES))
                entered += 1
            except LogbookError as error:
                log.expected(_log, error)
                if error.reason in _LATER:
                    _rewrite(path, lines[at:])
                    return entered
            except (LatherError, *MALFORMED):  # half a line, or one that no logbook takes
                _log.warning("A line of %s was left out", path, exc_info=True)
        path.unlink(missing_ok=True)
    return entered


def _rewrite(path: Path, lines: list[bytes]) -> None:
    part = path.with_suffix(".new")
    part.write_bytes(b"".join(lines))
    os.replace(part, path)


def _enter(book: "Logbook", line) -> None:
    name, given, named, uid = line["do"], list(line["given"]), dict(line["named"]), str(line["id"])
    if name not in _CHANGES:
        raise ValueError(f"no change: {name}")
    if name in ("add_spans", "add_look", "add_practice"):
        named["uid"] = uid
    if name == "add_spans":
        given[1] = [Span(**one) for one in given[1]]
    if name == "set_gauges":
        given[1] = [GaugeNote(**one) for one in given[1]]
    if name == "add_delivery":
        given[1] = DeliveryNote(**given[1])
    getattr(book, name)(*given, **named)


def write_or_keep(change: Callable[["Logbook | Waiting"], object], book: "Logbook | None" = None) -> Phrase | str:
    """Make a change in a logbook (None: the person's own) or, where that cannot be, keep it for later.

    "" or why it waits, in one sentence: nothing that is delivered fails for it.
    """
    from lather.core.record.logbook import Logbook

    try:
        try:
            if book is not None:
                change(book)
            else:
                with closing(Logbook()) as own:
                    change(own)
            return ""
        except LogbookError as error:
            said = log.expected(_log, error)
            change(Waiting())
            return phrase("%1 What was to be logged is kept, and entered when it can be.", said)
    except LatherError as error:  # neither
        return log.expected(_log, error)
