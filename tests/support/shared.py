"""What many tests need and none checks: plates and what the finder says of a photo, made once and kept on disk.

Kept by content: the runner names a folder after the code of the core (`LATHER_TEST_SHARED`), so that another code makes
all of it anew; within it a file is named after what it was made from. Without that folder everything is just made.
"""

import contextlib
import functools
import hashlib
import os
import pickle
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from unittest import mock

import numpy as np

from lather.core.engine.photo import Photo
from lather.core.find import finder
from lather.core.imageio.atomic import write_atomically
from lather.core.job.finds import Find
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice import demo, make
from lather.core.practice.make import Plate
from lather.core.practice.sitters import Sitter, load_sitter


def kept(name: str, key: object, made: Callable[[], object]) -> object:
    """What `made` gives, from the disk if it was made before. key: all that it depends on, by its repr."""
    folder = os.environ.get("LATHER_TEST_SHARED")
    if not folder:
        return made()
    path = Path(folder) / f"{name}-{hashlib.blake2b(repr(key).encode(), digest_size=12).hexdigest()}"
    try:
        return pickle.loads(path.read_bytes())
    except (OSError, EOFError, pickle.UnpicklingError):
        value = made()
        path.parent.mkdir(parents=True, exist_ok=True)
        data = pickle.dumps(value, protocol=5)
        write_atomically(path, lambda file: file.write(data))
        return value


def make_plate(sitter: str | Sitter, seed: int, **how) -> Plate:
    """As `practice.make.make_plate`; its pictures are one's own and may be written to."""
    clean = _sitter(sitter) if isinstance(sitter, str) else sitter

    def made() -> tuple:
        plate = make.make_plate(sitter, seed, **how)
        return plate.photo, plate.truth, plate.flaws, plate.grain

    who = sitter if isinstance(sitter, str) else (clean.name, content_of(clean.picture.pixels))
    photo, truth, flaws, grain = kept("plate", (who, seed, sorted(how.items())), made)
    return Plate(clean, seed, photo, truth, clean.zones, flaws, grain)


@functools.lru_cache(2)
def _sitter(name: str):
    return load_sitter(name)


def find_all(photo: Photo, face=None, **how) -> tuple[tuple[Find, ...], PhotoMeasures]:
    """As `finder.find_all`; what has to be watched while it works is worked out for real."""
    if how.get("progress") or how.get("measures") is not None:
        return finder.find_all(photo, face=face, **how)

    def made() -> tuple:
        finds, measures = finder.find_all(photo, face=face, **how)
        return finds, {name: value for name, value in vars(measures).items() if name not in ("photo", "given_face")}

    finds, known = kept("finds", (content_of(photo.picture.pixels), face and face.digest, sorted(how.items())), made)
    measures = PhotoMeasures(photo, face)
    vars(measures).update(known)
    return finds, measures


def measured(photo: Photo) -> PhotoMeasures:
    """What is measured of a photo, its faces and its skin known."""
    def made() -> dict:
        measures = PhotoMeasures(photo)
        return {"faces": measures.faces, "skin": measures.skin, "small": measures.small}

    measures = PhotoMeasures(photo)
    vars(measures).update(kept("measured", content_of(photo.picture.pixels), made))
    return measures


@contextlib.contextmanager
def quick_demo() -> Iterator[None]:
    """While inside, the demo job is made of a plate and finds that were made before."""
    with mock.patch.object(demo, "make_plate", make_plate), mock.patch.object(demo, "find_all", find_all):
        yield


def place_demo() -> Path:
    """The demo job where the program looks for it, as if it had been opened before."""
    path = demo.demo_file()
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(kept("demo", (), _made_demo))
    return path


def _made_demo() -> bytes:
    with tempfile.TemporaryDirectory() as folder, mock.patch.dict(os.environ, XDG_CACHE_HOME=folder), quick_demo():
        return demo.demo_job_path().read_bytes()


def content_of(pixels: np.ndarray) -> str:
    """A word for these pixels."""
    data = np.ascontiguousarray(pixels)
    return f"{data.shape} {data.dtype} {hashlib.blake2b(data.tobytes(), digest_size=12).hexdigest()}"
