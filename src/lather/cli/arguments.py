"""Kinds of arguments: each says its range, so that no nonsense gets past the command line."""

import argparse
import math
from collections.abc import Callable
from typing import TypeVar

Number = TypeVar("Number", int, float)


def whole(low: int, high: int) -> Callable[[str], int]:
    """A whole number from low to high."""
    return _within(int, "whole number", low, high)


def number(low: float, high: float) -> Callable[[str], float]:
    """A finite number from low to high."""
    return _within(float, "number", low, high)


def _within(kind: type[Number], called: str, low: Number, high: Number) -> Callable[[str], Number]:
    def parse(text: str) -> Number:
        try:
            value = kind(text) if text.isascii() else math.nan
        except ValueError:
            value = math.nan
        if not low <= value <= high:
            raise argparse.ArgumentTypeError(f"“{text[:40]}” is no {called} from {low:g} to {high:g}")
        return value

    return parse
