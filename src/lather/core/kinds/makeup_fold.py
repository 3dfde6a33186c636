"""Make-up gathered in a fold."""

from lather.core.kinds.base import FindKind

KIND = FindKind("makeup_fold", "Make-up in a fold", size=(1.0, 2.1), edge=0.8)
