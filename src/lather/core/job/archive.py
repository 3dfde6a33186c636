"""The job file `.lather`: a ZIP described in docs/format.md. Saves are atomic and keep the last three."""

import hashlib
import re
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from typing import Literal

import lather
from lather.core import ranges
from lather.core.errors import JobFileError, LatherError, SaveError
from lather.core.imageio.atomic import write_atomically
from lather.core.imageio.files import check_regular
from lather.core.imageio.zips import add_member
from lather.core.job.commands import command_from_json
from lather.core.job.copies import keep_copies
from lather.core.job.document import Reading, job_from_json, job_to_json, same_document, source_from_json
from lather.core.job.history import History
from lather.core.job.identity import JobIdentity, only_if_unchanged
from lather.core.job.known_kinds import layer_kinds
from lather.core.job.member_names import encoded_name, plain_name
from lather.core.job.model import Job, Source
from lather.core.job.stroke_arrays import points_from_npy, points_to_npy
from lather.core.log import timed
from lather.core.phrases import phrase
from lather.core.strict_json import NotStrict, mended, written

MIMETYPE = "application/x-lather"
SCHEMA = 1
MAX_UNPACKED = 4 * 1024**3
_OWN_MEMBERS = ("mimetype", "job.json", "history.json", "preview.png")
_PATCH_NAME = re.compile(r"patches/([0-9a-f]{32})\.(\d+)\.(-?\d+)_(-?\d+)\.png")


@dataclass
class OpenedJob:
    """What a job file held. `patches`: solved heals as stored, {fingerprint: [(x0, y0, PNG bytes), …]}.

    identity: which save was read. members: parts that this version does not know, as they came.
    """

    history: History
    photo_name: str
    photo_bytes: bytes
    patches: dict[bytes, list[tuple[int, int, bytes]]] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    identity: JobIdentity | None = None
    members: dict[str, bytes] = field(default_factory=dict)

    @property
    def job(self) -> Job:
        """The job as it was when it was saved."""
        return self.history.job


@timed("job saved")
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
    members: Mapping[str, bytes] | None = None,
    replaces: JobIdentity | Literal[True] | None = True,
) -> JobIdentity:
    """Write a job file whole or not at all. All arguments are immutable, so this may run in a thread.

    members: parts that this version does not know. replaces: which save may be replaced: that of an identity, none
    (None), or whatever is there (True). Returns the identity of what was written.

    Raises ChangedOnDisk if another save is there, and SaveError; then the file of the last save is untouched.
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

    try:
        documents = {"job.json": written(document, most_bytes=ranges.MOST_JSON_BYTES),
                     "history.json": written(history, indent=None, most_bytes=ranges.MOST_HISTORY_BYTES)}
    except NotStrict as error:
        raise _not_written(path, str(error)) from error

    def write(file) -> JobIdentity:
        with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
            add_member(archive, "mimetype", MIMETYPE)
            for member, data in documents.items():
                add_member(archive, member, data, packed=True)
            add_member(archive, f"source/{encoded_name(job.source.name)}", photo_bytes)
            for stroke in strokes.values():
                add_member(archive, f"strokes/{stroke.id}.npy", points_to_npy(stroke.points))
            for fingerprint, pieces in (patches or {}).items():
                for number, (x0, y0, png) in enumerate(pieces):
                    add_member(archive, f"patches/{fingerprint.hex()}.{number}.{x0}_{y0}.png", png)
            if preview_png:
                add_member(archive, "preview.png", preview_png)
            there = set(archive.namelist())
            for name, data in (members or {}).items():
                if name not in there:
                    add_member(archive, name, data)
            return JobIdentity.of_archive(archive)

    identities: list[JobIdentity] = []

    def write_then_rotate(file) -> None:
        identities.append(write(file))
        file.flush()
        _read_again(Path(file.name), path)
        if replaces is not True:
            only_if_unchanged(path, replaces)
        keep_copies(path)  # at the last moment, when the new file is whole

    write_atomically(path, write_then_rotate)
    return identities[0]


def _not_written(path: Path, why: str) -> SaveError:
    return SaveError(phrase("%1 was not saved, because it would not open again (%2); the last save is untouched and "
                            "your steps are kept for the next start. Please report this.", path.name, why), path=path)


def _read_again(new: Path, path: Path) -> None:
    """What was just written opens: before older copies move, so that no save is followed by copies of one damage.
    Raises SaveError.
    """
    try:
        with zipfile.ZipFile(new) as archive:
            _read_recipe(archive, set(archive.namelist()), _json(archive, "job.json", ranges.MOST_JSON_BYTES))
    except Exception as error:  # whatever it is: a reader would meet it too
        raise _not_written(path, str(error) or type(error).__name__) from error


def _check_members(archive: zipfile.ZipFile, name: str, max_unpacked: int) -> None:
    total = 0
    for info in archive.infolist():
        parts = PurePosixPath(info.filename).parts
        if info.filename.startswith(("/", "\\")) or ".." in parts or "\\" in info.filename or ":" in info.filename:
            raise JobFileError(
                phrase("%1 holds a path that leads out of the file (%2); it was not made by Lather, do not trust it.",
                       name, f"{info.filename[:60]!r}")
            )
        total += info.file_size
    if total > max_unpacked:
        raise JobFileError(
            phrase("%1 would unpack to %2 GiB, over the limit of %3 GiB; raise the limit if you trust it.", name,
                   f"{total / 1024 ** 3:.1f}", f"{max_unpacked / 1024 ** 3:.1f}")
        )


def _read_member(archive: zipfile.ZipFile, member: str, limit: int) -> bytes:
    """Read at most what the header promises: a lying header cannot fill the memory."""
    info = archive.getinfo(member)
    if info.file_size > limit:
        raise JobFileError(phrase("The part %1 of the job is too large; open an earlier copy.", member))
    with archive.open(info) as file:
        return file.read(info.file_size + 1)[: info.file_size]


@timed("job read")
def open_job(
    path: str | Path, *, max_unpacked: int = MAX_UNPACKED, on_photo: Callable[[bytes, str], None] | None = None
) -> OpenedJob:
    """Read a job file. Raises JobFileError with one clear sentence for anything that is not a whole job.

    on_photo: told the photo's bytes and name as soon as they are known to be right, before the rest is read.
    """
    path = Path(path)
    try:
        check_regular(path, JobFileError, "job")
        with zipfile.ZipFile(path) as archive:
            _check_members(archive, path.name, max_unpacked)
            return _read_job(archive, path.name, on_photo)
    except LatherError:
        raise
    except zipfile.BadZipFile:
        raise JobFileError(
            phrase("%1 is damaged or no Lather job; the last saves beside it end in ~1, ~2, ~3.", path.name), path=path
        ) from None
    except OSError as error:
        raise JobFileError(phrase("%1 cannot be read (%2); check its permissions.", path,
                                  error.strerror), path=path) from None
    except MemoryError:
        raise JobFileError(phrase("%1 needs more memory than is free; close other programs.",
                                  path.name), path=path) from None
    except Exception as error:  # zlib, lzma, recursion, encryption: a damaged archive fails in many ways
        raise JobFileError(
            phrase("%1 is damaged (%2 on reading it); open the copy ending in ~1.", path.name,
                   type(error).__name__), path=path
        ) from error


def _json(archive: zipfile.ZipFile, member: str, limit: int) -> dict:
    """A document. Raises ValueError for what is no object, or cannot be read."""
    data = mended(_read_member(archive, member, limit), most_bytes=limit)
    if not isinstance(data, dict):
        raise ValueError(phrase("%1 is no object", member))
    return data


def _read_job(archive: zipfile.ZipFile, name: str, on_photo) -> OpenedJob:
    members = set(archive.namelist())
    if "mimetype" not in members or _read_member(archive, "mimetype", 100).decode("ascii", "replace") != MIMETYPE:
        raise JobFileError(phrase("%1 is a ZIP file but no Lather job; open the photo instead.", name))
    document = _json(archive, "job.json", ranges.MOST_JSON_BYTES)
    schema = int(document.get("schema", 0))
    if schema > SCHEMA:
        raise JobFileError(
            phrase("%1 was written by a newer Lather (file version %2, this reads up to %3); update first.", name,
                   schema, SCHEMA)
        )
    source = source_from_json(document)
    photo_member, photo = _read_photo(archive, members, source, name)
    if on_photo:
        on_photo(photo, source.name)
    history, reading, notes = _read_recipe(archive, members, document)
    opened = OpenedJob(history, source.name, photo, notes=notes, identity=JobIdentity.of_archive(archive))
    pieces: dict[bytes, list[tuple[int, int, int, bytes]]] = {}
    for member in sorted(members - {photo_member, *_OWN_MEMBERS}):
        match = _PATCH_NAME.fullmatch(member)
        if match:
            piece = (int(match[2]), int(match[3]), int(match[4]), _read_member(archive, member, MAX_UNPACKED))
            pieces.setdefault(bytes.fromhex(match[1]), []).append(piece)
        elif _is_unknown(member, reading):
            opened.members[member] = _read_member(archive, member, MAX_UNPACKED)
    opened.patches = {key: [(x, y, data) for _, x, y, data in sorted(own)] for key, own in pieces.items()}
    return opened


def _read_recipe(archive: zipfile.ZipFile, members: set[str], document: dict) -> tuple[History, Reading, list[str]]:
    """The steps of a job with what was read on the way, and sentences on what could not be."""
    reading = Reading(_read_points(archive, members))
    job = job_from_json(document, reading)
    notes: list[str] = []
    history = _read_history(archive, members, job, reading, notes)
    return history, reading, notes + reading.notes() + _unknown_notes(job)


def _read_photo(archive: zipfile.ZipFile, members: set[str], source: Source, name: str) -> tuple[str, bytes]:
    """(member, bytes) of the photo."""
    spellings = (f"source/{encoded_name(source.name)}", f"source/{plain_name(source.name)}")
    member = next((spelling for spelling in spellings if spelling in members), None)
    if member is None:
        raise JobFileError(phrase("%1 does not hold its photo; open the copy ending in ~1.", name))
    photo = _read_member(archive, member, MAX_UNPACKED)
    if hashlib.sha256(photo).hexdigest() != source.sha256:
        raise JobFileError(phrase("The photo inside %1 is not the one the job was made on (its checksum differs); "
                                  "open the copy ending in ~1.", name))
    return member, photo


def _read_points(archive: zipfile.ZipFile, members: set[str]) -> dict:
    points, count = {}, 0
    for member in members:
        if member.startswith("strokes/") and member.endswith(".npy"):
            stroke_id = member[len("strokes/") : -len(".npy")]
            points[stroke_id] = points_from_npy(_read_member(archive, member, MAX_UNPACKED), stroke_id)
            count += len(points[stroke_id])
            if count > ranges.MOST_POINTS:
                raise JobFileError(phrase("The job holds over %1 pen points; open an earlier copy.",
                                          f"{ranges.MOST_POINTS:,}"))
    return points


def _is_unknown(member: str, reading: Reading) -> bool:
    """True for parts that are written back as they are; points of strokes that were read are written anew."""
    if member.endswith("/"):
        return False
    stroke_id = member.removeprefix("strokes/").removesuffix(".npy")
    return not (member == f"strokes/{stroke_id}.npy" and stroke_id in reading.made)


def _unknown_notes(job: Job) -> list[str]:
    layers = [layer for stage in job.stages for layer in stage.layers]
    unknown = [f"“{layer.name}”" for layer in layers if layer.kind not in layer_kinds() or layer.unknown_edits]
    if not unknown and not job.unknown_stages:
        return []
    what = phrase("on %1", ", ".join(unknown[:3])) if unknown else "in a stage"
    return [phrase("Work %1 is of a kind this version does not know: it is kept in the file, but does not show.", what)]


def _read_history(archive, members, job: Job, points: Reading, notes: list[str]) -> History:
    """The undo list; if it does not lead to the document, the document counts and undo starts anew."""
    if "history.json" not in members:
        return History(job)
    try:
        data = _json(archive, "history.json", ranges.MOST_HISTORY_BYTES)
        if len(data["commands"]) > ranges.MOST_STEPS:
            raise ValueError("too many steps")
        history = History(job_from_json(data["base"], points))
        for record in data["commands"]:
            history.do(command_from_json(record, points))
        history.goto(int(data["position"]))
        if same_document(history.job, job):
            return history
    except Exception:  # whatever is wrong with it, the job itself is whole
        pass
    notes.append("The undo list of this job could not be used; undo starts from here.")
    return History(job)
