"""A hand that knows nothing: seeded random clicks, keys, drags and words all over the window."""

import contextlib
import sys
import threading
import traceback
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QDesktopServices, QKeyEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QApplication,
    QComboBox,
    QFileDialog,
    QLineEdit,
    QMenu,
    QWidget,
)
from tests.support.watchdog import Stall, Watchdog

from lather.core import log
from lather.desktop.canvas.photo_view import PhotoView
from lather.desktop.input.keys import ACTIONS

_LEFT_ALONE = {"quit", "open", "save_as"}
_KEYS = [Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Space, Qt.Key.Key_Up, Qt.Key.Key_Down,
         Qt.Key.Key_Delete, Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_PageDown]
_WORDS = ("", "0", "-1", "1e9", "nan", "12,5", "ä😀", "x" * 300, "{size}", "../x", "Wren", "\t")
_NO_BUTTONS = ("Quit", "Start again", "Start Lather again")


class Monkey:
    """Acts on a window. made(): a window to go on with where it was closed. files: what dialogs give, by turns.

    faults: tracebacks of whatever nobody foresaw; stalls: over half a second; acts: how many of each sort.
    """

    def __init__(self, made: Callable[[], QWidget], files: list[Path], seed: int):
        self._rng = np.random.default_rng(seed)
        self._made, self._files = made, files
        self.window = made()
        self.faults: list[str] = []
        self.acts: Counter = Counter()
        self.done: list[str] = []
        self._dog = Watchdog(0.5)
        self._answers = QTimer()
        self._answers.timeout.connect(self._answer)

    @property
    def stalls(self) -> list[Stall]:
        """Those so far."""
        return self._dog.stalls

    @contextlib.contextmanager
    def at_work(self) -> Iterator["Monkey"]:
        """While inside, dialogs answer by themselves, and what goes wrong is noted."""
        before = sys.excepthook, threading.excepthook
        sys.excepthook = lambda *error: self.faults.append("".join(traceback.format_exception(*error)))
        threading.excepthook = lambda given: self.faults.append("".join(traceback.format_exception(
            given.exc_type, given.exc_value, given.exc_traceback)))
        real = log.unexpected

        def unexpected(logger, error, text):
            self.faults.append("".join(traceback.format_exception(error)))
            return real(logger, error, text)

        def name(*_, **__):
            return str(self._pick(self._files)) if self._rng.random() < 0.5 else "", ""

        def folder(*_, **__):
            return str(self._pick(self._files).parent) if self._rng.random() < 0.5 else ""

        self._answers.start(15)
        with mock.patch.object(log, "unexpected", unexpected), mock.patch.multiple(
                QFileDialog, getOpenFileName=name, getSaveFileName=self._new_name, getExistingDirectory=folder,
                getOpenFileNames=lambda *_, **__: ([], "")), \
                mock.patch.object(QDesktopServices, "openUrl", lambda url: True), self._dog:
            try:
                yield self
            finally:
                self._answers.stop()
                sys.excepthook, threading.excepthook = before

    def _new_name(self, *given, **_) -> tuple[str, str]:
        if self._rng.random() < 0.5:
            return "", ""
        ending = self._pick((".lather", ".csv", ".sqlite", ".json"))
        return str(self._files[0].parent / f"saved-{self._rng.integers(4)}{ending}"), ""

    def _pick(self, of):
        return of[int(self._rng.integers(len(of)))]

    def _answer(self) -> None:
        """Whatever asks is answered, one way or the other."""
        box = QApplication.activeModalWidget() or QApplication.activePopupWidget()
        if box is None:
            return
        if isinstance(box, QMenu):
            actions = [one for one in box.actions() if one.isEnabled() and one.text().replace("&", "") not in
                       _NO_BUTTONS]
            if actions and self._rng.random() < 0.6:
                self._later(self._pick(actions).trigger)
            box.close()
            return
        buttons = [one for one in box.findChildren(QAbstractButton) if one.isVisible() and one.isEnabled()]
        if buttons and self._rng.random() < 0.9:
            button = self._pick(buttons)
            self._later(lambda: QTest.mouseClick(button, Qt.MouseButton.LeftButton))
        else:
            self._later(lambda: QTest.keyClick(box, Qt.Key.Key_Escape))

    @staticmethod
    def _later(answer: Callable[[], object]) -> None:
        """Not in the timer's own call: what an answer leads to may ask again, and that timer would not come."""
        def give() -> None:
            with contextlib.suppress(RuntimeError):  # it has gone meanwhile
                answer()

        QTimer.singleShot(0, give)

    def act(self) -> None:
        """One thing, and what it leads to at once."""
        sort = self._pick(("click",) * 9 + ("key",) * 6 + ("drag",) * 4 + ("word", "wheel", "screen"))
        self.acts[sort] += 1
        try:
            getattr(self, f"_{sort}")()
        except RuntimeError as error:  # what was to be clicked has gone meanwhile
            if "has been deleted" not in str(error):
                raise
        app = QApplication.instance()
        for _ in range(int(self._rng.integers(1, 4))):
            app.processEvents()
        if not self.window.isVisible():
            self.window.deleteLater()
            self.window = self._made()

    def _note(self, text: str) -> None:
        self.done = [*self.done, text][-12:]

    def _seen(self, kinds) -> list[QWidget]:
        return [one for one in self.window.findChildren(kinds) if one.isVisible() and one.isEnabled()
                and not one.visibleRegion().isEmpty()]

    def _click(self) -> None:
        widgets = self._seen(QWidget)
        likely = [one for one in widgets if isinstance(one, QAbstractButton | QAbstractItemView | QComboBox | PhotoView
                                                       | QAbstractSlider | QLineEdit)]
        widget = self._pick(likely if likely and self._rng.random() < 0.8 else widgets)
        if isinstance(widget, QAbstractButton) and widget.text().replace("&", "") in _NO_BUTTONS:
            return
        inside = widget.visibleRegion().boundingRect()
        at = QPoint(int(self._rng.integers(inside.left(), inside.right() + 1)),
                    int(self._rng.integers(inside.top(), inside.bottom() + 1)))
        if isinstance(widget, QAbstractItemView):
            widget = widget.viewport()
        self._note(f"click {type(widget).__name__} {widget.accessibleName()!r}")
        button = Qt.MouseButton.LeftButton if self._rng.random() < 0.93 else Qt.MouseButton.RightButton
        if self._rng.random() < 0.1:
            QTest.mouseDClick(widget, button, pos=at)
        else:
            QTest.mouseClick(widget, button, pos=at)

    def _key(self) -> None:
        target = QApplication.focusWidget() or self.window
        if self._rng.random() < 0.75:
            action = self._pick([one for one in ACTIONS if one.id not in _LEFT_ALONE and one.key])
            self._note(f"key {action.id}")
            QTest.keySequence(target, action.key)
        else:
            key = self._pick(_KEYS)
            self._note(f"key {key.name}")
            QTest.keyClick(target, key)

    def _drag(self) -> None:
        views = self._seen(PhotoView)
        if not views:
            self._click()
            return
        view = self._pick(views)
        self._note(f"drag on {type(view).__name__}")
        count, size = int(self._rng.integers(2, 7)), (max(1, view.width()), max(1, view.height()))
        points = self._rng.integers((0, 0), size, (count, 2))
        shift = Qt.KeyboardModifier.ShiftModifier if self._rng.random() < 0.2 else Qt.KeyboardModifier.NoModifier
        QTest.mousePress(view, Qt.MouseButton.LeftButton, shift, QPoint(*map(int, points[0])))
        for point in points[1:]:
            QTest.mouseMove(view, QPoint(*map(int, point)))
            QApplication.processEvents()
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, shift, QPoint(*map(int, points[-1])))

    def _word(self) -> None:
        fields = self._seen(QLineEdit)
        if fields:
            field = self._pick(fields)
            self._note(f"words into {field.accessibleName()!r}")
            field.setFocus()
            field.selectAll()
            for sign in self._pick(_WORDS):  # the test library types ASCII alone
                QApplication.sendEvent(field, QKeyEvent(QEvent.Type.KeyPress, 0, Qt.KeyboardModifier.NoModifier, sign))
            QTest.keyClick(field, Qt.Key.Key_Return)

    def _wheel(self) -> None:
        widget = self._pick(self._seen(PhotoView) or self._seen(QWidget))
        at = QPointF(widget.rect().center())
        self._note(f"wheel on {type(widget).__name__}")
        turn = QPoint(0, int(self._pick((-240, -120, 120, 240))))
        QApplication.sendEvent(widget, QWheelEvent(
            at, QPointF(widget.mapToGlobal(at.toPoint())), QPoint(), turn, Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False))

    def _screen(self) -> None:
        """To another screen, or another photo dropped."""
        names = [name for name in self.window.screens if name != "start"]
        if names and self._rng.random() < 0.8:
            name = self._pick(names)
            self._note(f"screen {name}")
            self.window.show_screen(name)
        else:
            path = self._pick(self._files)
            self._note(f"open {path.name}")
            self.window.open_path(path)

    def rest(self) -> None:
        """End of it: nothing is under way any more."""
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
