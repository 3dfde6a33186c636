"""Finds: flaws and keepers that were found in the photo, and what the person decided about each. Values only."""

from dataclasses import dataclass, field, fields

import numpy as np

from lather.core import ranges
from lather.core.errors import RequestError
from lather.core.job.unknown_fields import kept
from lather.core.kinds.registry import kind_of
from lather.core.phrases import Phrase, phrase

WANTED_GONE = "mend"
"""What somebody decided of a mark that would otherwise stay."""
LISTED_FROM = 0.5
"""Confidence under which a find is in no list, plan or brief; of stray hairs the desk keeps fainter ones to hand."""
SURE_FROM = 0.9
"""Confidence from which *Mend all* and the automatic pass take a find."""
DECISIONS = ("keep", "skip", WANTED_GONE)


@dataclass(frozen=True)
class Find:
    """One find. Lengths in source px; contrast in ΔE00; confidence 0-1.

    keeper: proposed to stay. worth: would show at the delivered size. outline: polygon. Lines have path and width.
    left_alone: the rule (`find.no_flaw`) that says it is no flaw; "" of what is listed.
    """

    id: str
    kind: str
    x: float
    y: float
    size_px: float
    contrast_de: float
    confidence: float
    zone: str = ""
    keeper: bool = False
    worth: bool = True
    outline: tuple[tuple[float, float], ...] = ()
    path: tuple[tuple[float, float], ...] | None = None
    width_px: float | None = None
    left_alone: str = ""
    extra: dict = field(default_factory=dict)

    @property
    def label(self) -> str:
        """What it is called."""
        return kind_of(self.kind).label

    @property
    def listed(self) -> bool:
        """True where it counts: in lists at the usual sensitivity, in plan and brief."""
        return self.confidence >= LISTED_FROM

    @property
    def sure(self) -> bool:
        """True where it is mended without being looked at; else somebody is to look first."""
        return self.confidence >= SURE_FROM

    @property
    def visibility(self) -> float:
        """What to look at first: contrast times the root of the area seen."""
        area = self.size_px * (self.width_px or self.size_px)
        return self.contrast_de * area**0.25

    def to_json(self) -> dict:
        """As `lather find --json` prints it, and as the job file holds it."""
        data = dict(self.extra) | {
            "id": self.id,
            "kind": self.kind,
            "x": round(self.x, 1),
            "y": round(self.y, 1),
            "size_px": round(self.size_px, 1),
            "contrast_de": round(self.contrast_de, 2),
            "confidence": round(self.confidence, 3),
            "sure": self.sure,
            "zone": self.zone,
            "keeper": self.keeper,
            "worth": self.worth,
            "outline": [[round(a, 1), round(b, 1)] for a, b in self.outline],
        }
        if self.path is not None:
            data["path"] = [[round(a, 1), round(b, 1)] for a, b in self.path]
            data["width_px"] = round(self.width_px or 0, 1)
        if self.left_alone:
            data["left_alone"] = self.left_alone
        return data

    @classmethod
    def from_json(cls, data: dict) -> "Find":
        """Raises RequestError, KeyError, TypeError or ValueError for what cannot be a find."""
        path = data.get("path")
        find = cls(
            id=str(data["id"]),
            kind=str(data["kind"]),
            x=float(data["x"]),
            y=float(data["y"]),
            size_px=float(data["size_px"]),
            contrast_de=float(data["contrast_de"]),
            confidence=float(data["confidence"]),
            zone=str(data.get("zone", "")),
            keeper=bool(data.get("keeper", False)),
            worth=bool(data.get("worth", True)),
            outline=tuple((float(a), float(b)) for a, b in data.get("outline", ())),
            path=tuple((float(a), float(b)) for a, b in path) if path else None,
            width_px=float(data["width_px"]) if path else None,
            left_alone=str(data.get("left_alone", ""))[:40],
            extra=kept(data, *_FIELDS, "sure"),
        )
        find.check()
        return find

    def check(self) -> None:
        """Raises RequestError for values that no find can have."""
        corners = np.array([(self.x, self.y), *self.outline, *(self.path or ())], float)
        if len(corners) > ranges.MOST_CORNERS:
            raise RequestError(phrase("An outline of %1 corners is over %2.", f"{len(corners):,}",
                                      f"{ranges.MOST_CORNERS:,}"))
        ranges.check_places(corners, "A place")
        for size in (self.size_px, self.width_px or 0.0):
            ranges.FIND_SIZE_PX.check(size, "A find's size")
        ranges.FIND_CONTRAST_DE.check(self.contrast_de, "A contrast")
        ranges.SHARE.check(self.confidence, "A confidence")


def size_text(find: "Find") -> Phrase:
    """How large it is, as lists say it; of a line, how long and how wide."""
    if find.path is None:
        return phrase("%1 px", f"{find.size_px:.0f}")
    return phrase("%1 × %2 px", f"{find.size_px:.0f}", f"{find.width_px:.0f}")


def contrast_text(find: Find) -> str:
    """Its contrast with its unit, and its sign where that is told."""
    kind = kind_of(find.kind)
    sign = {1: "+", -1: "−"}.get(kind.sign, "")
    return f"{sign}{find.contrast_de:.1f} {kind.measured}"


_FIELDS = {f.name for f in fields(Find)} - {"extra"}
