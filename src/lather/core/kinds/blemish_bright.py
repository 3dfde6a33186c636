"""A bright spot on skin."""

from lather.core.kinds.base import FindKind

KIND = FindKind("blemish_bright", "Bright spot", size=(1.26, 2.7))
