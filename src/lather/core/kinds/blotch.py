"""A blotch of an earlier version, which did not tell dark from bright."""

from lather.core.kinds.base import FindKind

KIND = FindKind("blotch", "Blotch", stage="even", by_hand=True)
