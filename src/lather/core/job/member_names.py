"""Names of the members of a job file: what any file may be called, written so that the strict reader takes it."""

import os
from pathlib import PurePosixPath
from urllib.parse import quote, unquote_to_bytes

_LONGEST_STEM = 200  # bytes; a whole name has 255 at most
_FORBIDDEN = frozenset('%:/\\') | {chr(n) for n in range(32)} | {"\x7f"}


def readable_name(name: str) -> str:
    """A file name as people read it: bytes that are no UTF-8 are taken as Latin-1, so every name is proper text."""
    try:
        name.encode()
        return name
    except UnicodeEncodeError:
        return os.fsencode(name).decode("latin-1")


def encoded_name(name: str) -> str:
    """One name of a member, whatever the file is called: what could lead out of the job is percent-encoded."""
    plain = PurePosixPath(readable_name(name)).name or "photo"
    if set(plain) <= {"."}:
        return "%2E" * len(plain)
    return "".join(quote(c, safe="") if c in _FORBIDDEN else c for c in plain)


def decoded_name(member: str) -> str:
    """Inverse of `encoded_name`."""
    return unquote_to_bytes(member.encode()).decode(errors="replace")


def new_stem(name: str) -> str:
    """What a file made of another is to begin with: its name without ending, printable, with room for an ending."""
    stem = "".join(c for c in PurePosixPath(readable_name(name).replace("\\", "/")).stem if c.isprintable())
    return stem.encode()[:_LONGEST_STEM].decode(errors="ignore").strip() or "photo"


def plain_name(name: str) -> str:
    """How the photo's member was named before names were encoded; such jobs still open."""
    return PurePosixPath(name.replace("\\", "/")).name or "photo"
