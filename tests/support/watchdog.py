"""Watches the window's thread: how long it answers nothing, and where it is meanwhile.

Times are scaled by how quick the machine is at that moment, told by a piece of Python and arithmetic that is measured
in the same run.
"""

import faulthandler
import re
import tempfile
import threading
import time
from dataclasses import dataclass, field

import numpy as np
from PyQt6.QtCore import QTimer

_BEAT_MS = 5
_USUAL_S = 0.0200  # of the piece, on the machine that limits were set on, at its quick times
_LOOK_EACH_S = 0.02
_LINE = re.compile(r'File "(.*)", line (\d+) in (.*)')


def slowness() -> float:
    """How many times slower than usual this machine is now; 1 at least."""
    def piece() -> float:
        start = time.perf_counter()
        rng = np.random.default_rng(1)
        for _ in range(4):
            field = rng.random((160, 160))
            np.sort(field @ field, axis=0)
        total = 0
        for number in range(120_000):
            total += number & 7
        return time.perf_counter() - start

    return max(1.0, sorted(piece() for _ in range(5))[2] / _USUAL_S)


@dataclass
class Stall:
    """seconds: that nothing was answered. where: lines of the window's thread meanwhile, the last ones first."""

    seconds: float
    where: list[str] = field(default_factory=list)

    def __str__(self) -> str:
        return f"{1000 * self.seconds:.0f} ms in " + " < ".join(self.where[:7])


class Watchdog:
    """Context in which stalls over `least_s` are noted. Works while the event loop is turned by whoever drives it; that
    the driver itself sleeps is no stall: it is to call `fed` when it goes on.
    """

    def __init__(self, least_s: float = 0.1):
        self.stalls: list[Stall] = []
        self._least, self._last = least_s, time.perf_counter()
        self._main = threading.get_ident()
        self._seen: list[str] = []
        self._ended = threading.Event()
        self._timer = QTimer()
        self._timer.timeout.connect(self._beat)

    def __enter__(self) -> "Watchdog":
        self._last = time.perf_counter()
        self._timer.start(_BEAT_MS)
        threading.Thread(target=self._watch, name="watchdog", daemon=True).start()
        return self

    def __exit__(self, *_) -> None:
        self._beat()
        self._ended.set()
        self._timer.stop()

    @property
    def longest(self) -> Stall:
        return max(self.stalls, key=lambda stall: stall.seconds, default=Stall(0.0))

    def fed(self) -> None:
        """Nothing is to be counted of what has passed."""
        self._last, self._seen = time.perf_counter(), []

    def _beat(self) -> None:
        now = time.perf_counter()
        if now - self._last > self._least:
            self.stalls.append(Stall(now - self._last, self._seen))
        self._last, self._seen = now, []

    def _watch(self) -> None:
        while not self._ended.wait(_LOOK_EACH_S):
            waited = time.perf_counter() - self._last
            if waited > 0.6 * self._least:
                self._seen = self._where() or self._seen

    def _where(self) -> list[str]:
        """By the fault handler, which holds nothing: a frame that is looked at keeps its painter alive, and a painter
        that outlives its event ends the program.
        """
        with tempfile.TemporaryFile() as file:
            faulthandler.dump_traceback(file)
            file.seek(0)
            text = file.read().decode(errors="replace")
        _, _, own = text.partition(f"Thread 0x{self._main:016x} ")
        lines = own.partition("\n\n")[0].splitlines()[1:]
        return [_LINE.sub(r"\3 (\1:\2)", line.strip()).rpartition("/lather/")[2] or line for line in lines]
