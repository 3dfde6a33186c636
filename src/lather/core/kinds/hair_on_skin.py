"""A hair that lies on skin."""

from lather.core.kinds.base import FindKind

KIND = FindKind("hair_on_skin", "Hair on skin", also_in=("strands",), checked=False)
