"""Skin that is darker than what lies around it: more pigment, or more blood."""

from lather.core.kinds.base import FindKind

KIND = FindKind("blotch_dark", "Dark blotch", stage="even", measured="ΔL*", sign=-1)
