"""Kinds of arguments: each says its range, so that no nonsense gets past the command line."""

import argparse
import math
from collections.abc import Callable


def whole(low: int, high: int) -> Callable[[str], int]:
    """A whole number from low to high."""

    def parse(text: str) -> int:
        try:
            if not text.isascii():
                raise ValueError(text)
            value = int(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"“{text[:40]}” is no whole number from {low} to {high}") from None
        if not low <= value <= high:
            raise argparse.ArgumentTypeError(f"{value if abs(value) < 1e15 else text[:15]} is outside {low} to {high}")
        return value

    return parse


def number(low: float, high: float) -> Callable[[str], float]:
    """A finite number from low to high."""

    def parse(text: str) -> float:
        try:
            if not text.isascii():
                raise ValueError(text)
            value = float(text)
        except ValueError:
            value = math.nan
        if not low <= value <= high:
            raise argparse.ArgumentTypeError(f"“{text[:40]}” is no number from {low:g} to {high:g}")
        return value

    return parse
