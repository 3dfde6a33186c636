"""Threads that work for others, and how many libraries use beside them."""

import os
import sys
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from threading import Lock, get_native_id

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
