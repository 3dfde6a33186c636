"""Widgets that are made when they are first looked at: what nobody opens costs nothing."""

from collections.abc import Callable
from typing import Generic, TypeVar

from PyQt6.QtWidgets import QWidget

_Made = TypeVar("_Made", bound=QWidget)


class MadeWhenWanted(dict[str, _Made], Generic[_Made]):
    """{name: widget}, of those that `make(name)` has made so far; asked for another, it is made."""

    def __init__(self, make: Callable[[str], _Made]):
        super().__init__()
        self._make = make

    def __missing__(self, name: str) -> _Made:
        self[name] = self._make(name)
        return self[name]
