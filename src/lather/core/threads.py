"""Threads that work for others, and how many libraries use beside them."""

import os
import sys
import time
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from threading import Lock, Thread, get_native_id

import cv2

_NICE, _LEAST_PRIORITY = 10, 19


def give_way() -> None:
    """Makes the calling thread wait for those that the person waits for; Linux has priorities by thread."""
    if sys.platform == "linux":
        own = os.getpriority(os.PRIO_PROCESS, get_native_id())  # only ever more: less than that is not allowed
        os.setpriority(os.PRIO_PROCESS, get_native_id(), min(own + _NICE, _LEAST_PRIORITY))


ARITHMETIC = ThreadPoolExecutor(2, "arithmetic")
"""For arithmetic only: a task here never reads a layer, so it never waits for one."""

BACKGROUND = ThreadPoolExecutor(2, "background", initializer=give_way)
"""The same for what goes on while the person paints: a pen never waits behind its tasks."""

_ending: dict[Thread, object] = {}


def let_end(threads: Iterable[Thread], keep: object = None) -> None:
    """These were told to end, and whoever told them does not wait. They are waited for at the end of the program.

    keep: what they still use; it is held until they have ended, and let go by a caller of this.
    """
    for thread in [thread for thread in _ending if not thread.is_alive()]:
        del _ending[thread]
    _ending.update((thread, keep) for thread in threads if thread.is_alive())


def wait_for_ended(seconds: float) -> bool:
    """Until all that were told to end have; False if some go on after so long."""
    end = time.monotonic() + seconds
    for thread in list(_ending):
        thread.join(max(0.0, end - time.monotonic()))
    let_end(())
    return not _ending


_lock = Lock()
_inside = 0
_usual = 0


@contextmanager
def one_thread_in_opencv() -> Iterator[None]:
    """While inside, OpenCV's operations do not split their work: threads of ours keep the cores busy already.

    Two threads that each wait for OpenCV's workers are slower than two that do not (a fifth, on two cores). The number
    is the whole process's, so it comes back when the last one leaves.
    """
    global _inside, _usual
    with _lock:
        if not _inside:
            _usual = cv2.getNumThreads()
            cv2.setNumThreads(1)
        _inside += 1
    try:
        yield
    finally:
        with _lock:
            _inside -= 1
            if not _inside:
                cv2.setNumThreads(_usual)
