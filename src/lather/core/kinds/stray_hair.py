"""A stray hair against the background."""

from lather.core.kinds.base import FindKind

KIND = FindKind("stray_hair", "Stray hair", stage="strands", checked=False)
