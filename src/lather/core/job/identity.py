"""Which save of a job a file holds: told without reading it all, so that two programs do not undo each other's work."""

import hashlib
import zipfile
from dataclasses import dataclass
from pathlib import Path

from lather.core.errors import ChangedOnDisk


@dataclass(frozen=True)
class JobIdentity:
    """`digest`: of the names, sizes and checksums of all parts of the job file."""

    digest: str

    @classmethod
    def of_archive(cls, archive: zipfile.ZipFile) -> "JobIdentity":
        """By names, sizes and checksums of the members, without reading them."""
        parts = sorted((info.filename, info.file_size, info.CRC) for info in archive.infolist())
        return cls(hashlib.sha256(repr(parts).encode(errors="surrogatepass")).hexdigest()[:32])


def identity_of(path: Path) -> JobIdentity | None:
    """Of the job file at a path; None if there is none. A file that is no job has an identity of its own."""
    try:
        with zipfile.ZipFile(path) as archive:
            return JobIdentity.of_archive(archive)
    except FileNotFoundError:
        return None
    except Exception:  # damaged, or no job at all: known by its size and time
        found = path.stat()
        return JobIdentity(f"no job, {found.st_size} bytes, {found.st_mtime_ns}")


def only_if_unchanged(path: Path, expected: JobIdentity | None) -> None:
    """Raises ChangedOnDisk if another save than the expected one (None: no file) lies at `path`.

    Where nothing lies any more there is nothing to lose.
    """
    if identity_of(path) not in (expected, None):
        raise ChangedOnDisk(path, was_there=expected is not None)
