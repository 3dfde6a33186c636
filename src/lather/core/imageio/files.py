"""What a path leads to, told before it is read or written: a pipe would wait for ever, a device never ends."""

import os
import stat
from pathlib import Path

from lather.core.errors import PictureError, SaveError
from lather.core.phrases import phrase


def check_regular(path: Path, error: type[Exception], what: str) -> None:
    """Raises `error` with one sentence unless `path` is a file that can be looked at; `what`: picture or job."""
    try:
        mode = path.stat().st_mode
    except (FileNotFoundError, NotADirectoryError):
        raise error(phrase("There is no file %1; check the name.", path), path=path) from None
    except (OSError, ValueError) as reason:
        why = getattr(reason, "strerror", None) or reason
        raise error(phrase("%1 cannot be read (%2); check its name and permissions.", path, why), path=path) from None
    if stat.S_ISDIR(mode):
        raise error(phrase("%1 is a folder; name a %2 in it.", path, what), path=path)
    if not stat.S_ISREG(mode):
        raise error(phrase("%1 is a pipe or a device, no file; save the %2 to a file first.", path, what), path=path)


def read_bytes(path: Path) -> bytes:
    """All of a picture file. Raises PictureError."""
    check_regular(path, PictureError, "picture")
    try:
        return path.read_bytes()
    except OSError as error:
        raise PictureError(phrase("%1 cannot be read (%2); check its permissions.", path,
                                  error.strerror), path=path) from None
    except MemoryError:
        raise PictureError(phrase("%1 needs more memory than is free; close other programs.",
                                  path.name), path=path) from None


def file_key(path: str | Path) -> tuple:
    """Equal for two paths exactly when they lead to one file, links included, whether it is there yet or not."""
    path = Path(path)
    try:
        found = path.stat()
        return found.st_dev, found.st_ino
    except (OSError, ValueError):
        resolved = Path(os.path.realpath(path))
        try:
            folder = resolved.parent.stat()
            return folder.st_dev, folder.st_ino, resolved.name
        except (OSError, ValueError):
            return (str(resolved),)


def is_same_file(a: str | Path | None, b: str | Path | None) -> bool:
    """True if both are given and lead to one file."""
    return a is not None and b is not None and file_key(a) == file_key(b)


def is_there(path: str | Path) -> bool:
    """True if something is at a path; False too for what no file system takes as a name."""
    try:
        return Path(path).exists()
    except (OSError, ValueError):
        return False


def is_folder(path: str | Path) -> bool:
    """True for a folder that is there."""
    return is_there(path) and Path(path).is_dir()


def holds(path: Path, data: bytes) -> bool:
    """True if a file is there and holds exactly these bytes."""
    try:
        return bool(data) and path.stat().st_size == len(data) and path.read_bytes() == data
    except (OSError, ValueError):
        return False


def refuse_unwritable(path: Path) -> None:
    """Raises SaveError for what no picture or job is ever written over: a folder, a pipe, a device."""
    try:
        mode = path.stat().st_mode
    except (OSError, ValueError):
        return  # not there yet
    if stat.S_ISDIR(mode):
        raise SaveError(phrase("%1 is a folder; name a file in it.", path), path=path)
    if not stat.S_ISREG(mode):
        raise SaveError(phrase("%1 is a pipe or a device, no file; choose another name.", path), path=path)
