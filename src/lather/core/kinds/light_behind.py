"""A light, or a bright thing, behind the person that draws the eye."""

from lather.core.kinds.base import FindKind

KIND = FindKind("light_behind", "Light behind", whole_outline=True)
