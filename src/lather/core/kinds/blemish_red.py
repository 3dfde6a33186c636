"""A red spot; its halo goes far."""

from lather.core.kinds.base import FindKind

KIND = FindKind("blemish_red", "Red spot", size=(1.5, 4.0))
