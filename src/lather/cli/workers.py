"""Several files at a time in processes of their own, which end with their parent."""

import ctypes
import multiprocessing
import os
import signal
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor

from lather.core.imageio.atomic import sweep_parts

_PR_SET_PDEATHSIG = 1


def _begin() -> None:
    """A worker goes with its parent, however that ends (Linux only)."""
    set_death_signal = getattr(ctypes.CDLL(None), "prctl", None)
    if set_death_signal is not None:
        set_death_signal(_PR_SET_PDEATHSIG, signal.SIGTERM)
    parent = multiprocessing.parent_process()
    if parent is not None and os.getppid() != parent.pid:  # it went while this worker was still starting
        os._exit(1)


def in_processes(work: Callable, tasks: Sequence[tuple], count: int) -> list:
    """`work(*task)` of every task, in order. Any exception, Ctrl-C too, ends the workers before it goes on."""
    with ProcessPoolExecutor(count, multiprocessing.get_context("spawn"), _begin) as pool:
        try:
            # workers leave Ctrl-C to their parent from their first moment: they begin with it held back
            signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
            try:
                futures = [pool.submit(work, *task) for task in tasks]
            finally:
                signal.pthread_sigmask(signal.SIG_UNBLOCK, {signal.SIGINT})
            return [future.result() for future in futures]
        except BaseException:
            _end(pool)
            raise


def _end(pool: ProcessPoolExecutor) -> None:
    for worker in list((pool._processes or {}).values()):
        worker.kill()  # what it was writing is registered, and swept below
    pool.shutdown(cancel_futures=True)
    sweep_parts()
