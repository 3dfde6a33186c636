"""A sitting: photos of one folder, the jobs made of them, who is on them, and what is held alike for each person.

Kept as `sitting.json` in the folder `lather` beside the photos, where the frames' jobs lie too. Photos are never
changed. What the jobs themselves say is not written twice.
"""

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from lather.core.errors import JobFileError, RequestError, SaveError
from lather.core.imageio.atomic import write_atomically
from lather.core.imageio.extra import ENDINGS, is_extra
from lather.core.imageio.write import FORMATS
from lather.core.job.model import new_id
from lather.core.job.unknown_fields import kept
from lather.core.phrases import phrase
from lather.core.sitting.carry_report import Carried
from lather.core.sitting.skin_alike import Skin

FOLDER, FILE = "lather", "sitting.json"
VERSION = 1
FINISHED, CARRIED, PHOTO = "finished", "carried", "not carried"
"""What was done of a frame."""
_MOST_FRAMES = 2000


@dataclass(frozen=True)
class Frame:
    """name: of its photo. person: id, "" where nobody is known. state: one of the words above. skin: of the photo; now:
    of what was made of it. carried: what came of carrying over. looked: looks that were dealt with, by their numbers.
    """

    name: str
    person: str = ""
    state: str = PHOTO
    skin: Skin | None = None
    now: Skin | None = None
    carried: Carried | None = None
    looked: frozenset[int] = frozenset()
    extra: dict = field(default_factory=dict)

    @property
    def stem(self) -> str:
        """Its photo's name without the ending."""
        return Path(self.name).stem

    @property
    def looks_left(self) -> list[int]:
        """Numbers of what still needs a look."""
        looks = self.carried.looks if self.carried is not None else ()
        return [n for n in range(len(looks)) if n not in self.looked]

    def to_json(self) -> dict:
        """Plain values, as sitting.json holds them."""
        data = self.extra | {"name": self.name, "person": self.person, "state": self.state}
        for key in ("skin", "now", "carried"):
            value = getattr(self, key)
            if value is not None:
                data[key] = value.to_json()
        return data | ({"looked": sorted(self.looked)} if self.looked else {})

    @classmethod
    def from_json(cls, data: Mapping) -> "Frame":
        """Raises KeyError, TypeError or ValueError."""
        colours = {key: Skin(*map(float, data[key])) for key in ("skin", "now") if data.get(key)}
        carried = Carried.from_json(data["carried"]) if data.get("carried") else None
        said = data.get("state")
        state = str(said) if said in (FINISHED, CARRIED) else PHOTO
        return cls(Path(str(data["name"])).name, str(data.get("person", ""))[:64], state, colours.get("skin"),
                   colours.get("now"), carried, frozenset(int(n) for n in data.get("looked", ())),
                   kept(data, "name", "person", "state", "skin", "now", "carried", "looked"))


@dataclass(frozen=True)
class Person:
    """The card of a person. reference: name of the frame that others are held to. keepers: [(what, where)]."""

    id: str
    name: str
    reference: str = ""
    keepers: tuple[str, ...] = ()
    held: Mapping[str, str] = field(default_factory=dict)
    extra: dict = field(default_factory=dict)

    def to_json(self) -> dict:
        """Plain values, as sitting.json holds them."""
        return self.extra | {"id": self.id, "name": self.name, "reference": self.reference,
                             "keepers": list(self.keepers), "held": dict(self.held)}

    @classmethod
    def from_json(cls, data: Mapping) -> "Person":
        """Raises KeyError, TypeError or ValueError."""
        return cls(str(data["id"])[:64], str(data["name"])[:200], str(data.get("reference", "")),
                   tuple(str(one)[:200] for one in data.get("keepers", ())),
                   {str(k)[:80]: str(v)[:200] for k, v in dict(data.get("held", {})).items()},
                   kept(data, "id", "name", "reference", "keepers", "held"))


@dataclass(frozen=True)
class Sitting:
    """folder: where the photos lie. frames: in the order of their names."""

    folder: Path
    frames: tuple[Frame, ...] = ()
    persons: tuple[Person, ...] = ()
    extra: dict = field(default_factory=dict)

    def photo(self, name: str) -> Path:
        """The path of a frame's photo."""
        return self.folder / name

    def job(self, name: str) -> Path:
        """Where the job of a frame lies, or will."""
        return self.folder / FOLDER / f"{Path(name).stem}.lather"

    def frame(self, name: str) -> Frame:
        """Raises KeyError."""
        return next((one for one in self.frames if one.name == name), None) or _missing(name)

    def person(self, person_id: str) -> Person | None:
        """The person of an id, or None."""
        return next((one for one in self.persons if one.id == person_id), None)

    def of_person(self, person_id: str) -> list[Frame]:
        """Frames that show a person."""
        return [one for one in self.frames if one.person == person_id]

    def with_frame(self, frame: Frame) -> "Sitting":
        """With another frame in the place of the one of its name."""
        return replace(self, frames=tuple(frame if one.name == frame.name else one for one in self.frames))

    def with_person(self, person: Person) -> "Sitting":
        """With a person added, or in the place of the one with their id."""
        known = any(one.id == person.id for one in self.persons)
        persons = (tuple(person if one.id == person.id else one for one in self.persons) if known
                   else (*self.persons, person))
        return replace(self, persons=persons)

    def named(self, name: str, reference: str) -> tuple["Sitting", Person]:
        """With a new person."""
        person = Person(new_id(), name, reference)
        return self.with_person(person), person

    def save(self) -> None:
        """Raises SaveError."""
        data = self.extra | {"version": VERSION, "frames": [one.to_json() for one in self.frames],
                             "persons": [one.to_json() for one in self.persons]}
        try:
            (self.folder / FOLDER).mkdir(exist_ok=True)
        except OSError as error:
            raise SaveError(phrase("Nothing can be written to %1 (%2).", self.folder, error.strerror)) from None
        text = json.dumps(data, indent=1, ensure_ascii=False).encode()
        write_atomically(self.folder / FOLDER / FILE, lambda file: file.write(text))


def _missing(name: str):
    raise KeyError(name)


def photos_in(folder: Path) -> list[str]:
    """Names of the photos of a folder, in order."""
    known = (*FORMATS, *ENDINGS)
    found = (path.name for path in folder.iterdir() if path.suffix.lower() in known and path.is_file())
    return _one_of_each(sorted(found))


def _one_of_each(names: list[str]) -> list[str]:
    """Of files that differ in their ending alone (a camera writes a raw file and a JPEG) the one that is developed:
    they are one frame, with one job.
    """
    chosen: dict[str, str] = {}
    for name in names:
        stem = Path(name).stem
        if stem not in chosen or (is_extra(Path(chosen[stem])) and not is_extra(Path(name))):
            chosen[stem] = name
    return sorted(chosen.values())


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
        folder, names = folders.pop(), _one_of_each(sorted(path.name for path in given))
    if not names:
        raise RequestError(phrase("There are no photos in %1; choose a folder with JPEG, PNG, TIFF or WebP pictures.",
                                  folder))
    if len(names) > _MOST_FRAMES:
        raise RequestError(phrase("%1 photos are more than one sitting takes (%2).", f"{len(names):,}",
                                  f"{_MOST_FRAMES:,}"))
    known, persons, extra = _kept(folder)
    frames = tuple(known.get(name) or Frame(name) for name in names)
    rest = tuple(frame for name, frame in known.items() if name not in names and (folder / name).is_file())
    return Sitting(folder, tuple(sorted((*frames, *rest), key=lambda one: (one.stem, one.name))), persons, extra)


def _kept(folder: Path) -> tuple[dict[str, Frame], tuple[Person, ...], dict]:
    """What sitting.json says; nothing where it cannot be read: it is made anew of the photos and jobs."""
    try:
        data = json.loads((folder / FOLDER / FILE).read_text())
        if int(data["version"]) > VERSION:
            raise JobFileError(phrase("The sitting in %1 was written by a newer version of Lather; use that one.",
                                      folder))
        frames = {frame.name: frame for frame in map(Frame.from_json, data["frames"])}
        return frames, tuple(map(Person.from_json, data["persons"])), kept(data, "version", "frames", "persons")
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return {}, (), {}
