"""A blotch: uneven light of the skin."""

from lather.core.kinds.base import FindKind

KIND = FindKind("blotch", "Blotch", by_hand=True)
