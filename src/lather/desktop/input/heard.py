"""Hears what a window is told by hand, and little else.

An event filter of the whole program is Python that is called for every paint, every timer and every layout, and each
call waits for whichever thread is in Python just then: with work going on beside the window, showing a screen of a
thousand small widgets took seconds. So it is laid on what hands can reach: the window (its handle hears all that the
desktop sends), its screens and photos, and whatever has the focus.
"""

from contextlib import suppress

from PyQt6 import sip
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QApplication, QWidget


class Heard(QObject):
    """`eventFilter` of whoever inherits this is called for the window, what is watched, and what has the focus."""

    def __init__(self, window: QWidget, parent: QObject | None = None):
        super().__init__(parent or window)
        self._heard_window = window
        self._watched: list[QObject] = []
        self._in_focus: QWidget | None = None

    def hear(self) -> None:
        """From now on: when whoever inherits this is ready."""
        self.watch(self._heard_window)
        QApplication.instance().focusChanged.connect(self._focus_went)
        self._focus_went(None, QApplication.focusWidget())

    def watch(self, target: QObject | None) -> None:
        """From now on, as long as it is there."""
        self._watched = [one for one in self._watched if not sip.isdeleted(one)]
        if target is not None and not any(one is target for one in self._watched):
            self._watched.append(target)
            target.installEventFilter(self)

    @property
    def heard_window(self) -> QWidget | None:
        """The window; None while all of it is being taken away: Qt still asks a filter whose Python part has gone."""
        return getattr(self, "_heard_window", None)

    def _focus_went(self, _: QWidget | None, new: QWidget | None) -> None:
        old, self._in_focus = self._in_focus, None
        if old is not None:
            with suppress(RuntimeError):  # it has gone
                old.removeEventFilter(self)
        if new is not None and new.window() is self.heard_window and not any(one is new for one in self._watched):
            self._in_focus = new
            new.installEventFilter(self)

    def unhear(self) -> None:
        """Hears nothing any more."""
        with suppress(TypeError, RuntimeError):
            QApplication.instance().focusChanged.disconnect(self._focus_went)
        for target in (*self._watched, self._in_focus):
            with suppress(RuntimeError):
                if target is not None:
                    target.removeEventFilter(self)
        self._watched, self._in_focus = [], None
