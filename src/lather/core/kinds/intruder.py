"""Something that came in from the edge of the picture."""

from lather.core.kinds.base import FindKind

KIND = FindKind("intruder", "Intruder", by_hand=True)
