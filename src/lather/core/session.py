"""An open job: photo, engine and history together; what the command line and the desk both work with."""

from collections.abc import Callable, Mapping
from concurrent.futures import Future
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

from lather.core.deliver.export import Output, export
from lather.core.engine.engine import Engine
from lather.core.engine.photo import Photo
from lather.core.errors import JobFileError, PictureError, RequestError, SaveError
from lather.core.imageio.development import DEVELOPMENT, Development
from lather.core.imageio.extra import HEIF, RAW, as_tiff, is_extra
from lather.core.imageio.files import check_regular, holds, is_same_file, read_bytes, refuse_unwritable
from lather.core.imageio.picture import MAX_PIXELS, Picture
from lather.core.imageio.read import decode_picture
from lather.core.job.archive import MAX_UNPACKED, OpenedJob, open_job, save_job
from lather.core.job.history import History
from lather.core.job.identity import JobIdentity
from lather.core.job.member_names import readable_name
from lather.core.job.model import Job, new_job
from lather.core.lamps.kind import LampKind
from lather.core.people.kept import READING, from_members, members_of
from lather.core.people.outline import PersonOutline
from lather.core.people.reading import offer, people_of, read_already
from lather.core.people.zone_masks import ZoneMasks
from lather.core.phrases import phrase
from lather.core.stages.registry import make_kinds
from lather.core.strict_json import MALFORMED, parsed, written
from lather.core.threads import ARITHMETIC

TIME_MEMBER = "time.json"
"""Part of a job file: {stage: seconds worked}. Versions that do not know it keep it."""


def read_time(data: bytes) -> dict[str, int]:
    """What a job file tells of the time; nothing where it cannot be read."""
    try:
        return {str(stage)[:40]: int(s) for stage, s in parsed(data).items() if 0 <= int(s) < 10**9}  # type: ignore
    except MALFORMED:
        return {}


@dataclass(eq=False)
class Session:
    """`photo_path`: where the photo came from, if not from a job file. `job_file`: where the job is saved.

    identity: which save of the job file this is. members: parts of it that this version does not know.
    """

    photo: Photo
    history: History
    photo_path: Path | None = None
    job_file: Path | None = None
    notes: list[str] = field(default_factory=list)
    identity: JobIdentity | None = None
    members: dict[str, bytes] = field(default_factory=dict)

    def __post_init__(self):
        self.engine = Engine(self.photo, make_kinds() | {LampKind.id: LampKind()})
        self.engine.outline = cache(lambda: PersonOutline(people_of(self.photo)))  # looked for when first asked
        self.engine.zones = ZoneMasks(self.photo)

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self.history.job

    @classmethod
    def from_photo(cls, path: str | Path, *, max_pixels: int = MAX_PIXELS, development: Development | None = None,
                   **brief) -> "Session":
        """A new job on a photo. development: of a raw file; the job sheet keeps it.

        Raises PictureError; RequestError for a development of what is no raw file.
        """
        path = Path(path)
        data, name = read_bytes(path), readable_name(path.name)
        picture = decode_picture(data, name=path.name, max_pixels=max_pixels, development=development)
        if picture.format != RAW and development not in (None, Development()):
            raise RequestError(phrase("%1 is no raw file: exposure and white balance are set in Finish and Colour.",
                                      path.name))
        if picture.format in (RAW, HEIF):  # the job holds what was read, so that it opens anywhere and for ever
            data, name = as_tiff(picture, name)
        if picture.format == RAW:
            brief |= {DEVELOPMENT: (development or Development()).to_json()}
        photo = Photo(picture, data, name)
        return cls(photo, History(new_job(photo.source, **brief)), path.resolve(), notes=list(picture.notes))

    @classmethod
    def from_job_file(
        cls, path: str | Path, *, max_pixels: int = MAX_PIXELS, max_unpacked: int = MAX_UNPACKED
    ) -> "Session":
        """A saved job. Raises JobFileError or PictureError."""
        decoded: list[Future] = []  # the photo is decoded while the edits are read

        def decode(photo: bytes, name: str) -> None:
            decoded.append(ARITHMETIC.submit(decode_picture, photo, name=name, max_pixels=max_pixels))

        opened = open_job(path, max_unpacked=max_unpacked, on_photo=decode)
        return cls.from_opened(opened, Path(path).resolve(), picture=decoded[0].result())

    @classmethod
    def from_opened(
        cls, opened: OpenedJob, job_file: Path | None, *, max_pixels: int = MAX_PIXELS, picture: Picture | None = None
    ) -> "Session":
        """picture: the photo of the job if it is decoded already."""
        picture = picture or decode_picture(opened.photo_bytes, name=opened.photo_name, max_pixels=max_pixels)
        session = cls(
            Photo(picture, opened.photo_bytes, opened.photo_name), opened.history, None, job_file,
            opened.notes + list(picture.notes), opened.identity, opened.members,
        )
        for kind in session.engine.kinds.values():
            kind.offer(opened.patches)
        people = from_members(session.photo, opened.members)
        if people is not None:
            offer(session.photo, people)
        session.engine.warp(session.job)  # what Shape moves is worked out here, and not in a window's thread
        return session

    @classmethod
    def open(cls, path: str | Path, *, brief: Mapping | None = None, development: Development | None = None, **limits
             ) -> "Session":
        """A photo or a job, told apart by the file's first bytes. brief: what is written on the sheet of a new job."""
        path = Path(path)
        is_job = path.suffix == ".lather"
        check_regular(path, JobFileError if is_job else PictureError, "job" if is_job else "picture")
        with suppress(OSError), open(path, "rb") as file:  # what cannot be read is said by whoever reads it
            is_job = is_job or file.read(4) == b"PK\3\4"
        if is_job:
            if development not in (None, Development()):
                raise RequestError(phrase("%1 is a job; `lather replay` plays it on another development.", path.name))
            return cls.from_job_file(path, **limits)
        limits.pop("max_unpacked", None)
        return cls.from_photo(path, development=development, **limits, **(brief or {}))

    def snapshot(self) -> dict:
        """Everything `save_job` needs, immutable, so that saving can run beside painting."""
        return {
            "base": self.history.base, "commands": self.history.commands, "position": self.history.position,
            "job": self.job, "photo_bytes": self.photo.file_bytes, "members": self._members_now(),
        }

    def _members_now(self) -> dict[str, bytes]:
        """What is kept beside the recipe: with the reading of the photo, if it was made."""
        people = read_already(self.photo)
        if people is None or READING in self.members:
            return self.members
        self.members = self.members | members_of(people)
        return self.members

    def logged_seconds(self, book: dict[str, int] | None = None) -> dict[str, int]:
        """Seconds worked, {stage: seconds}: as the job file tells, or (what is more) this machine's logbook."""
        held = read_time(self.members.get(TIME_MEMBER, b""))
        return {stage: max(held.get(stage, 0), (book or {}).get(stage, 0)) for stage in {**held, **(book or {})}}

    def log_seconds(self, seconds: dict[str, int]) -> None:
        """What is saved with the job as worked."""
        self.members = self.members | {TIME_MEMBER: written(seconds)}

    def stored_patches(self, job: Job) -> dict:
        """What the layers of a job want to keep in its file: {fingerprint: PNG pieces}."""
        stack, stored = self.engine.stack(job), {}
        for index, step in enumerate(stack.steps):
            stored |= self.engine.kind_of(step).kept(stack.around(index), step)
        return stored

    def export(
        self, path: str | Path, output: Output, progress: Callable[[float], bool] | None = None,
        *, job: Job | None = None,
    ) -> None:
        """Deliver the job (or an earlier state of it). The photo is never written over.

        Raises SaveError, RequestError or Cancelled; then nothing is left.
        """
        self.refuse_photo(path)
        if is_same_file(path, self.job_file):
            raise SaveError(phrase("%1 is the job itself; choose another name.", Path(path).name))
        export(self.engine, job or self.job, path, output, progress)

    def save(self, path: str | Path) -> None:
        """Save now, in this thread. Raises SaveError."""
        self.refuse_photo(path)
        snapshot = self.snapshot()
        self.identity = save_job(path, patches=self.stored_patches(snapshot["job"]), **snapshot)
        self.job_file = Path(path).resolve()

    def photo_changed(self) -> bool:
        """True if the photo's file is there and no longer the one that was read."""
        if self.photo_path is None or self.photo_path.suffix == ".lather" or is_extra(self.photo_path):
            return False
        if not self.photo_path.is_file():
            return False
        return not holds(self.photo_path, self.photo.file_bytes)

    def refuse_photo(self, path: str | Path) -> None:
        """Raises SaveError if a file is the photo: where it came from, or a file that holds the very same bytes."""
        path = Path(path)
        refuse_unwritable(path)
        if is_same_file(path, self.photo_path) or holds(path, self.photo.file_bytes):
            raise SaveError(phrase("%1 is the photo itself, which is never changed; choose another name.",
                                   path.name), path=path)
