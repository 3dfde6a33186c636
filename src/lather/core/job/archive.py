"""The job file `.lather`: a ZIP described in docs/format.md. Saves are atomic and keep the last three."""

import hashlib
import json
import os
import re
import shutil
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

import lather
from lather.core.errors import JobFileError, LatherError
from lather.core.imageio.write import write_atomically
from lather.core.job.commands import command_from_json
from lather.core.job.history import History
from lather.core.job.model import Job, StrokePoints, job_from_json, job_to_json, same_document, source_from_json
from lather.core.job.stroke_arrays import points_from_npy, points_to_npy

MIMETYPE = "application/x-lather"
SCHEMA = 1
MAX_UNPACKED = 4 * 1024**3
_KEPT_COPIES = 3
_MAX_JSON = 256 * 1024**2
_PATCH_NAME = re.compile(r"patches/([0-9a-f]{32})\.(\d+)\.(-?\d+)_(-?\d+)\.png")


@dataclass
class OpenedJob:
    """What a job file held. `patches`: solved heals as stored, {fingerprint: [(x0, y0, PNG bytes), …]}."""

    history: History
    photo_name: str
    photo_bytes: bytes
    patches: dict[bytes, list[tuple[int, int, bytes]]] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)

    @property
    def job(self) -> Job:
        return self.history.job


def save_job(
    path: str | Path,
    *,
    base: Job,
    commands: tuple,
    position: int,
    job: Job,
    photo_bytes: bytes,
    patches: Mapping[bytes, list[tuple[int, int, bytes]]] | None = None,
    preview_png: bytes | None = None,
) -> None:
    """Write a job file whole or not at all. All arguments are immutable, so this may run in a thread.

    Raises SaveError; then the file of the last save is untouched.
    """
    path = Path(path)
    strokes = {edit.id: edit for edit in job.edits()}
    strokes |= {edit.id: edit for edit in base.edits()}
    for command in commands:
        strokes |= {edit.id: edit for edit in command.strokes()}
    document = {"schema": SCHEMA, "written_by": f"Lather {lather.__version__}"} | job_to_json(job)
    history = {
        "schema": SCHEMA, "position": position, "base": job_to_json(base),
        "commands": [command.to_json() for command in commands],
    }

    def write(file) -> None:
        with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
            archive.writestr("mimetype", MIMETYPE)
            archive.writestr("job.json", json.dumps(document, indent=1), zipfile.ZIP_DEFLATED)
            archive.writestr("history.json", json.dumps(history), zipfile.ZIP_DEFLATED)
            archive.writestr(f"source/{_plain_name(job.source.name)}", photo_bytes)
            for stroke in strokes.values():
                archive.writestr(f"strokes/{stroke.id}.npy", points_to_npy(stroke.points))
            for fingerprint, pieces in (patches or {}).items():
                for number, (x0, y0, png) in enumerate(pieces):
                    archive.writestr(f"patches/{fingerprint.hex()}.{number}.{x0}_{y0}.png", png)
            if preview_png:
                archive.writestr("preview.png", preview_png)

    def write_then_rotate(file) -> None:
        write(file)
        file.flush()
        _keep_copies(path)  # at the last moment, when the new file is whole

    write_atomically(path, write_then_rotate)


def _plain_name(name: str) -> str:
    return PurePosixPath(name.replace("\\", "/")).name or "photo"


def _keep_copies(path: Path) -> None:
    """NAME.lather~1 is the save before this one, ~3 the oldest; the present file stays where it is."""
    if not path.exists():
        return
    copies = [path.with_name(f"{path.name}~{n}") for n in range(1, _KEPT_COPIES + 1)]
    for older, newer in zip(reversed(copies[1:]), reversed(copies[:-1])):
        if newer.exists():
            os.replace(newer, older)
    try:
        os.link(path, copies[0])
    except OSError:
        shutil.copyfile(path, copies[0])


def _check_members(archive: zipfile.ZipFile, name: str, max_unpacked: int) -> None:
    total = 0
    for info in archive.infolist():
        parts = PurePosixPath(info.filename).parts
        if info.filename.startswith(("/", "\\")) or ".." in parts or "\\" in info.filename or ":" in info.filename:
            raise JobFileError(
                f"{name} holds a path that leads out of the file ({info.filename[:60]!r}); it was not made by Lather, "
                "do not trust it."
            )
        total += info.file_size
    if total > max_unpacked:
        raise JobFileError(
            f"{name} would unpack to {total / 1024**3:.1f} GiB, over the limit of {max_unpacked / 1024**3:.1f} GiB; "
            "raise the limit if you trust it."
        )


def _read_member(archive: zipfile.ZipFile, member: str, limit: int) -> bytes:
    """Read at most what the header promises: a lying header cannot fill the memory."""
    info = archive.getinfo(member)
    if info.file_size > limit:
        raise JobFileError(f"The part {member} of the job is too large; open an earlier copy.")
    with archive.open(info) as file:
        return file.read(info.file_size + 1)[: info.file_size]


def open_job(
    path: str | Path, *, max_unpacked: int = MAX_UNPACKED, on_photo: Callable[[bytes, str], None] | None = None
) -> OpenedJob:
    """Read a job file. Raises JobFileError with one clear sentence for anything that is not a whole job.

    on_photo: told the photo's bytes and name as soon as they are known to be right, before the rest is read.
    """
    path = Path(path)
    try:
        with zipfile.ZipFile(path) as archive:
            _check_members(archive, path.name, max_unpacked)
            return _read_job(archive, path.name, on_photo)
    except FileNotFoundError:
        raise JobFileError(f"There is no file {path}; check the name.", path=path) from None
    except IsADirectoryError:
        raise JobFileError(f"{path} is a folder; name a job in it.", path=path) from None
    except LatherError:
        raise
    except zipfile.BadZipFile:
        raise JobFileError(
            f"{path.name} is damaged or no Lather job; the last saves beside it end in ~1, ~2, ~3.", path=path
        ) from None
    except OSError as error:
        raise JobFileError(f"{path} cannot be read ({error.strerror}); check its permissions.", path=path) from None
    except (KeyError, TypeError, ValueError, AttributeError, IndexError, NotImplementedError) as error:
        raise JobFileError(
            f"{path.name} is damaged ({type(error).__name__} in its document); open the copy ending in ~1.", path=path
        ) from error


def _read_job(archive: zipfile.ZipFile, name: str, on_photo) -> OpenedJob:
    members = set(archive.namelist())
    if "mimetype" not in members or _read_member(archive, "mimetype", 100).decode("ascii", "replace") != MIMETYPE:
        raise JobFileError(f"{name} is a ZIP file but no Lather job; open the photo instead.")
    document = json.loads(_read_member(archive, "job.json", _MAX_JSON))
    schema = int(document.get("schema", 0))
    if schema > SCHEMA:
        raise JobFileError(
            f"{name} was written by a newer Lather (file version {schema}, this reads up to {SCHEMA}); update first."
        )
    source = source_from_json(document)
    photo_member = f"source/{_plain_name(source.name)}"
    if photo_member not in members:
        raise JobFileError(f"{name} does not hold its photo; open the copy ending in ~1.")
    photo = _read_member(archive, photo_member, MAX_UNPACKED)
    if hashlib.sha256(photo).hexdigest() != source.sha256:
        raise JobFileError(f"The photo inside {name} is not the one the job was made on (its checksum differs); "
                           "open the copy ending in ~1.")
    if on_photo:
        on_photo(photo, source.name)
    points = StrokePoints()
    for member in members:
        if member.startswith("strokes/") and member.endswith(".npy"):
            stroke_id = member[len("strokes/") : -len(".npy")]
            points[stroke_id] = points_from_npy(_read_member(archive, member, MAX_UNPACKED), stroke_id)
    job = job_from_json(document, points)
    notes: list[str] = []
    opened = OpenedJob(_read_history(archive, members, job, points, notes), job.source.name, photo, notes=notes)
    for member in sorted(members):
        match = _PATCH_NAME.fullmatch(member)
        if match:
            piece = (int(match[2]), int(match[3]), int(match[4]), _read_member(archive, member, MAX_UNPACKED))
            opened.patches.setdefault(bytes.fromhex(match[1]), []).append(piece)
    opened.patches = {key: [p[1:] for p in sorted(pieces)] for key, pieces in opened.patches.items()}
    return opened


def _read_history(archive, members, job: Job, points: dict, notes: list[str]) -> History:
    """The undo list; if it does not lead to the document, the document counts and undo starts anew."""
    if "history.json" not in members:
        return History(job)
    try:
        data = json.loads(_read_member(archive, "history.json", _MAX_JSON))
        history = History(job_from_json(data["base"], points))
        for record in data["commands"]:
            history.do(command_from_json(record, points))
        history.goto(int(data["position"]))
        if same_document(history.job, job):
            return history
    except (LatherError, KeyError, TypeError, ValueError, AttributeError):
        pass
    notes.append("The undo list of this job could not be used; undo starts from here.")
    return History(job)
