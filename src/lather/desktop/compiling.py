"""The fast loops at the first start after an installation: compiled beside the window, told where one is waited for.

A process of its own does it, so that the window's thread never waits for Numba; whoever needs a loop that is not there
asks for it to come next. What is not ready is said on the message line, where it is used.
"""

import subprocess
import sys
import threading

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core import loops, warmup
from lather.core.loops import Loop
from lather.core.phrases import phrase
from lather.desktop.window.host import Host

_LONGEST_WAIT_S = 120.0


class Compiling(QObject):
    """`ready()` when all loops are there. first: whether there is anything to do."""

    ready = pyqtSignal()
    _told = pyqtSignal(int, int)
    _waited_for = pyqtSignal(bool)
    _ended = pyqtSignal(int)

    def __init__(self, window: Host):
        super().__init__(window)
        self._window = window
        self.first = not warmup.is_warm()
        self._process: subprocess.Popen | None = None
        self._there: dict[str, threading.Event] = {}
        self._told.connect(self._show)
        self._waited_for.connect(self._show_waiting)
        self._ended.connect(self._show_end)

    def start(self) -> None:
        """At a later start this does nothing but say so."""
        if not self.first:
            self.ready.emit()
            return
        there = warmup.ORDER[warmup.FIRST :]
        self._there = {one.name: threading.Event() for one in warmup.all_loops(there)}
        self._process = subprocess.Popen([sys.executable, "-m", "lather.core.warmup", *there], stdin=subprocess.PIPE,
                                         stdout=subprocess.PIPE, text=True, start_new_session=True)
        loops.elsewhere.append(self._have_compiled)
        loops.waiting.append(self._hear_waiting)
        threading.Thread(target=self._listen, name="compiling", daemon=True).start()
        self._show(0, 1)

    def stop(self) -> None:
        """What was compiled stays; the next start goes on with the rest."""
        if self._process is not None:
            self._process.terminate()
            self._forget()

    def _forget(self) -> None:
        for hooks, own in ((loops.elsewhere, self._have_compiled), (loops.waiting, self._hear_waiting)):
            if own in hooks:
                hooks.remove(own)

    def _listen(self) -> None:
        for line in self._process.stdout:
            said, name, done, of = line.split()
            if said == warmup.SAID and name in self._there:
                self._there[name].set()
                self._told.emit(int(done), int(of))
        code = self._process.wait()
        for event in self._there.values():  # nobody waits for a process that is gone
            event.set()
        if code == 0:
            warmup.run(warmup.ORDER[: warmup.FIRST])
            warmup.keep_mark()
        self._ended.emit(code)

    def _have_compiled(self, one: Loop) -> None:
        """In the thread that needs the loop: wait until the other process has it."""
        event = self._there.get(one.name)
        if event is None or event.is_set() or threading.current_thread() is threading.main_thread():
            return
        try:
            self._process.stdin.write(f"{one.name}\n")
            self._process.stdin.flush()
        except OSError:
            return  # it is gone: compiled here
        event.wait(_LONGEST_WAIT_S)

    def _hear_waiting(self, one: Loop, wait: bool) -> None:
        self._waited_for.emit(wait)

    def _show_waiting(self, wait: bool) -> None:
        if wait:
            self._window.say("This waits for its fast loop to be compiled, once after an installation; a moment.")

    def _show(self, done: int, of: int) -> None:
        self._window.screens.show_going_on(
            phrase("Compiling the fast loops, once after an installation: %1 %. All can be used meanwhile; what "
                   "needs one that is not there yet waits for it.", f"{100 * done / of:.0f}"))

    def _show_end(self, code: int) -> None:
        self._forget()
        self._window.screens.show_going_on("")
        if code:
            self._window.warn("The fast loops could not all be compiled ahead; what needs one waits for it once.")
        else:
            self._window.say("The fast loops are ready.")
        self.ready.emit()
