"""A mole: it belongs to the person."""

from lather.core.kinds.base import A_MARK, FindKind

KIND = FindKind("mole", "Mole", keeper=True, caution=A_MARK)
