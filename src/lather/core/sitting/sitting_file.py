"""A sitting on the disk: `sitting.json` in the folder `lather` beside the photos, where the frames' jobs lie too.

Two windows may have one sitting open: what is saved is what was changed here, laid into what the other one saved. One
entry that cannot be read loses only itself, and is written back as it was.
"""

import os
import time
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, fields, replace
from pathlib import Path
from typing import Any

from lather.core import strict_json
from lather.core.errors import JobFileError, RequestError, SaveError
from lather.core.imageio.alone import alone
from lather.core.imageio.atomic import write_atomically
from lather.core.imageio.extra import ENDINGS, is_extra
from lather.core.imageio.write import FORMATS
from lather.core.job.copies import copy_paths, keep_copies
from lather.core.job.member_names import decoded_name, readable_name
from lather.core.job.unknown_fields import kept
from lather.core.phrases import phrase
from lather.core.sitting.sitting import FOLDER, Frame, Person, Sitting
from lather.core.strict_json import MALFORMED, NotStrict, refused

FILE = "sitting.json"
VERSION = 1
_MOST_FRAMES = 2000
_COPY_EACH_S = 600.0  # answers to looks are saved one by one: copies of each would soon all be of today
_UNREAD = ("unread_frames", "unread_persons")


@dataclass(frozen=True)
class _Held:
    """What the file says. unread: entries that could not be read, by their list."""

    frames: Mapping[str, Frame] = field(default_factory=dict)
    persons: tuple[Person, ...] = ()
    extra: dict = field(default_factory=dict)
    notes: tuple[str, ...] = ()


def photos_in(folder: Path) -> list[str]:
    """Names of the photos of a folder, in order."""
    known = (*FORMATS, *ENDINGS)
    found = (path.name for path in folder.iterdir() if path.suffix.lower() in known and path.is_file())
    return _one_of_each(sorted(found))


def _one_of_each(names: list[str]) -> list[str]:
    """Of a raw file and a picture of the same name (a camera writes both) the picture: they are one frame, with one
    job. Two pictures that differ in their ending are two.
    """
    pictures = {Path(name).stem for name in names if not is_extra(Path(name))}
    return sorted(name for name in names if not is_extra(Path(name)) or Path(name).stem not in pictures)


def open_sitting(paths: Iterable[str | Path]) -> Sitting:
    """Of a folder, or of photos that lie in one folder; with what was kept of it.

    Raises RequestError for photos of several folders or none, JobFileError for a sitting of a newer version.
    """
    given = [Path(path) for path in paths]
    if len(given) == 1 and given[0].is_dir():
        folder, names = given[0], photos_in(given[0])
    else:
        folders = {path.parent.resolve() for path in given}
        if len(folders) != 1:
            raise RequestError("The frames of a sitting lie in one folder; choose photos of one folder.")
        folder, names = folders.pop(), _one_of_each(sorted({path.name for path in given}))
    if not names:
        raise RequestError(phrase("There are no photos in %1; choose a folder with JPEG, PNG, TIFF or WebP pictures.",
                                  folder))
    if len(names) > _MOST_FRAMES:
        raise RequestError(phrase("%1 photos are more than one sitting takes (%2).", f"{len(names):,}",
                                  f"{_MOST_FRAMES:,}"))
    held = _read(folder)
    files = {readable_name(name): name for name in reversed(names)}
    frames = [held.frames.get(name) or Frame(name) for name in files]
    frames += [frame for name, frame in held.frames.items() if name not in files and (folder / name).is_file()]
    frames.sort(key=lambda one: (one.stem, one.name))
    there = {frame.name for frame in frames}
    persons = (one if one.reference in there else replace(one, reference="") for one in held.persons)
    return Sitting(folder, tuple(_with_own_jobs(folder, frames)), tuple(persons), held.extra,
                   {name: file for name, file in files.items() if name != file}, held.notes)


def _with_own_jobs(folder: Path, frames: list[Frame]) -> Iterator[Frame]:
    """Frames whose jobs lie in files of their own, whatever their photos are called: `a.jpg` and `a.png` have two. A
    job that is there already stays with the photo it was made on.
    """
    stems = [frame.stem for frame in frames]
    taken = {frame.job for frame in frames if frame.job}
    for frame in frames:
        if frame.job or stems.count(frame.stem) == 1:
            yield frame
            continue
        made_on = _photo_in(folder / FOLDER / f"{frame.stem}.lather")
        first = frame.stem not in taken and (
            made_on == frame.name or made_on not in {one.name for one in frames if one.stem == frame.stem})
        taken.add(frame.stem if first else frame.name)
        yield replace(frame, job=frame.stem if first else frame.name)


def _photo_in(job: Path) -> str:
    """Name of the photo that a job file holds; "" where there is none."""
    with suppress(OSError, zipfile.BadZipFile, *MALFORMED), zipfile.ZipFile(job) as archive:
        return next((decoded_name(name.removeprefix("source/")) for name in archive.namelist()
                     if name.startswith("source/")), "")
    return ""


def _read(folder: Path) -> _Held:
    """What sitting.json says or, where that cannot be read, the newest copy of it that can. Nothing where there is
    none: it is made anew of the photos and jobs. Raises JobFileError for one of a newer version.
    """
    path = folder / FOLDER / FILE
    notes: tuple[str, ...] = ()
    for one in (path, *copy_paths(path)):
        try:
            return _held_in(strict_json.read_mended(one), folder, notes)
        except FileNotFoundError:
            continue
        except (OSError, NotStrict, *MALFORMED):
            notes = (phrase("%1 could not be read: what an earlier copy of it tells is taken, and it is kept as %2.",
                            FILE, f"{FILE}{strict_json.DAMAGED}"),)
    return _Held(notes=notes)


def _held_in(data: Any, folder: Path, notes: tuple[str, ...]) -> _Held:
    if int(data["version"]) > VERSION:
        raise JobFileError(phrase("The sitting in %1 was written by a newer version of Lather; use that one.", folder))
    unread: dict[str, list] = {}

    def read(rows: Iterable, make: Callable, kept_as: str) -> list:
        made = []
        for row in rows:
            try:
                made.append(make(row))
            except MALFORMED:
                unread.setdefault(kept_as, []).append(row)
        return made

    frames = read(data["frames"], Frame.from_json, _UNREAD[0])
    persons = read(data["persons"], Person.from_json, _UNREAD[1])
    extra = kept(data, "version", "frames", "persons")
    count = sum(map(len, unread.values()))
    for name, rows in unread.items():
        held = extra.get(name)
        extra[name] = [*(held if isinstance(held, list) else ()), *rows][-_MOST_FRAMES:]
    if count:
        notes = (*notes, phrase("%n entries of the sitting could not be read and are kept in %1 as they are.", FILE,
                                n=count, one="%n entry of the sitting could not be read and is kept in %1 as it is."))
    by_id = {one.id: one for one in persons}
    return _Held({frame.name: frame for frame in frames}, tuple(by_id.values()), extra, notes)


def save_sitting(sitting: Sitting, base: Sitting) -> Sitting:
    """Write what was changed since `base` (as it was opened, or saved last) into what lies there now; the whole as it
    is then. Raises SaveError.
    """
    folder = sitting.folder / FOLDER
    path = folder / FILE
    try:
        folder.mkdir(exist_ok=True)
    except OSError as error:
        raise SaveError(phrase("Nothing can be written to %1 (%2).", sitting.folder, error.strerror)) from None
    with alone(folder / ".sitting.lock"):  # no other window reads and writes meanwhile
        try:
            merged = _merged(sitting, base, _read(sitting.folder))
        except JobFileError as error:
            raise SaveError(error.message) from None
        data = merged.extra | {"version": VERSION, "frames": [one.to_json() for one in merged.frames],
                               "persons": [one.to_json() for one in merged.persons]}
        with refused(lambda why: SaveError(phrase("The sitting was not saved (%1).", why))):
            text = strict_json.written(data)

        def write(file) -> None:
            file.write(text)
            file.flush()
            _keep_copy(path)

        write_atomically(path, write)
    return merged


def _keep_copy(path: Path) -> None:
    """The save before this one stays beside it; one that cannot be read stays under another name."""
    try:
        _held_in(strict_json.read_mended(path), path.parent, ())
    except FileNotFoundError:
        return
    except (OSError, NotStrict, *MALFORMED):
        os.replace(path, path.with_name(path.name + strict_json.DAMAGED))
        return
    newest = copy_paths(path)[0]
    if not newest.exists() or time.time() - newest.stat().st_mtime > _COPY_EACH_S:
        keep_copies(path)
        os.utime(newest)


def _merged(sitting: Sitting, base: Sitting, there: _Held) -> Sitting:
    """Ours, with what somebody else saved since `base`: of every value that only one side changed theirs or ours."""
    before = {frame.name: frame for frame in base.frames}
    frames = [_merged_frame(frame, before.get(frame.name), there.frames.get(frame.name)) for frame in sitting.frames]
    ours, was = ({one.id: one for one in held.persons} for held in (sitting, base))
    theirs = {one.id: one for one in there.persons}
    persons = []
    for person_id in dict.fromkeys((*ours, *theirs)):
        mine, other, old = ours.get(person_id), theirs.get(person_id), was.get(person_id)
        if mine is None and old is not None:
            continue  # taken away here
        chosen = other if mine is None or (mine == old and other is not None) else mine
        if chosen is not None:
            persons.append(chosen)
    known = {frame.name for frame in frames}
    frames += [frame for name, frame in there.frames.items() if name not in known
               and (sitting.folder / name).is_file()]
    frames.sort(key=lambda one: (one.stem, one.name))
    return replace(sitting, frames=tuple(frames), persons=tuple(persons), extra=there.extra | sitting.extra)


def _merged_frame(ours: Frame, base: Frame | None, theirs: Frame | None) -> Frame:
    if theirs is None or base is None or theirs == base:
        return ours
    if ours == base:
        return theirs
    values = {}
    for one in fields(Frame):
        mine, other, old = (getattr(frame, one.name) for frame in (ours, theirs, base))
        values[one.name] = other if mine == old else mine
    if ours.carried == theirs.carried == base.carried:  # the same looks, each answered on one side or the other
        values["looked"] = ours.looked | theirs.looked
    elif theirs.carried != base.carried and ours.carried == base.carried:
        values["looked"] = theirs.looked
    return Frame(**values)
