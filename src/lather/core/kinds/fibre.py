"""A fibre or a pet's hair on cloth."""

from lather.core.kinds.base import FindKind

KIND = FindKind("fibre", "Fibre on cloth", checked=False)
