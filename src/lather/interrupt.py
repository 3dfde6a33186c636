"""Ctrl-C at any moment: one line, exit code 130, nothing left behind, within two seconds.

The wrapper `./lather` starts Python with SIGINT held back, so that it never meets an interpreter half started; here it
is let through. While modules are loaded there is nothing to clean up, and the program ends at once. Later it becomes a
KeyboardInterrupt, which unwinds what is being done; where that does not come to pass in time (a long piece of
arithmetic), a thread of its own sweeps and ends the program.
"""

import os
import signal
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager

EXIT_CODE = 130
_PATIENCE_S = 1.2
_stopping = threading.Event()
_asked = threading.Event()
_held = 0  # only the main thread reads and writes it: handlers run there


def _end(*_) -> None:
    os.write(2, b"lather: stopped.\n")
    os._exit(EXIT_CODE)


def let_through() -> None:
    """From the first line on: an interrupt ends the program, without a traceback."""
    signal.signal(signal.SIGINT, _end)
    signal.pthread_sigmask(signal.SIG_UNBLOCK, {signal.SIGINT})


def unwind() -> None:
    """From now on there is something to clean up: an interrupt becomes a KeyboardInterrupt in the main thread."""
    reader, writer = os.pipe()
    os.set_blocking(writer, False)
    signal.set_wakeup_fd(writer, warn_on_full_buffer=False)
    signal.signal(signal.SIGINT, _raise)
    threading.Thread(target=_watch, args=(reader,), name="interrupt", daemon=True).start()


def _raise(*_) -> None:
    _asked.set()
    if _held:
        return
    sys.unraisablehook = lambda _: None  # where a library cannot hand it on, the watching thread ends the program
    raise KeyboardInterrupt


@contextmanager
def held_back() -> Iterator[None]:
    """An interrupt that comes meanwhile is raised at the end. Processes that are begun meanwhile leave Ctrl-C to their
    parent from their first moment, for their signal mask is inherited; the mask alone does not keep it from this
    program, as any other thread may take a signal and the main thread then handles it.
    """
    global _held
    before = _asked.is_set()
    _held += 1
    mask = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    try:
        yield
    finally:
        _held -= 1
        signal.pthread_sigmask(signal.SIG_SETMASK, mask)
    if _asked.is_set() and not before and not _held:
        _raise()


def asked() -> bool:
    """True after an interrupt that was to unwind what was being done."""
    return _asked.is_set()


def _watch(reader: int) -> None:
    while os.read(reader, 1) != bytes([signal.SIGINT]):
        pass
    if not _stopping.wait(_PATIENCE_S):
        end_now()


def stopping() -> None:
    """Whoever deals with an interrupt in an own way, and in time, says so."""
    _stopping.set()


def end_now(message: str = "stopped.") -> None:
    """Sweep what this program was writing, say one line, and end at once: threads at work are not waited for."""
    _stopping.set()
    from lather.core.imageio.atomic import sweep_own_parts

    sweep_own_parts()
    os.write(2, f"lather: {message}\n".encode(errors="replace"))
    os._exit(EXIT_CODE)
