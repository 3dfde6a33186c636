"""Skin that is lighter than what lies around it: less pigment."""

from lather.core.kinds.base import FindKind

KIND = FindKind("blotch_bright", "Bright blotch", stage="even", measured="ΔL*", sign=1)
