"""A dark spot on skin."""

from lather.core.kinds.base import FindKind

KIND = FindKind("blemish_dark", "Dark spot")
