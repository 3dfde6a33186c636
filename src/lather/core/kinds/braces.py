"""Braces."""

from lather.core.kinds.base import FindKind

KIND = FindKind("braces", "Braces", by_hand=True)
