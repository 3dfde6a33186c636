"""The one place that every command asks before it writes: nothing is written over what was read, over the logbook, or
over any file that no command of Lather's wrote, unless `--replace` is said.
"""

import argparse
import os
import zipfile
import zlib
from collections.abc import Iterable, Sequence
from pathlib import Path

from lather.core.errors import RequestError, SaveError
from lather.core.imageio.extra import ENDINGS
from lather.core.imageio.files import file_key, refuse_unwritable
from lather.core.imageio.write import FORMATS
from lather.core.imageio.written import claim, note, own
from lather.core.record.logbook import logbook_path
from lather.core.record.logbook_files import BESIDE


def refuse_file(path: str | Path) -> None:
    """Raises SaveError for what is to be a folder and is a file, or has the name of one."""
    path = Path(path)
    if not path.is_dir() and (path.suffix.lower() in (*FORMATS, ".lather") or path.exists()):
        raise SaveError(f"{path} is a file; for many files name a folder.")


def make_folder(path: str | Path) -> None:
    """Raises SaveError where there can be no folder, or where the name says a file."""
    refuse_file(path)
    try:
        Path(path).mkdir(parents=True, exist_ok=True)
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or error
        raise SaveError(f"The folder {path} cannot be made ({why}); choose another.") from None


_claimed: list[Path] = []
"""What this command may write."""


def add_replace_argument(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--replace", action="store_true", help="write over a file that is there already, though no "
                        "command of Lather's wrote it or it was changed since (never over what is read)")


def may_write(
    outputs: Sequence[str | Path], inputs: Iterable[str | Path] = (), *, folders: Iterable[str | Path] = (),
    replace: bool = False, claimed: bool = True,
) -> None:
    """Raises RequestError or SaveError if an output is an input, the photo inside one, another output, the logbook, no
    file, or a file that is there and not ours to replace. From then on these are ours (claimed: from now on, else each
    as it comes to be written).

    Files are told by what they are, not by their names: links do not hide one. folders: they will be made.
    """
    _refuse_clashes(outputs, inputs, folders)
    paths = [Path(path) for path in outputs]
    logbooks = {file_key(logbook_path()), *(file_key(f"{logbook_path()}{ending}") for ending in BESIDE)}
    there = [path for path in paths if path.exists()]
    for path in there:
        if file_key(path) in logbooks:
            raise RequestError(f"{path} is the logbook, which nothing is written over; choose another name.")
    if not replace:
        ours = own(there)
        for path in there:
            if str(path) not in ours:
                raise SaveError(f"{path} is there already, and is none that Lather wrote as it is now; choose another "
                                "name, or say --replace.", path=path)
    if claimed:
        claim(paths)
        _claimed.extend(paths)


def note_written() -> None:
    """What this command wrote is left as it is now: the next one may write it anew."""
    note(path for path in _claimed if path.is_file())
    _claimed.clear()


def refuse_ending(path: str | Path, what: str, *, allowed: Iterable[str] = ()) -> None:
    """Raises RequestError for a name whose ending says a picture, a job or a database, though it is to be a `what`."""
    ending = Path(path).suffix.lower()
    if ending in (*FORMATS, *ENDINGS, ".lather", ".sqlite", ".ts") and ending not in allowed:
        raise RequestError(f"{path}: a {what} has another ending than {ending}.")


def _refuse_clashes(
    outputs: Sequence[str | Path], inputs: Iterable[str | Path], folders: Iterable[str | Path]
) -> None:
    made = {Path(folder) for folder in folders}
    read = {file_key(path): Path(path) for path in inputs}
    photos = [photo for path in read.values() for photo in _photos_inside(path)]
    written: dict[tuple, Path] = {}
    for path in map(Path, outputs):
        refuse_unwritable(path)
        if path.parent not in made and not path.parent.is_dir():
            raise RequestError(f"The folder {path.parent} does not exist; make it or choose another.")
        if path.parent.is_dir() and not os.access(path.parent, os.W_OK):
            raise RequestError(f"Nothing can be written to {path.parent}; choose another folder.")
        key = file_key(path)
        if key in read:
            raise RequestError(f"{path} is {read[key]}, which this command reads; choose another name to write to.")
        if key in written:
            raise RequestError(f"{path} would be written twice (also as {written[key]}); choose names that differ.")
        if any(_is_photo(path, *photo) for photo in photos):
            raise RequestError(f"{path} is the photo itself, which is never changed; choose another name.")
        written[key] = path


def _photos_inside(path: Path) -> list[tuple[int, int]]:
    """(bytes, CRC-32) of the photo in a job file; nothing for other files: they are told when they are read."""
    if not path.is_file():  # a pipe would wait
        return []
    try:
        with zipfile.ZipFile(path) as archive:
            return [(i.file_size, i.CRC) for i in archive.infolist() if i.filename.startswith("source/")]
    except Exception:
        return []


def _is_photo(path: Path, size: int, crc: int) -> bool:
    try:
        return path.stat().st_size == size and zlib.crc32(path.read_bytes()) == crc
    except OSError:
        return False
