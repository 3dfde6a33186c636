"""A field of fine hair on skin."""

from lather.core.kinds.base import FindKind

KIND = FindKind(
    "down", "Down", stage="strands", checked=False,
    caution="Down belongs to skin, most of all to a child's. Take out what was agreed on, and leave some.",
)
