"""A bump of the hairdo's outline before the ground."""

from lather.core.kinds.base import FindKind

KIND = FindKind("hair_bump", "Bump of the hairdo", stage="strands", measured="px", checked=False,
                caution="It is pushed in by Shape, a little: the hairdo stays what it is.")
