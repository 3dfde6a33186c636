"""Between saves every step is written down at once, so that a crash loses at most the stroke under the pen.

One file per open job: lines of `CRC32 JSON`. The first says what the steps build on (a job file, or a photo
and the empty job made from it); each other one is a record of `History`. Records hold absolute places in the
undo list, so playing them twice does no harm. A journal is locked as long as its program lives.
"""

import base64
import fcntl
import io
import json
import logging
import os
import secrets
import threading
import zlib
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from lather.core.errors import LatherError
from lather.core.imageio.atomic import part_beside, registered
from lather.core.job.document import job_from_json, job_to_json
from lather.core.job.history import History
from lather.core.job.identity import JobIdentity
from lather.core.job.model import Job
from lather.core.job.stroke_arrays import points_from_npy, points_to_npy
from lather.core.state import state_folder
from lather.core.strict_json import MALFORMED, mended

_log = logging.getLogger(__name__)
_TRY_AGAIN_S = 5.0
_MOST_LINE_BYTES = 2 * 1024**3  # the first line may hold the points of a whole job


def journal_folder() -> Path:
    """Where the journals of all open jobs lie."""
    return state_folder() / "journals"


def _line(record: dict) -> bytes:
    body = json.dumps(record).encode()
    return b"%08x %s\n" % (zlib.crc32(body), body)


def _encoded_points(strokes) -> dict[str, str]:
    return {s.id: base64.b64encode(points_to_npy(s.points)).decode() for s in strokes}


def _decoded_points(record: dict) -> dict:
    return {
        key: points_from_npy(base64.b64decode(value), key) for key, value in record.get("points", {}).items()
    }


def step_record(step: dict, strokes: tuple) -> dict:
    """A record of `History`, with the points of its strokes."""
    return step | {"points": _encoded_points(strokes)} if strokes else step


def _lock(handle: int) -> bool:
    """True if the lock was free (it goes with the last handle, so with the program)."""
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        return True
    except OSError:
        return False


class Journal:
    """The journal of one open job; hold it open while the job is open.

    What cannot be written (a full disk) waits and is tried again with every step and every few seconds. problem: why
    something waits, "" while all is on the disk. Nothing here raises OSError.
    """

    def __init__(self, job: Job, *, job_file: Path | None, photo_path: Path | None, folder: Path | None = None,
                 identity: JobIdentity | None = None):
        self.path = (folder or journal_folder()) / f"{secrets.token_hex(8)}.journal"
        self.problem = ""
        self._file: io.FileIO | None = None
        self._waiting: list[bytes] = []
        self._anew = True  # the whole file is still to be written
        self._wake = threading.Event()
        self._closed = False
        self._lock = threading.Lock()
        self.begin(job, job_file=job_file, photo_path=photo_path, identity=identity)
        threading.Thread(target=self._sync_loop, name="journal-sync", daemon=True).start()

    def begin(
        self, job: Job, *, job_file: Path | None, photo_path: Path | None, identity: JobIdentity | None = None,
        records: Sequence[dict] = (), whole: bool | None = None,
    ) -> None:
        """Start anew on a save of a job file, or on a photo; `records` are steps made since.

        identity: of the save. whole: the steps build on `job` itself, not on the undo list in the file.
        """
        whole = job_file is None if whole is None else whole
        header = {
            "step": "open", "journal": 1, "job_file": str(job_file) if job_file else None, "whole": whole,
            "identity": identity.digest if identity else None, "photo": str(photo_path) if photo_path else None,
            "base": job_to_json(job), "title": job.title, "points": _encoded_points(job.edits()) if whole else {},
        }
        with self._lock:
            self._anew = True
            self._waiting = [_line(header), *(_line(record) for record in records)]
            self._write_waiting()

    def append(self, record: dict, strokes: tuple) -> dict:
        """Write one record now (survives a killed process); the disk is flushed a moment later."""
        record = step_record(dict(record), strokes)
        with self._lock:
            self._waiting.append(_line(record))
            self._write_waiting()
        self._wake.set()
        return record

    def _write_waiting(self) -> None:
        try:
            if self._anew:
                self._write_file(b"".join(self._waiting))
            else:
                self._write_lines(b"".join(self._waiting))
        except OSError as error:
            if not self.problem:  # it is tried again every few seconds
                _log.warning("The journal cannot be written", exc_info=error)
            self.problem = error.strerror or str(error)
        else:
            self._waiting, self._anew, self.problem = [], False, ""

    def _write_file(self, data: bytes) -> None:
        """Under its final name the journal is whole, and locked, from the first moment."""
        self.path.parent.mkdir(parents=True, exist_ok=True)
        temporary = part_beside(self.path)
        file = None
        with registered(temporary):
            try:
                file = open(temporary, "xb", buffering=0)  # noqa: SIM115 (held open and locked while the job is)
                _lock(file.fileno())
                _write_all(file, data)
                os.fsync(file.fileno())
                os.replace(temporary, self.path)
            except OSError:
                if file is not None:
                    file.close()
                raise
            finally:
                temporary.unlink(missing_ok=True)
        if self._file is not None:
            self._file.close()
        self._file = file

    def _write_lines(self, data: bytes) -> None:
        """All or nothing: a torn line would hide those after it."""
        file = self._file
        if file is None:
            raise OSError("the journal is not open")
        end = file.seek(0, os.SEEK_END)
        try:
            _write_all(file, data)
        except OSError:
            file.truncate(end)
            raise

    def _sync_loop(self) -> None:
        while True:
            self._wake.wait(_TRY_AGAIN_S if self._waiting else None)
            self._wake.clear()
            with self._lock:
                if self._closed:
                    return
                if self._waiting:
                    self._write_waiting()
                handle = os.dup(self._file.fileno()) if self._file is not None else None
            if handle is not None:  # outside the lock: a slow disk does not hold the pen up
                with suppress(OSError):
                    os.fsync(handle)
                os.close(handle)

    def close(self, *, keep: bool = False) -> None:
        """End of the job; the journal goes unless there is something in it to offer again."""
        with self._lock:
            self._closed = True
            if not keep:
                with suppress(OSError):
                    self.path.unlink(missing_ok=True)
            if self._file is not None:
                with suppress(OSError):  # the thread that syncs may hold it open a moment longer
                    fcntl.flock(self._file.fileno(), fcntl.LOCK_UN)
                self._file.close()
        self._wake.set()


def _write_all(file, data: bytes) -> None:
    """An unbuffered write may stop half-way where room ends."""
    view = memoryview(data)
    while view:
        view = view[file.write(view):]


@dataclass
class Leftover:
    """A journal whose program is gone: what the next start offers to go on with.

    identity: of the save that the steps build on, None where that is not known. whole: they build on the job in the
    journal itself.
    """

    path: Path
    title: str
    job_file: Path | None
    photo: Path | None
    steps: int
    identity: JobIdentity | None
    whole: bool
    _records: list
    _head: dict
    _held: io.BufferedReader | None = None

    def claim(self) -> bool:
        """Take it for this program; False if another one has it, or has brought it back already."""
        if self._held is None:
            self._held = _locked(self.path)
        return self._held is not None

    def release(self) -> None:
        """Let others have it again."""
        if self._held is not None:
            self._held.close()
            self._held = None

    def replay(self, history: History | None) -> History:
        """Play the steps on the history of the job file, or (None) on the job in the journal itself."""
        history = history or History(job_from_json(self._head["base"], _decoded_points(self._head)))
        for record in self._records:
            try:
                history.replay(record, _decoded_points(record))
            except (LatherError, *MALFORMED):
                break  # steps after one that does not fit would build on sand
        return history

    def discard(self) -> None:
        """Throw its steps away; nothing happens where another program has it."""
        if self.claim():
            self.path.unlink(missing_ok=True)
            self.release()


def _locked(path: Path):
    """The open, locked file of a journal whose program is gone; None if it lives, or the journal is not there."""
    try:
        file = open(path, "rb")  # noqa: SIM115 (the lock lasts as long as it is open)
    except OSError:
        return None
    with suppress(OSError):
        if _lock(file.fileno()) and os.path.samestat(os.fstat(file.fileno()), path.stat()):
            return file
    file.close()
    return None


def read_records(path: Path) -> list[dict]:
    """Whole records in order; reading stops at the first torn or damaged line."""
    records = []
    for line in path.read_bytes().split(b"\n"):
        crc, _, body = line.partition(b" ")
        try:
            if int(crc, 16) != zlib.crc32(body):
                break
            record = mended(body, most_bytes=_MOST_LINE_BYTES)
        except ValueError:
            break
        if not isinstance(record, dict):
            break
        records.append(record)
    return records


def leftovers(folder: Path | None = None) -> list[Leftover]:
    """Journals left by programs that are gone and hold steps, newest first; empty ones are swept away."""
    dated = []
    for path in (folder or journal_folder()).glob("*.journal"):
        with suppress(OSError):
            dated.append((path.stat().st_mtime, path))
    found = [_leftover(path) for _, path in sorted(dated, reverse=True)]
    return [leftover for leftover in found if leftover is not None]


def leftovers_of(path: Path, folder: Path | None = None) -> list[Leftover]:
    """Those whose steps were made on a photo or a job file, newest first."""
    path = Path(path).resolve()
    return [left for left in leftovers(folder) if path in (left.job_file, None if left.job_file else left.photo)]


def _leftover(path: Path) -> Leftover | None:
    file = _locked(path)
    if file is None:
        return None
    with file:
        records = read_records(path)
        try:
            head = records[0]
            if head["step"] != "open" or len(records) < 2:
                raise ValueError("nothing to bring back")
            return Leftover(
                path, str(head["title"]), Path(head["job_file"]) if head["job_file"] else None,
                Path(head["photo"]) if head["photo"] else None, len(records) - 1,
                JobIdentity(head["identity"]) if head.get("identity") else None,
                bool(head.get("whole", head["job_file"] is None)), records[1:], head,
            )
        except MALFORMED:
            path.unlink(missing_ok=True)
            return None
