"""What can be wrong with a logbook, told apart: each has another way out."""

import sqlite3
from pathlib import Path

from lather.core.errors import LatherError
from lather.core.phrases import phrase


class LogbookError(LatherError):
    """The logbook cannot be read or written. reason: one of the words below."""

    def __init__(self, message: str, reason: str = ""):
        super().__init__(message)
        self.reason = reason


BUSY, FULL, NEWER, DAMAGED, NONE, CLOSED = "busy", "full", "newer", "damaged", "no logbook", "closed"
_REASONS = {
    sqlite3.SQLITE_BUSY: BUSY, sqlite3.SQLITE_LOCKED: BUSY, sqlite3.SQLITE_FULL: FULL, sqlite3.SQLITE_IOERR: FULL,
    sqlite3.SQLITE_CORRUPT: DAMAGED, sqlite3.SQLITE_NOTADB: NONE, sqlite3.SQLITE_CANTOPEN: CLOSED,
    sqlite3.SQLITE_READONLY: CLOSED, sqlite3.SQLITE_PERM: CLOSED,
}


def told(path: Path | None, error: Exception) -> LogbookError:
    """What an error of the database means, in one sentence with what to do."""
    if isinstance(error, UnicodeError):  # SQLite quotes a damaged table of contents
        error = sqlite3.DatabaseError("its table of contents cannot be read")
    reason = _REASONS.get(getattr(error, "sqlite_errorcode", 0) & 0xFF, DAMAGED if isinstance(
        error, sqlite3.DatabaseError) and not isinstance(error, sqlite3.OperationalError | sqlite3.IntegrityError)
        else "")
    sentences = {
        BUSY: phrase("The logbook %1 is in use by another program; try again in a moment.", path),
        FULL: phrase("The logbook %1 cannot be written (%2); free some space. Your work on the photo is not touched by "
                     "this.", path, error),
        DAMAGED: phrase("The logbook %1 is damaged (%2); `lather log --repair` saves what can be read.", path, error),
        NONE: phrase("%1 is no logbook; put a backup in its place, or move it away and a new one is begun.", path),
        CLOSED: phrase("The logbook %1 cannot be opened (%2); check the permissions of its folder, or choose another "
                       "with XDG_DATA_HOME.", path, error),
    }
    return LogbookError(sentences.get(reason) or phrase("The logbook %1 could not take that (%2). Your work on the "
                                                        "photo is not touched by this.", path, error), reason)
