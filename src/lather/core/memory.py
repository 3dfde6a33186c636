"""How much memory is for what, and memory given back to the machine."""

import ctypes
import os
from dataclasses import dataclass

MACHINE_BYTES = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
LIMIT = "LATHER_MEMORY_MB"
"""Of the environment: another limit than the usual one, in MB."""

_MOST_BYTES, _LEAST_BYTES = 4 * 1024**3, 256 * 1024**2
_SHARES = {"tiles": 0.52, "patches": 0.23, "display": 0.1, "maps": 0.08, "moves": 0.05, "cells": 0.02}


@dataclass(frozen=True)
class Budget:
    """One limit for all that can be worked out again, in bytes.

    tiles: of the engine. patches: solved edits, as they are and as they lie in the job file. display: what the window
    draws. maps: painted coverage. moves: what Shape displaces. cells: the
    picture read coarsely, with what skin needs.
    """

    limit: int

    @classmethod
    def of_machine(cls) -> "Budget":
        """A quarter of the machine's memory, at most 4 GiB."""
        return cls(min(MACHINE_BYTES // 4, _MOST_BYTES))

    @classmethod
    def usual(cls) -> "Budget":
        """As `LATHER_MEMORY_MB` says (from 256 MB to the machine's memory), or as the machine has it."""
        try:
            wanted = 1024**2 * int(float(os.environ[LIMIT]))
        except (KeyError, ValueError, OverflowError):
            return cls.of_machine()
        return cls(min(MACHINE_BYTES, max(_LEAST_BYTES, wanted)))

    def share(self, of: str) -> int:
        """Bytes for one of the above."""
        return int(_SHARES[of] * self.limit)


def give_back_memory() -> None:
    """What was freed but is still held for later use goes back to the machine, where the C library can do that.

    Tiles and patches come and go by the thousand; glibc keeps their space in the process.
    """
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is not None:
        trim(0)
