"""What is the same function of the same pixels is worked out once for all tests: plates, faces, skin, finds, light.

The runner begins with it. It is kept by content in a folder named after the code of the core (`LATHER_TEST_SHARED`), so
that other code makes all of it anew. Small pictures are not remembered: tests watch how those are worked on.
"""

import contextlib
import functools
import hashlib
import os
import pickle
import tempfile
import threading
from collections.abc import Callable, Hashable, Iterator
from pathlib import Path
from unittest import mock

import numpy as np

from lather.core.face.zones import FaceZones
from lather.core.find import finder
from lather.core.job.history import History
from lather.core.people import kept as people_kept
from lather.core.people import reading
from lather.core.practice import demo, make
from lather.core.session import Session
from lather.core.stages.light import needed

_LEAST_PIXELS = 200_000
_real: dict[str, Callable] = {}


def kept(name: str, key: object, made: Callable[[], object]) -> object:
    """What `made` gives, from the disk if it was made before. key: all that it depends on, by its repr.

    Without a folder to keep it in, it is just made.
    """
    folder = os.environ.get("LATHER_TEST_SHARED")
    if not folder:
        return made()
    path = Path(folder) / f"{name}-{hashlib.blake2b(repr(key).encode(), digest_size=12).hexdigest()}"
    try:
        return pickle.loads(path.read_bytes())
    except (OSError, EOFError, pickle.UnpicklingError):
        value = made()
        path.parent.mkdir(parents=True, exist_ok=True)
        half = path.with_name(f"{path.name}.{os.getpid()}.{threading.get_ident()}")
        half.write_bytes(pickle.dumps(value, protocol=5))
        half.replace(path)  # whole, or not there: another worker may look meanwhile
        return value


def content_of(pixels: np.ndarray) -> str:
    """A word for these pixels."""
    data = np.ascontiguousarray(pixels)
    return f"{data.shape} {data.dtype} {hashlib.blake2b(data, digest_size=12).hexdigest()}"


def _of_photo(photo) -> tuple:
    return content_of(photo.picture.pixels), photo.profile and hashlib.blake2b(photo.profile).hexdigest()


def _remember(module, name: str, key: Callable[..., Hashable | None]) -> None:
    """Let a function of a module look for its answer first; where the key is None it works each time."""
    real = _real[name] = getattr(module, name)

    @functools.wraps(real)
    def look(*arguments):
        known_by = key(*arguments)
        return real(*arguments) if known_by is None else kept(name.strip("_"), known_by, lambda: real(*arguments))

    setattr(module, name, look)


def _plate_key(sitter, seed, wanted, grain, margin) -> Hashable:
    return sitter.name, content_of(sitter.picture.pixels), seed, sorted(wanted.items()), grain, margin


def _remember_people() -> None:
    """As a job keeps them; progress is told as it ends."""
    real = _real["read_people"] = reading.read_people

    def look(photo, by_hand=(), progress=None):
        if photo.width * photo.height <= _LEAST_PIXELS:
            return real(photo, by_hand, progress)
        key = _of_photo(photo), [face.digest for face in by_hand]
        members = kept("people", key, lambda: people_kept.members_of(real(photo, by_hand, progress)))
        return people_kept.from_members(photo, members)

    reading.read_people = look


def _zones_key(zones, shape) -> Hashable:
    return content_of(zones.close.pixels), zones.face.digest


def _light_key(network, seen) -> Hashable:
    return network.name, content_of(seen)


def _finds_key(scene, progress) -> Hashable | None:
    photo = scene.measures.photo
    if photo.width * photo.height < _LEAST_PIXELS:
        return None
    finders = [f"{one.__module__}.{getattr(one, '__qualname__', id(one))}" for _, one in finder.FINDERS]
    return _of_photo(photo), [face.digest for face in scene.measures.faces], finders


def _remember_finds() -> None:
    """As the others, and progress is told all the same."""
    real = _real["_all_finders"] = finder._all_finders

    def look(scene, progress):
        fresh: list[bool] = []
        known_by = _finds_key(scene, progress)
        if known_by is None:
            return real(scene, progress)
        found = kept("finds", known_by, lambda: fresh.append(True) or real(scene, progress))
        for number, (label, _) in enumerate(finder.FINDERS if not fresh else (), 1):
            finder._tell(progress, 0.3 + 0.7 * number / len(finder.FINDERS), label)
        return found

    finder._all_finders = look


def place_demo() -> Path:
    """The demo job where the program looks for it, as if it had been opened before."""
    path = demo.demo_file()
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(kept("demo", (), _made_demo))
    return path


def _made_demo() -> bytes:
    real = mock.patch.object(demo, "make_demo", _real.get("make_demo", demo.make_demo))
    with tempfile.TemporaryDirectory() as folder, mock.patch.dict(os.environ, XDG_CACHE_HOME=folder), real:
        return demo.demo_job_path().read_bytes()


def _remember_demo() -> None:
    real = _real["make_demo"] = demo.make_demo

    def look(plate=None):
        if plate is not None and (plate.sitter.name, plate.seed) != (demo.SITTER, demo.SEED):
            return real(plate)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "demo.lather"
            path.write_bytes(kept("demo", (), _made_demo))
            kept_one = Session.open(path)
        return Session(kept_one.photo, History(kept_one.job))

    demo.make_demo = look


def begin() -> None:
    """From now on, in this process."""
    _remember(make, "_drawn", _plate_key)
    _remember(FaceZones, "_wide", _zones_key)
    _remember(needed, "_answer", _light_key)
    _remember_people()
    _remember_finds()
    _remember_demo()


@contextlib.contextmanager
def nothing_remembered() -> Iterator[None]:
    """While inside, all of it is worked out: for tests that compare one time with another."""
    places = {"_drawn": make, "read_people": reading, "_wide": FaceZones, "_answer": needed, "_all_finders": finder,
              "make_demo": demo}
    held = {name: getattr(places[name], name) for name in _real}
    for name, real in _real.items():
        setattr(places[name], name, real)
    try:
        yield
    finally:
        for name, look in held.items():
            setattr(places[name], name, look)
