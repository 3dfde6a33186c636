"""The saves before this one: NAME.lather~1 (newest) to ~3."""

import os
import shutil
from pathlib import Path

from lather.core.imageio.atomic import part_beside, registered

KEPT_COPIES = 3


def copy_paths(path: Path) -> list[Path]:
    """Where earlier saves lie, newest first, whether they are there or not."""
    return [path.with_name(f"{path.name}~{n}") for n in range(1, KEPT_COPIES + 1)]


def keep_copies(path: Path) -> None:
    """Put the present file beside itself as ~1, the older ones one further; the present file stays where it is.

    The new copy is whole before an older one moves: a disk that is full costs none of them. Raises OSError.
    """
    if not path.exists():
        return
    copies = copy_paths(path)
    fresh = part_beside(path)
    with registered(fresh):
        try:
            _copy(path, fresh)
            for older, newer in zip(reversed(copies[1:]), reversed(copies[:-1])):
                if newer.exists():
                    os.replace(newer, older)
            os.replace(fresh, copies[0])
        finally:
            fresh.unlink(missing_ok=True)


def _copy(path: Path, fresh: Path) -> None:
    try:
        os.link(path, fresh)
    except OSError:  # a file system without hard links
        shutil.copyfile(path, fresh)
        with open(fresh, "rb") as file:
            os.fsync(file.fileno())
