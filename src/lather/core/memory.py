"""How much memory is for what, and memory given back to the machine."""

import ctypes
import os
from dataclasses import dataclass

_MOST_BYTES = 4 * 1024**3
_SHARES = {"tiles": 0.52, "patches": 0.23, "display": 0.1, "maps": 0.08, "moves": 0.05, "cells": 0.02}


@dataclass(frozen=True)
class Budget:
    """One limit for all that can be worked out again, in bytes: a quarter of the machine's memory, at most 4 GiB.

    tiles: of the engine. patches: solved edits, as they are and as they lie in the job file. display: what the window
    draws. maps: painted coverage. moves: what Shape displaces. cells: the
    picture read coarsely, with what skin needs.
    """

    limit: int

    @classmethod
    def usual(cls) -> "Budget":
        total = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
        return cls(min(total // 4, _MOST_BYTES))

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
