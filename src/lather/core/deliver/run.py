"""Several outputs of one job delivered: rendered once, each scaled, sharpened, written, and read back from the disk."""

import hashlib
import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from lather.core import log
from lather.core.colour import paper, profiles
from lather.core.deliver.export import Output, finished, render, strips, to_codes
from lather.core.deliver.open_raster import write_open_raster
from lather.core.deliver.read_back import read_back
from lather.core.deliver.sharpening import Sharpening, sharpening_for
from lather.core.errors import Cancelled, LatherError, RequestError, SaveError
from lather.core.imageio.atomic import write_atomically
from lather.core.imageio.files import check_regular, is_same_file, is_there
from lather.core.imageio.metadata import MetadataChoice, select_exif
from lather.core.imageio.write import encode_picture
from lather.core.job.model import Job
from lather.core.job.outputs import PROFILES, OutputSpec
from lather.core.phrases import phrase
from lather.core.record.entries import DeliveryNote
from lather.core.record.logbook import now
from lather.core.session import Session

_log = logging.getLogger(__name__)
_MOST_HELD_PX = 60_000_000  # of the rendered picture between outputs; a larger one is rendered for each
RENDERING, WRITING, READING, DONE, FAILED = "rendering", "writing", "reading back", "done", "failed"


@dataclass(frozen=True)
class Delivery:
    """One output on its way. state: one of the words above; share: 0-1 of it; note: once it is done; why: it failed."""

    spec: OutputSpec
    path: Path
    state: str
    share: float = 0.0
    note: DeliveryNote | None = None
    why: str = ""


def profile_bytes(spec: OutputSpec, photo_profile: bytes | None) -> bytes | None:
    """The profile an output goes out in; None for sRGB and grey. Raises RequestError for a file that is none."""
    if spec.profile in ("srgb", "grey"):
        return None
    if spec.profile == "own":
        return photo_profile or profiles.srgb_profile()
    if spec.profile == "paper":
        return paper.paper_profile()
    path = Path(spec.profile)
    check_regular(path, RequestError, "colour profile")
    try:
        data = path.read_bytes()
    except OSError as error:
        raise RequestError(phrase("The profile %1 cannot be read (%2); choose another.", path,
                                  error.strerror)) from error
    if not profiles.is_valid(data) or profiles.colour_space(data) != "RGB":
        raise RequestError(phrase("%1 is no RGB colour profile; choose one, or %2.", path.name,
                                  ", ".join(PROFILES.values())))
    return data


def sharpening_of(spec: OutputSpec, width: int, height: int) -> Sharpening | None:
    """How an output of a photo is sharpened; None where it is not."""
    if not spec.sharpen or spec.format == "OpenRaster":
        return None
    scale = max(spec.size_px(width, height)) / max(width, height)
    return sharpening_for(spec.medium, scale, spec.ppi if spec.is_print else None)


def output_of(spec: OutputSpec, session: Session, keep: MetadataChoice | None = None) -> Output:
    """What the engine is to make for an output. Raises RequestError."""
    photo = session.photo
    return Output(
        bits=spec.bits, quality=spec.quality, to_srgb=spec.profile != "own", grey=spec.profile == "grey",
        metadata=keep or MetadataChoice(), size_px=spec.size_px(photo.width, photo.height),
        profile=profile_bytes(spec, photo.profile), sharpen=sharpening_of(spec, photo.width, photo.height),
        ppi=spec.delivered_ppi(photo.picture.ppi),
    )


def deliver(
    session: Session, wanted: Sequence[tuple[OutputSpec, Path]], *, job: Job | None = None,
    keep: MetadataChoice | None = None, replace: Mapping[Path, bool] | None = None,
    progress: Callable[[Delivery], bool] | None = None,
) -> list[Delivery]:
    """Deliver outputs, one after the other; one that fails does not stop the rest. progress(delivery) hears of every
    state; False stops: what is done stays, nothing is half written. replace: {path: True} of files that may be
    replaced; others are never written over.
    """
    work, job = _Work(session, job or session.job, keep, progress), job or session.job
    done = []
    for spec, path in wanted:
        try:
            _check(session, spec, path, replace or {})
            note = work.one(spec, path)
            done.append(Delivery(spec, path, DONE, 1.0, note))
        except Cancelled:
            break
        except LatherError as error:
            done.append(Delivery(spec, path, FAILED, why=log.expected(_log, error)))
        except MemoryError as error:
            _log.warning("An output needs more memory than is free", exc_info=error)
            done.append(Delivery(spec, path, FAILED, why="Not enough memory for this output; close other programs or "
                                                         "deliver it smaller."))
        if progress and not progress(done[-1]):
            break
    return done


def _check(session: Session, spec: OutputSpec, path: Path, replace: Mapping[Path, bool]) -> None:
    session.refuse_photo(path)
    if is_same_file(path, session.job_file):
        raise SaveError(phrase("%1 is the job itself; choose another name.", path.name))
    if is_there(path) and not replace.get(path):
        raise SaveError(phrase("%1 is there already; replace it knowingly, or give it a number.", path.name), path=path)
    if spec.profile == "grey" and spec.format in ("WebP", "OpenRaster"):
        raise RequestError(phrase("%1 holds no grey pictures; choose JPEG, PNG or TIFF.", spec.format))


class _Work:
    """What outputs of one delivery share: the rendered picture, held while it is not too large."""

    def __init__(self, session: Session, job: Job, keep: MetadataChoice | None, progress):
        self._session, self._job, self._keep, self._progress = session, job, keep, progress
        self._whole: np.ndarray | None = None

    def one(self, spec: OutputSpec, path: Path) -> DeliveryNote:
        output = output_of(spec, self._session, self._keep)
        told = _Told(self._progress, spec, path)
        if spec.format == "OpenRaster":
            held: list[np.ndarray] = []
            write_atomically(path, lambda file: held.append(
                write_open_raster(file, self._session.engine, self._job, output, told.at(WRITING))))
            codes, profile, digest = held[0], output.profile_of(self._session.photo.profile), None
        else:
            codes, profile = self._codes(output, told)
            photo = self._session.photo.picture
            if not told.at(WRITING)(0.0):
                raise Cancelled()
            data = encode_picture(codes, spec.format, profile=profile, exif=select_exif(photo.exif, output.metadata),
                                  quality=spec.quality, ppi=output.ppi)
            digest = hashlib.sha256(data).hexdigest()
            write_atomically(path, lambda file: file.write(data))
            del data
        told.at(READING)(0.0)
        size, digest = read_back(path, meant=codes, profile=profile, fmt=spec.format, sha256=digest)
        return DeliveryNote(spec.name, str(path), spec.format, codes.shape[1], codes.shape[0], size, digest,
                            profiles.name(profile), now())

    def _codes(self, output: Output, told: "_Told") -> tuple[np.ndarray, bytes]:
        photo = self._session.photo
        if photo.width * photo.height > _MOST_HELD_PX:
            return render(self._session.engine, self._job, output, told.at(RENDERING))
        if self._whole is None:
            whole, tell = np.empty((photo.height, photo.width, 3), np.float32), told.at(RENDERING)
            for rect, values in strips(self._session.engine, self._job):
                whole[rect.y0 : rect.y1] = values
                if not tell(rect.y1 / photo.height):
                    raise Cancelled()
            self._whole = whole
        target = output.profile_of(photo.profile)
        values = profiles.convert(np.clip(self._whole, 0, 1), photo.profile, target)
        codes = to_codes(finished(values, output, target), output.bits)
        if output.grey:
            return profiles.rgb_to_grey(codes, target), profiles.grey_profile()
        return codes, target


@dataclass(frozen=True)
class _Told:
    progress: Callable[[Delivery], bool] | None
    spec: OutputSpec
    path: Path

    def at(self, state: str) -> Callable[[float], bool]:
        return lambda share: self.progress is None or self.progress(Delivery(self.spec, self.path, state, share))
