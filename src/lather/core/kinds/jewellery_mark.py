"""The mark of a chain."""

from lather.core.kinds.base import FindKind

KIND = FindKind("jewellery_mark", "Chain mark", size=(1.0, 2.1), edge=0.8)
