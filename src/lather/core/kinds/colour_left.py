"""What of a blotch stays when its light is even: its colour."""

from lather.core.kinds.base import FindKind

KIND = FindKind("colour_left", "Colour left", stage="colour", by_hand=True)
