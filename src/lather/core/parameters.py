"""Settings of a layer, declared once: what they may be, how they are called, where they start.

The job file is checked by them, the panel and the command line are made from them.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from lather.core.errors import RequestError
from lather.core.phrases import worded
from lather.core.ranges import Range


@dataclass(frozen=True)
class Number:
    """shown_times: what a stored value is multiplied by on the screen (100 for a share in %)."""

    id: str
    label: str
    range: Range
    start: float
    unit: str = ""
    step: float = 1.0
    logarithmic: bool = False
    shown_times: float = 1.0

    def __post_init__(self):
        worded(self, "label")

    def check(self, value: object) -> None:
        """Raises RequestError, TypeError or ValueError for what cannot be."""
        self.range.check(float(value), self.label)


@dataclass(frozen=True)
class Choice:
    """options: {value: label}."""

    id: str
    label: str
    options: Mapping[str, str]
    start: str

    def __post_init__(self):
        worded(self, "label", "options")

    def check(self, value: object) -> None:
        """Raises RequestError for a value that is no option."""
        if value not in self.options:
            raise RequestError(f"There is no {self.label.lower()} “{value}”; choose from {', '.join(self.options)}.")


@dataclass(frozen=True)
class Flag:
    """Yes or no."""

    id: str
    label: str
    start: bool = False

    def __post_init__(self):
        worded(self, "label")

    def check(self, value: object) -> None:
        """Whatever it is, it is true or false."""


@dataclass(frozen=True)
class Model:
    """A value of its own kind; `read` raises for what cannot be one.

    moved(value, places): of one that holds places of the photo, the same on another photo; places: (n, 2) -> (n, 2).
    """

    id: str
    label: str
    read: Callable[[object], object]
    moved: Callable[[object, Callable[[np.ndarray], np.ndarray]], object] | None = None

    def __post_init__(self):
        worded(self, "label")

    def check(self, value: object) -> None:
        """Raises what `read` raises."""
        self.read(value)


Parameter = Number | Choice | Flag | Model
EVERYWHERE = Flag("everywhere", "Everywhere")
"""The setting that lets a layer act where nothing was painted."""


def starting(parameters: tuple[Parameter, ...]) -> dict:
    """Settings of a new layer."""
    return {one.id: one.start for one in parameters if not isinstance(one, Model)}
