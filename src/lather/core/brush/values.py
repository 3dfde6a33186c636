"""Brush values as the person sets them, and how pen pressure drives them."""

from dataclasses import dataclass, field, fields

from lather.core import ranges
from lather.core.phrases import phrase

TOUCH_SPACING = 0.10
BUILD_UP_TOUCHES_PER_S = 20.0
LEAST_PRESSURE_SHARE = 0.05


@dataclass(frozen=True)
class Brush:
    """Brush of a stroke.

    size_px: diameter, 1-2000. edge: softness, 0 hard to 1 soft from the centre. ceiling: most coverage
    that one stroke reaches, 0-1. flow: what each touch lays down, 0-1. build_up: touches go on while the
    pen holds still. The pressure switches make pen pressure scale size, ceiling or flow.
    """

    size_px: float = 24.0
    edge: float = 0.3
    ceiling: float = 1.0
    flow: float = 1.0
    build_up: bool = False
    pressure_size: bool = False
    pressure_ceiling: bool = False
    pressure_flow: bool = False
    extra: dict = field(default_factory=dict, repr=False, hash=False)

    def __post_init__(self):
        for name, kind in _KINDS.items():  # one type for each value, so that equal brushes are written the same way
            object.__setattr__(self, name, kind(getattr(self, name)))
        ranges.BRUSH_SIZE_PX.check(self.size_px, "A brush")
        for name in ("edge", "ceiling", "flow"):
            ranges.SHARE.check(getattr(self, name), phrase("A brush's %1", name))

    def to_json(self) -> dict:
        """Plain values by name; fields of a newer version go along."""
        return self.extra | {name: getattr(self, name) for name in _KINDS}

    @classmethod
    def from_json(cls, data: dict) -> "Brush":
        """Raises RequestError, TypeError or ValueError for what cannot be a brush."""
        known = {name: value for name, value in data.items() if name in _KINDS}
        return cls(**known, extra={name: value for name, value in data.items() if name not in _KINDS})


_KINDS = {f.name: type(f.default) for f in fields(Brush) if f.name != "extra"}
