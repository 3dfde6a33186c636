"""What came of carrying a retouch over: how much of each stage, and what a person should look at."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from lather.core.errors import RequestError
from lather.core.job.finds import Find
from lather.core.ranges import PLACE_PX
from lather.core.strict_json import MALFORMED

OUTSIDE, NO_SOURCE, KEEPER, UNSURE, HIDDEN, LEFT_OUT = (
    "outside", "no source", "keeper", "unsure", "hidden", "left out")


@dataclass(frozen=True)
class Look:
    """One thing to look at. what: one of the words above. x, y: place on the new photo, source px; None: no place.

    name: what it is ("Mole, cheek, right"). why: a sentence. find: id on the new photo, "" where it has none.
    was: (x, y, size) on the photo it was carried from. alike: 0-1, how sure it is; None where that is not told.
    """

    what: str
    name: str
    why: str
    x: float | None = None
    y: float | None = None
    size_px: float = 0.0
    find: str = ""
    was: tuple[float, float, float] | None = None
    alike: float | None = None

    def to_json(self) -> dict:
        """Plain values; empty ones are left out."""
        return {name: list(value) if isinstance(value, tuple) else value for name, value in vars(self).items()
                if value not in (None, "", 0.0)} | {"what": self.what}

    @classmethod
    def from_json(cls, data: Mapping) -> "Look":
        """Raises RequestError, KeyError, TypeError or ValueError for what cannot be one."""
        def number(name: str) -> float | None:
            if data.get(name) is None:
                return None
            PLACE_PX.check(float(data[name]), "A place")
            return float(data[name])

        was = data.get("was")
        for value in was or ():
            PLACE_PX.check(float(value), "A place")
        return cls(str(data["what"])[:40], str(data["name"])[:200], str(data["why"])[:400], number("x"), number("y"),
                   number("size_px") or 0.0, str(data.get("find", ""))[:64],
                   (float(was[0]), float(was[1]), float(was[2])) if was else None, number("alike"))


@dataclass(frozen=True)
class Carried:
    """source: name of the photo it came from. stages: {stage: (carried, wanted)} edits or layers. anew: {stage: found
    anew}. keepers: (recognised, all). seconds: it took.
    """

    source: str
    stages: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    anew: Mapping[str, int] = field(default_factory=dict)
    keepers: tuple[int, int] = (0, 0)
    looks: tuple[Look, ...] = ()
    seconds: float = 0.0

    @property
    def count(self) -> tuple[int, int]:
        """(carried, wanted) of all stages."""
        return sum(a for a, _ in self.stages.values()), sum(b for _, b in self.stages.values())

    def to_json(self) -> dict:
        """Plain values, for the job sheet."""
        return {
            "source": self.source, "stages": {name: list(both) for name, both in self.stages.items()},
            "anew": dict(self.anew), "keepers": list(self.keepers), "looks": [one.to_json() for one in self.looks],
            "seconds": round(self.seconds, 1),
        }

    @classmethod
    def from_json(cls, data: Mapping) -> "Carried":
        """Raises KeyError, TypeError or ValueError for what cannot be one."""
        return cls(
            str(data["source"])[:200], {str(k): (int(a), int(b)) for k, (a, b) in data.get("stages", {}).items()},
            {str(k): int(n) for k, n in data.get("anew", {}).items()},
            (int(data.get("keepers", (0, 0))[0]), int(data.get("keepers", (0, 0))[1])),
            tuple(Look.from_json(one) for one in data.get("looks", ())), float(data.get("seconds", 0.0)))


def name_of(find: Find) -> str:
    """A find and where it lies, in words."""
    return f"{find.label}, {find.zone}" if find.zone else find.label


KEY = "carried"
"""Line of the job sheet that holds it."""


def carried_of(brief: Mapping) -> Carried | None:
    """What the job sheet tells; None where nothing was carried over."""
    try:
        return Carried.from_json(brief[KEY])
    except (RequestError, *MALFORMED):
        return None
