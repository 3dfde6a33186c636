"""A freckle: it belongs to the person."""

from lather.core.kinds.base import FindKind

KIND = FindKind(
    "freckle", "Freckle", keeper=True,
    caution="Freckles belong to the person; they stay unless the person wants them gone.",
)
