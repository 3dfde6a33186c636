"""The files of a logbook: held while it is open, copied whole, put aside together."""

import fcntl
import os
import sqlite3
from contextlib import closing, suppress
from pathlib import Path

from lather.core.imageio.atomic import part_beside, registered

BESIDE = ("-wal", "-shm")
"""What SQLite keeps beside it; the first holds changes that are not in the file yet."""


def in_use(path: Path, *, alone: bool) -> int | None:
    """A handle that says the logbook is open, until it is closed; None where others hold it so that this cannot be.

    alone: nobody else may have it open. A file of its own carries the lock: any handle on the database that is closed
    would take SQLite's own locks along. Raises OSError.
    """
    handle = os.open(path.with_name(f".{path.name}.open"), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(handle, (fcntl.LOCK_EX if alone else fcntl.LOCK_SH) | fcntl.LOCK_NB)
    except OSError:
        os.close(handle)
        return None
    return handle


def copy_whole(db: sqlite3.Connection, path: Path) -> None:
    """A copy of an open database, also while others write; whole under its name or not there at all.

    Raises OSError or sqlite3.Error.
    """
    part = part_beside(path)
    with registered(part):
        try:
            with closing(sqlite3.connect(str(part))) as copy:
                db.backup(copy)
                copy.execute("PRAGMA journal_mode=DELETE")
            with open(part, "rb") as file:
                os.fsync(file.fileno())
            os.replace(part, path)
        finally:
            for ending in ("", *BESIDE, "-journal"):
                with suppress(OSError):
                    part.with_name(part.name + ending).unlink(missing_ok=True)


def put_aside(path: Path, aside: Path) -> None:
    """Move a logbook with what lies beside it. Raises OSError."""
    for ending in BESIDE:
        with suppress(FileNotFoundError):
            os.replace(path.with_name(path.name + ending), aside.with_name(aside.name + ending))
    os.replace(path, aside)
