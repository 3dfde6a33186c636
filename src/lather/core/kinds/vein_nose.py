"""A vein at the nose."""

from lather.core.kinds.base import FindKind

KIND = FindKind("vein_nose", "Vein", size=(1.1, 2.4), edge=0.8)
