"""The fast loops, made ready beside the window; at the first start after an installation it is said how far that is."""

import threading
from contextlib import suppress
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core import warmup

if TYPE_CHECKING:
    from lather.desktop.window import MainWindow


class Compiling(QObject):
    """`ready()` when all loops are there."""

    ready = pyqtSignal()
    _told = pyqtSignal(float)

    def __init__(self, window: "MainWindow"):
        super().__init__(window)
        self._window = window
        self.first = not warmup.is_warm()
        self._told.connect(self._show)

    def start(self) -> None:
        threading.Thread(target=self._work, name="warm-up", daemon=True).start()
        if self.first:
            self._show(0.0)

    def _work(self) -> None:
        with suppress(RuntimeError):  # the program ends before all is warm: no more work is taken on
            warmup.run(self._told.emit)

    def _show(self, share: float) -> None:
        if self.first:
            self._window.screens.show_going_on(
                "" if share >= 1 else f"Compiling the fast loops, once after an installation: {100 * share:.0f} %. "
                "Until then the first strokes and finds wait for theirs.")
        if share >= 1:
            if self.first:
                self._window.say("The fast loops are ready.")
            self.ready.emit()
