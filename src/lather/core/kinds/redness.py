"""Redness."""

from lather.core.kinds.base import FindKind

KIND = FindKind("redness", "Redness", stage="colour")
