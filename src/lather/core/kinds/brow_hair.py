"""A hair beside a brow."""

from lather.core.kinds.base import FindKind

KIND = FindKind("brow_hair", "Stray brow hair", also_in=("strands",), checked=False)
