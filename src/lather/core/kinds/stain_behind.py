"""A stain, a seam or a dark thing behind the person."""

from lather.core.kinds.base import FindKind

KIND = FindKind("stain_behind", "Stain behind", whole_outline=True)
