"""Lip colour on the skin beside the lips."""

from lather.core.kinds.base import FindKind

KIND = FindKind("smeared_lip", "Smeared lip", size=(1.5, 4.0), edge=0.5)
