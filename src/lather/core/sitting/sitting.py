"""A sitting: photos of one folder, the jobs made of them, who is on them, and what is held alike for each person.

Photos are never changed. What the jobs themselves say is not written twice. `sitting_file.py` reads and writes it.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from lather.core.job.model import new_id
from lather.core.job.unknown_fields import kept
from lather.core.sitting.carry_report import Carried
from lather.core.sitting.skin_alike import Skin

FOLDER = "lather"
FINISHED, CARRIED, PHOTO = "finished", "carried", "not carried"
"""What was done of a frame."""
_MOST_LOOKS = 100_000


@dataclass(frozen=True)
class Frame:
    """name: of its photo, as people read it. person: id, "" where nobody is known. state: one of the words above. skin:
    of the photo; now: of what was made of it. carried: what came of carrying over. looked: looks that were dealt with,
    by their numbers. job: name of its job's file without the ending, "" for that of the photo.
    """

    name: str
    person: str = ""
    state: str = PHOTO
    skin: Skin | None = None
    now: Skin | None = None
    carried: Carried | None = None
    looked: frozenset[int] = frozenset()
    job: str = ""
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
        return data | ({"looked": sorted(self.looked)} if self.looked else {}) | ({"job": self.job} if self.job else {})

    @classmethod
    def from_json(cls, data: Mapping) -> "Frame":
        """Raises what `strict_json.MALFORMED` names."""
        colours = {key: Skin.from_json(data[key]) for key in ("skin", "now") if data.get(key)}
        carried = Carried.from_json(data["carried"]) if data.get("carried") else None
        said = data.get("state")
        state = str(said) if said in (FINISHED, CARRIED) else PHOTO
        name, job = Path(data["name"]).name, str(data.get("job", ""))[:200]
        if name in ("", ".."):
            raise ValueError("no name")
        looked = frozenset(int(n) for n in data.get("looked", ()) if 0 <= int(n) < _MOST_LOOKS)
        return cls(name, str(data.get("person", ""))[:64], state, colours.get("skin"), colours.get("now"), carried,
                   looked, job if job == Path(job).name else "",
                   kept(data, "name", "person", "state", "skin", "now", "carried", "looked", "job"))


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
        """Raises what `strict_json.MALFORMED` names."""
        return cls(str(data["id"])[:64], str(data["name"])[:200], str(data.get("reference", "")),
                   tuple(str(one)[:200] for one in data.get("keepers", ())),
                   {str(k)[:80]: str(v)[:200] for k, v in dict(data.get("held", {})).items()},
                   kept(data, "id", "name", "reference", "keepers", "held"))


@dataclass(frozen=True)
class Sitting:
    """folder: where the photos lie. frames: in the order of their names. files: {name of a frame: that of its file}
    where that is no proper text. notes: sentences on what could not be read.
    """

    folder: Path
    frames: tuple[Frame, ...] = ()
    persons: tuple[Person, ...] = ()
    extra: dict = field(default_factory=dict)
    files: Mapping[str, str] = field(default_factory=dict)
    notes: tuple[str, ...] = ()

    def photo(self, name: str) -> Path:
        """The path of a frame's photo."""
        return self.folder / self.files.get(name, name)

    def job(self, name: str) -> Path:
        """Where the job of a frame lies, or will."""
        frame = next((one for one in self.frames if one.name == name), None)
        return self.folder / FOLDER / f"{frame.job if frame is not None and frame.job else Path(name).stem}.lather"

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


def _missing(name: str):
    raise KeyError(name)
