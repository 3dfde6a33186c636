"""A flake of skin: its outline holds a rim that hardly shows."""

from lather.core.kinds.base import FindKind

KIND = FindKind("flake", "Flake", size=(0.9, 4.0))
