"""A speck on cloth."""

from lather.core.kinds.base import FindKind

KIND = FindKind("cloth_speck", "Speck on cloth")
