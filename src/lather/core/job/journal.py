"""Between saves every step is written down at once, so that a crash loses at most the stroke under the pen.

One file per open job: lines of `CRC32 JSON`. The first says what the steps build on (a job file, or a photo
and the empty job made from it); each other one is a record of `History`. Records hold absolute places in the
undo list, so playing them twice does no harm.
"""

import base64
import fcntl
import json
import os
import threading
import zlib
from dataclasses import dataclass
from pathlib import Path

from lather.core.errors import LatherError
from lather.core.imageio.write import write_atomically
from lather.core.job.history import History
from lather.core.job.model import Job, job_from_json, job_to_json
from lather.core.job.stroke_arrays import points_from_npy, points_to_npy


def journal_folder() -> Path:
    state = os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state"
    return Path(state) / "lather" / "journals"


def _line(record: dict) -> bytes:
    body = json.dumps(record).encode()
    return b"%08x %s\n" % (zlib.crc32(body), body)


def _encoded_points(strokes) -> dict[str, str]:
    return {s.id: base64.b64encode(points_to_npy(s.points)).decode() for s in strokes}


def _decoded_points(record: dict) -> dict:
    return {
        key: points_from_npy(base64.b64decode(value), key) for key, value in record.get("points", {}).items()
    }


class Journal:
    """The journal of one open job; hold it open while the job is open."""

    def __init__(self, job: Job, *, job_file: Path | None, photo_path: Path | None, folder: Path | None = None):
        self._folder = folder or journal_folder()
        self._folder.mkdir(parents=True, exist_ok=True)
        self.path = self._folder / f"{job.id}.{os.getpid()}.journal"
        self._file = None
        self._sync = threading.Event()
        self._closed = False
        self._lock = threading.Lock()
        self.begin(job, job_file=job_file, photo_path=photo_path)
        threading.Thread(target=self._sync_loop, name="journal-sync", daemon=True).start()

    def begin(self, job: Job, *, job_file: Path | None, photo_path: Path | None, records: list = ()) -> None:
        """Start anew on a saved job file or a photo; `records` are steps made since that save began."""
        header = {
            "step": "open", "journal": 1, "job_file": str(job_file) if job_file else None,
            "photo": str(photo_path) if photo_path else None, "base": job_to_json(job), "title": job.title,
            "points": {} if job_file else _encoded_points(job.edits()),
        }
        lines = _line(header) + b"".join(_line(record) for record in records)
        with self._lock:
            write_atomically(self.path, lambda file: file.write(lines))
            if self._file:
                self._file.close()
            self._file = open(self.path, "ab", buffering=0)  # noqa: SIM115 (held open and locked while the job is)
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def append(self, record: dict, strokes: tuple) -> dict:
        """Write one record now (survives a killed process); the disk is flushed a moment later."""
        record = dict(record)
        if strokes:
            record["points"] = _encoded_points(strokes)
        with self._lock:
            self._file.write(_line(record))
        self._sync.set()
        return record

    def _sync_loop(self) -> None:
        while self._sync.wait():
            self._sync.clear()
            with self._lock:
                if self._closed:
                    return
                os.fsync(self._file.fileno())

    def close(self, *, keep: bool = False) -> None:
        """End of the job; the journal goes unless there is something in it to offer again."""
        with self._lock:
            self._closed = True
            self._file.close()
        self._sync.set()
        if not keep:
            self.path.unlink(missing_ok=True)


@dataclass
class Leftover:
    """A journal whose program is gone: what the next start offers to go on with."""

    path: Path
    title: str
    job_file: Path | None
    photo: Path | None
    steps: int
    _records: list
    _head: dict

    def replay(self, history: History | None) -> History:
        """Play the steps on the history of the job file, or (None) on the empty job of the photo."""
        history = history or History(job_from_json(self._head["base"], _decoded_points(self._head)))
        for record in self._records:
            try:
                history.replay(record, _decoded_points(record))
            except (KeyError, LatherError):
                break  # steps after one that does not fit would build on sand
        return history

    def discard(self) -> None:
        self.path.unlink(missing_ok=True)


def read_records(path: Path) -> list[dict]:
    """Whole records in order; reading stops at the first torn or damaged line."""
    records = []
    for line in path.read_bytes().split(b"\n"):
        crc, _, body = line.partition(b" ")
        try:
            if int(crc, 16) != zlib.crc32(body):
                break
            records.append(json.loads(body))
        except ValueError:
            break
    return records


def leftovers(folder: Path | None = None) -> list[Leftover]:
    """Journals left by programs that are gone and hold steps, newest first; empty ones are swept away."""
    folder = folder or journal_folder()
    found = []
    for path in sorted(folder.glob("*.journal"), key=lambda p: -p.stat().st_mtime) if folder.exists() else ():
        with open(path, "rb") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                continue  # its program still runs
        records = read_records(path)
        if len(records) < 2 or records[0].get("step") != "open":
            path.unlink(missing_ok=True)
            continue
        head = records[0]
        found.append(
            Leftover(
                path, head["title"], Path(head["job_file"]) if head["job_file"] else None,
                Path(head["photo"]) if head["photo"] else None, len(records) - 1, records[1:], head,
            )
        )
    return found
