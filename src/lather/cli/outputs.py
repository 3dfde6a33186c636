"""What a command is about to write, looked at before any work starts: nothing is written over what was read."""

import os
import zipfile
import zlib
from collections.abc import Iterable, Sequence
from pathlib import Path

from lather.core.errors import RequestError, SaveError
from lather.core.imageio.files import file_key, refuse_unwritable
from lather.core.imageio.write import FORMATS


def make_folder(path: str | Path) -> None:
    """Raises SaveError where there can be no folder, or where the name says a file."""
    if Path(path).suffix.lower() in (*FORMATS, ".lather") and not Path(path).is_dir():
        raise SaveError(f"{path} is a file; for many photos name a folder.")
    try:
        Path(path).mkdir(parents=True, exist_ok=True)
    except FileExistsError:
        raise SaveError(f"{path} is a file; for many photos name a folder.") from None
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or error
        raise SaveError(f"The folder {path} cannot be made ({why}); choose another.") from None


def refuse_clashes(
    outputs: Sequence[str | Path], inputs: Iterable[str | Path], *, folders: Iterable[str | Path] = ()
) -> None:
    """Raises RequestError or SaveError if an output is an input, the photo inside one, another output, or no file.

    Files are told by what they are, not by their names: links do not hide one. folders: they will be made.
    """
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
