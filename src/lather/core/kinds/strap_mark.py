"""The mark of a strap."""

from lather.core.kinds.base import FindKind

KIND = FindKind("strap_mark", "Strap mark", size=(1.25, 3.0))
