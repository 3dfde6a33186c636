"""Several files at a time in processes of their own, which end with their parent."""

import ctypes
import multiprocessing
import os
import signal
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool

from lather import interrupt
from lather.core import log
from lather.core.imageio.atomic import sweep_parts

_PR_SET_PDEATHSIG = 1
_MOST_DEATHS = 3


def _begin() -> None:
    """A worker goes with its parent, however that ends (Linux only), and writes to the same log."""
    log.configure()
    set_death_signal = getattr(ctypes.CDLL(None), "prctl", None)
    if set_death_signal is not None:
        set_death_signal(_PR_SET_PDEATHSIG, signal.SIGTERM)
    parent = multiprocessing.parent_process()
    if parent is not None and os.getppid() != parent.pid:  # it went while this worker was still starting
        os._exit(1)


def as_done(work: Callable, calls: Sequence[tuple], count: int) -> Iterator[tuple[int, object]]:
    """(index, `work(*call)`) of every call as it is done. Any exception, Ctrl-C too, ends the workers before it goes
    on. A worker that is killed takes the others along (they share one queue), so what it was at is begun anew in new
    ones, `_MOST_DEATHS` times at most.
    """
    left, deaths = dict(enumerate(calls)), 0
    while left:
        with ProcessPoolExecutor(count, multiprocessing.get_context("spawn"), _begin) as pool:
            try:
                with interrupt.held_back():  # a worker half started would end with a traceback of its own
                    futures = {pool.submit(work, *call): index for index, call in left.items()}
                for future in as_completed(futures):
                    value = future.result()
                    del left[futures[future]]
                    yield futures[future], value
            except BrokenProcessPool:
                deaths += 1
                if deaths > _MOST_DEATHS:
                    raise
                _end(pool)
            except BaseException:
                _end(pool)
                raise


def _end(pool: ProcessPoolExecutor) -> None:
    for worker in list((pool._processes or {}).values()):
        worker.kill()  # what it was writing is registered, and swept below
    pool.shutdown(cancel_futures=True)
    sweep_parts()
