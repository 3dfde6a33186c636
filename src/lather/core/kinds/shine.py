"""Shine."""

from lather.core.kinds.base import FindKind

KIND = FindKind("shine", "Shine", stage="colour")
