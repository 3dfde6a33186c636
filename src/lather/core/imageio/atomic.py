"""Files appear whole or not at all: a temporary file beside the target is renamed at the end.

While it is written, the temporary file is registered in the state folder under a lock. A program that is killed leaves
it behind, and the next start sweeps it away; nothing is ever deleted that was not registered.
"""

import fcntl
import io
import os
import secrets
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from lather.core.errors import LatherError, SaveError
from lather.core.phrases import phrase
from lather.core.state import state_folder

_ENDING = ".part"
_own: set[Path] = set()  # temporary files that this program is writing now
_LONGEST_NAME = 100  # bytes of the target's name in that of the temporary file: a name has 255 at most


def _registry() -> Path:
    return state_folder() / "writing"


@contextmanager
def registered(temporary: Path) -> Iterator[None]:
    """While inside, `temporary` belongs to this program; if it dies, `sweep_parts` of a later one removes it."""
    entry = None
    try:
        _registry().mkdir(parents=True, exist_ok=True)
        entry = _registry() / secrets.token_hex(8)
        handle = os.open(entry, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600)
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        os.write(handle, os.fsencode(temporary.absolute()))
    except OSError:  # without a state folder files are written all the same
        handle = None
    _own.add(temporary)
    try:
        yield
    finally:
        _own.discard(temporary)
        if entry is not None:
            with suppress(OSError):
                entry.unlink()
        if handle is not None:
            os.close(handle)


def sweep_parts() -> list[Path]:
    """Remove temporary files of programs that are gone; returns which."""
    swept = []
    try:
        entries = list(_registry().iterdir())
    except OSError:
        return swept
    for entry in entries:
        with suppress(OSError), open(entry, "rb") as file:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)  # fails while its program lives
            temporary = Path(os.fsdecode(file.read()))
            if temporary.name.startswith(".") and temporary.name.endswith(_ENDING):
                with suppress(FileNotFoundError):
                    temporary.unlink()
                    swept.append(temporary)
            entry.unlink()
    return swept


def sweep_own_parts() -> None:
    """Before this program ends without unwinding: what it was writing goes, from whatever thread."""
    for temporary in list(_own):
        with suppress(OSError):
            temporary.unlink(missing_ok=True)


def part_beside(path: Path) -> Path:
    """A new name for a temporary file in the folder of `path`."""
    name = os.fsencode(path.name)[:_LONGEST_NAME].decode(errors="ignore")
    return path.with_name(f".{name}.{secrets.token_hex(4)}{_ENDING}")


def write_atomically(path: str | Path, write: Callable[[io.BufferedWriter], object]) -> None:
    """Call `write(file)` on a temporary file beside `path`, flush it to the disk, then rename it.

    Raises SaveError with what to do; then `path` is as it was before and nothing half-written stays.
    """
    path = Path(path)
    temporary = part_beside(path)
    try:
        with registered(temporary):
            try:
                with open(temporary, "xb") as file:
                    write(file)
                    file.flush()
                    os.fsync(file.fileno())
                os.replace(temporary, path)
            finally:
                temporary.unlink(missing_ok=True)
        _sync_folder(path.parent)
    except LatherError:
        raise
    except FileNotFoundError:
        raise SaveError(phrase("The folder %1 does not exist; make it or choose another.",
                               path.parent), path=path) from None
    except NotADirectoryError:
        raise SaveError(phrase("%1 is no folder; choose another.", path.parent), path=path) from None
    except OSError as error:
        reason = error.strerror or str(error)
        raise SaveError(
            phrase("%1 could not be written to %2 (%3); free some space or choose another folder.", path.name,
                   path.parent, reason),
            path=path,
        ) from error


def _sync_folder(folder: Path) -> None:
    """Make the rename itself survive a power cut, where the file system lets a folder be synced."""
    with suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
