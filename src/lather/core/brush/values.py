"""Brush values as the person sets them, and how pen pressure drives them."""

from dataclasses import dataclass, fields

from lather.core.errors import RequestError

SIZE_RANGE_PX = (1.0, 2000.0)
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

    def __post_init__(self):
        for name, kind in _KINDS.items():  # one type for each value, so that equal brushes are written the same way
            object.__setattr__(self, name, kind(getattr(self, name)))
        if not SIZE_RANGE_PX[0] <= self.size_px <= SIZE_RANGE_PX[1]:
            raise RequestError(f"A brush of {self.size_px:g} px is outside 1 to 2000 px.")
        for name in ("edge", "ceiling", "flow"):
            if not 0 <= getattr(self, name) <= 1:
                raise RequestError(f"Brush {name} {getattr(self, name):g} is outside 0 to 1.")

    def to_json(self) -> dict:
        return {name: getattr(self, name) for name in _KINDS}

    @classmethod
    def from_json(cls, data: dict) -> "Brush":
        return cls(**{name: value for name, value in data.items() if name in _KINDS})


_KINDS = {f.name: type(f.default) for f in fields(Brush)}
