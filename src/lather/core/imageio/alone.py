"""One at a time: a lock in a file of its own, held by whoever works, let go with the program however that ends."""

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path


@contextmanager
def alone(lock: Path) -> Iterator[None]:
    """While inside, nobody else is who asks for the same lock: whoever comes meanwhile waits. Where the file system has
    no locks, or the folder takes no file, nobody waits.
    """
    handle = None
    with suppress(OSError):
        handle = os.open(lock, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o644)
        fcntl.flock(handle, fcntl.LOCK_EX)
    try:
        yield
    finally:
        if handle is not None:
            os.close(handle)
