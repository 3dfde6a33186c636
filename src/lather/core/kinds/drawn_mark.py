"""A drawn mark: a tattoo, henna or drawn make-up. It belongs to the person, and is neither mended nor taken from."""

from lather.core.kinds.base import FindKind

KIND = FindKind(
    "drawn_mark", "Drawn mark", keeper=True, by_hand=True,
    caution="What is drawn on skin belongs to the person: nothing is mended on it, and no skin is taken from it.",
)
