"""Which set a test is in: what judges quality on whole plates runs before a release, by `./lather test --all`."""

import os
from collections.abc import Sequence
from typing import TypeVar

One = TypeVar("One")


def for_release(test):
    """Decorator of a class or a test. What is cheap of it stays in the default set."""
    test.for_release = True
    return test


def before_release() -> bool:
    """True in a run of all."""
    return os.environ.get("LATHER_TEST_ALL") == "1"


def some(every: Sequence[One], usual: int = 1) -> Sequence[One]:
    """All of them before a release, else the first few: sitters that a figure is averaged over, rounds of kills."""
    return every if before_release() else every[:usual]
