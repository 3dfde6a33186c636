"""Memory given back to the machine."""

import ctypes


def give_back_memory() -> None:
    """What was freed but is still held for later use goes back to the machine, where the C library can do that.

    Tiles and patches come and go by the thousand; glibc keeps their space in the process.
    """
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is not None:
        trim(0)
