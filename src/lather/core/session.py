"""An open job: photo, engine and history together; what the command line and the desk both work with."""

from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from pathlib import Path

from lather.core.engine.engine import Engine
from lather.core.engine.export import Output, export
from lather.core.engine.photo import Photo
from lather.core.errors import SaveError
from lather.core.imageio.picture import MAX_PIXELS, Picture
from lather.core.imageio.read import decode_picture, read_picture
from lather.core.job.archive import MAX_UNPACKED, OpenedJob, open_job, save_job
from lather.core.job.history import History
from lather.core.job.model import Job, new_job
from lather.core.stages.patches.kind import PatchKind
from lather.core.stages.registry import make_kinds
from lather.core.threads import ARITHMETIC


@dataclass(eq=False)
class Session:
    """`photo_path`: where the photo came from, if not from a job file. `job_file`: where the job is saved."""

    photo: Photo
    history: History
    photo_path: Path | None = None
    job_file: Path | None = None
    notes: list[str] = field(default_factory=list)

    def __post_init__(self):
        self.engine = Engine(self.photo, make_kinds())

    @property
    def job(self) -> Job:
        return self.history.job

    @classmethod
    def from_photo(cls, path: str | Path, *, max_pixels: int = MAX_PIXELS, **brief) -> "Session":
        """A new job on a photo. Raises PictureError."""
        path = Path(path)
        picture = read_picture(path, max_pixels=max_pixels)
        photo = Photo(picture, path.read_bytes(), path.name)
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
            opened.notes + list(picture.notes),
        )
        for kind in session.engine.kinds.values():
            if isinstance(kind, PatchKind):
                kind.patches.offer_encoded(opened.patches)
        return session

    @classmethod
    def open(cls, path: str | Path, **limits) -> "Session":
        """A photo or a job, told apart by the file's first bytes."""
        path = Path(path)
        try:
            with open(path, "rb") as file:
                is_zip = file.read(4) == b"PK\3\4"
        except OSError:
            is_zip = path.suffix == ".lather"
        if is_zip or path.suffix == ".lather":
            return cls.from_job_file(path, **limits)
        limits.pop("max_unpacked", None)
        return cls.from_photo(path, **limits)

    def snapshot(self) -> dict:
        """Everything `save_job` needs, immutable, so that saving can run beside painting."""
        return {
            "base": self.history.base, "commands": self.history.commands, "position": self.history.position,
            "job": self.job, "photo_bytes": self.photo.file_bytes,
        }

    def stored_patches(self, job: Job) -> dict:
        """PNG pieces of the solved edits of a job, for its file."""
        stack = self.engine.stack(job)
        stored = {}
        for index, step in enumerate(stack.steps):
            kind = self.engine.kinds[step.layer.kind]
            for key in kind.order(stack.around(index), step.layer).fingerprints:
                pieces = kind.patches.encoded(key)
                if pieces is not None:
                    stored[key] = pieces
        return stored

    def export(
        self, path: str | Path, output: Output, progress: Callable[[float], bool] | None = None,
        *, job: Job | None = None,
    ) -> None:
        """Deliver the job (or an earlier state of it). The photo is never written over.

        Raises SaveError, RequestError or Cancelled; then nothing is left.
        """
        target = Path(path).resolve()
        if self.photo_path is not None and target == self.photo_path.resolve():
            raise SaveError(f"{target.name} is the photo itself, which is never changed; choose another name.")
        export(self.engine, job or self.job, path, output, progress)

    def save(self, path: str | Path) -> None:
        """Save now, in this thread. Raises SaveError."""
        snapshot = self.snapshot()
        save_job(path, patches=self.stored_patches(snapshot["job"]), **snapshot)
        self.job_file = Path(path).resolve()
