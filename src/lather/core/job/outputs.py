"""The outputs of a job as its sheet lists them: what is delivered, how large, on what, in which format."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import asdict, dataclass, fields, replace
from typing import Any

from lather.core.errors import RequestError
from lather.core.lengths import sides_text
from lather.core.phrases import phrase
from lather.core.ranges import Range
from lather.core.strict_json import MALFORMED

MEDIA = {"screen": "screen", "matte": "matte paper", "glossy": "glossy paper"}
SIZES = {"full": "full size", "px": "long edge in px", "cm": "print in cm"}
FORMATS = {"JPEG": ".jpg", "PNG": ".png", "TIFF": ".tif", "WebP": ".webp", "OpenRaster": ".ora"}
DEEP = ("PNG", "TIFF")
"""Formats that hold 16 bits a channel."""
PROFILES = {"srgb": "sRGB", "own": "photo’s own", "grey": "grey", "paper": "Matte paper, ours"}
"""Profiles by name; any other word is the path of a profile."""
_MM_PER_INCH = 25.4
LONG_EDGE_PX, SIDE_CM, PPI = Range(16, 60_000, "px"), Range(1.0, 1000.0, "cm"), Range(30.0, 2400.0, "ppi")
DISTANCE_CM, QUALITY, COUNT = Range(5.0, 10_000.0, "cm"), Range(1, 100), Range(1, 100_000)
MOST_ENLARGED = 4.0


@dataclass(frozen=True)
class OutputSpec:
    """One output. size: full, px (long_edge_px) or cm (width_cm × height_cm at ppi, the picture fitted inside, either
    way up). distance_cm: from which a print is looked at. medium: what it is sharpened for. profile: one of PROFILES,
    or a path. count: how many of it, for the sheet and the price. Raises RequestError for values that cannot be.
    """

    id: str
    name: str
    on: bool = True
    size: str = "full"
    long_edge_px: int = 2048
    width_cm: float = 20.0
    height_cm: float = 25.0
    ppi: float = 300.0
    distance_cm: float = 40.0
    medium: str = "screen"
    format: str = "JPEG"
    bits: int = 8
    quality: int = 92
    profile: str = "srgb"
    sharpen: bool = True
    count: int = 1

    def __post_init__(self):
        for value, known, what in ((self.size, SIZES, "size"), (self.medium, MEDIA, "medium"),
                                   (self.format, FORMATS, "format")):
            if value not in known:
                raise RequestError(phrase("“%1” is no %2 of an output; choose from %3.", value, what, ", ".join(known)))
        LONG_EDGE_PX.check(self.long_edge_px, "A long edge")
        for number, held, what in ((self.width_cm, SIDE_CM, "A width"), (self.height_cm, SIDE_CM, "A height"),
                                  (self.ppi, PPI, "A resolution"), (self.distance_cm, DISTANCE_CM, "A distance"),
                                  (self.quality, QUALITY, "A quality"), (self.count, COUNT, "A count")):
            held.check(number, what)
        if self.bits not in ((8, 16) if self.format in DEEP else (8,)):
            raise RequestError(phrase("%1 holds 8 bits a channel; choose PNG or TIFF for 16.", self.format))

    def size_px(self, width: int, height: int) -> tuple[int, int]:
        """Pixels of a delivered photo. On screens nothing is enlarged; a print is enlarged up to 4 ×."""
        longest = max(width, height)
        if self.size == "full":
            return width, height
        if self.size == "px":
            scale = min(1.0, self.long_edge_px / longest)
        else:
            long_px, short_px = (10 * side / _MM_PER_INCH * self.ppi
                                 for side in sorted((self.width_cm, self.height_cm), reverse=True))
            scale = min(long_px / longest, short_px / min(width, height), MOST_ENLARGED)
        return max(1, round(width * scale)), max(1, round(height * scale))

    def size_text(self, unit: str = "cm") -> str:
        """`20 × 25 cm, 300 ppi`, `long edge 2048 px`, `full size`. unit: of a print, cm or in."""
        if self.size == "cm":
            return phrase("%1, %2 ppi", sides_text(self.width_cm, self.height_cm, unit), f"{self.ppi:g}")
        return phrase("long edge %1 px", self.long_edge_px) if self.size == "px" else "full size"

    def profile_text(self) -> str:
        """The profile as it is called."""
        return PROFILES.get(self.profile) or self.profile.rsplit("/", 1)[-1]

    def delivered_ppi(self, photo_ppi: float | None) -> float | None:
        """Pixels per inch written into the file; None keeps none."""
        return self.ppi if self.size == "cm" else photo_ppi

    @property
    def is_print(self) -> bool:
        """True for one whose size is given on paper."""
        return self.size == "cm"

    def with_format(self, format_: str) -> "OutputSpec":
        """Another format; a depth that it does not hold becomes 8 bits."""
        return replace(self, format=format_, bits=self.bits if format_ in DEEP else 8)

    def to_json(self) -> dict:
        """Plain values, for the job sheet."""
        return asdict(self)

    @classmethod
    def from_json(cls, data: Mapping) -> "OutputSpec":
        """Raises RequestError, TypeError, ValueError or KeyError for what cannot be an output."""
        made: dict[object, Callable[[Any], Any]] = {int: int, float: float, bool: bool, str: str}
        known = {one.name: made[one.type](data[one.name]) for one in fields(cls) if one.name in data}
        if "id" not in known or "name" not in known:
            raise RequestError("An output needs an id and a name.")
        return cls(**known)


def outputs_of(brief: Mapping) -> tuple[OutputSpec, ...]:
    """The outputs that a job sheet lists, less those that cannot be; none where it lists none."""
    made, held = [], brief.get("outputs")
    for data in held if isinstance(held, list | tuple) else ():
        try:
            made.append(OutputSpec.from_json(data))
        except (RequestError, *MALFORMED):
            continue
    return tuple(made)


def new_output_id(outputs: Iterable[OutputSpec]) -> str:
    """An id that none of these has."""
    taken = {one.id for one in outputs}
    return next(f"output-{n}" for n in range(1, len(taken) + 2) if f"output-{n}" not in taken)


USUAL = (OutputSpec("output-1", "Full size"),)
"""Where nothing was agreed."""
