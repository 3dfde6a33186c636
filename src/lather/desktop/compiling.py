"""The fast loops, made ready beside the window; at the first start after an installation it is said how far that is."""

import threading
from contextlib import suppress

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core import warmup
from lather.desktop.window.host import Host


class Compiling(QObject):
    """`ready()` when all loops are there."""

    ready = pyqtSignal()
    _told = pyqtSignal(float)
    _failed = pyqtSignal(str)

    def __init__(self, window: Host):
        super().__init__(window)
        self._window = window
        self.first = not warmup.is_warm()
        self._told.connect(self._show)
        self._failed.connect(self._show_failure)

    def start(self) -> None:
        threading.Thread(target=self._work, name="warm-up", daemon=True).start()
        if self.first:
            self._show(0.0)

    def _work(self) -> None:
        try:
            warmup.run(self._told.emit)
        except Exception as error:  # what cannot be compiled is tried again where it is needed, and fails there
            with suppress(RuntimeError):  # the program has ended before all was warm
                self._failed.emit(f"{type(error).__name__}: {error}")

    def _show_failure(self, why: str) -> None:
        self._window.screens.show_going_on("")
        if self.first:
            self._window.warn(f"The fast loops could not all be compiled ahead ({why[:120]}); strokes may wait.")

    def _show(self, share: float) -> None:
        if self.first:
            self._window.screens.show_going_on(
                "" if share >= 1 else f"Compiling the fast loops, once after an installation: {100 * share:.0f} %. "
                "Until then the first strokes and finds wait for theirs.")
        if share >= 1:
            if self.first:
                self._window.say("The fast loops are ready.")
            self.ready.emit()
