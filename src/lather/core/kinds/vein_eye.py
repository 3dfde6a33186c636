"""A vein in the white of an eye."""

from lather.core.kinds.base import FindKind

KIND = FindKind("vein_eye", "Vein in the eye", size=(1.3, 1.0), checked=False)
