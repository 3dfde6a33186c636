"""Base of tests that drive the real window: fails on errors inside slots and on windows left open."""

import os
import sys
import tempfile
import time
import traceback
import unittest
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QEvent, QPointF, Qt, QTimer
from PyQt6.QtGui import QInputDevice, QMouseEvent, QPointingDevice, QTabletEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMessageBox

from lather.core.job.commands import SetBrief
from lather.core.job.outputs import OutputSpec
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.session import Session
from lather.core.threads import wait_for_ended
from lather.desktop.app import make_application
from lather.desktop.controls.beside import gauging, judging, photo_measuring
from lather.desktop.screens import practice
from lather.desktop.stages.adjust import part as adjust_part
from lather.desktop.stages.grain import part as grain_part
from lather.desktop.window.main_window import MainWindow
from tests.support.remembered import content_of

PEN = QPointingDevice(
    "test pen", 7, QInputDevice.DeviceType.Stylus, QPointingDevice.PointerType.Pen,
    QInputDevice.Capability.Position | QInputDevice.Capability.Pressure, 1, 2,
)


_PAUSES = ((adjust_part, "_SETTLED_MS"), (grain_part, "_SETTLED_MS"), (gauging, "_DELAY_MS"), (judging, "_DELAY_MS"),
           (practice, "_PLAY_MS"))
_PAUSE_MS = 20  # a person's hand is waited for a quarter of a second before it is measured what it did; nobody's is not

_measure = photo_measuring._measure
_known: dict[tuple, tuple] = {}
_MOST_KNOWN = 3


def _measured(task, photo, job):
    """What is measured of a photo when it is opened: of the same pixels, face and parts, once for all tests."""
    face = job.face_map
    key = (content_of(photo.picture.pixels), photo.profile, face and face.digest, job.part_strokes)
    if key not in _known:
        values = _measure(task, photo, job)
        if values is None:
            return None
        while len(_known) >= _MOST_KNOWN:
            del _known[next(iter(_known))]
        _known[key] = values
    measures, *rest = _known[key]
    own, given = PhotoMeasures.of_job(photo, job), ("photo", "given_face", "part_strokes")
    vars(own).update({name: value for name, value in vars(measures).items() if name not in given})
    return (own, *rest)


class WindowCase(unittest.TestCase):
    """`self.window` on an empty desk; `self.take(session)` or `self.window.open_path` opens something.

    gauges: True for tests that want gauges measured after every step, as a person has them.
    """

    gauges = False

    def setUp(self):
        own = {"LATHER_GAUGES_BY_THEMSELVES": "1" if self.gauges else "0"}
        pauses = [mock.patch.object(module, name, _PAUSE_MS) for module, name in _PAUSES]
        for patch in (mock.patch.dict(os.environ, own), mock.patch.object(photo_measuring, "_measure", _measured),
                      *pauses):
            patch.start()
            self.addCleanup(patch.stop)
        self.app = make_application()
        self.slot_errors: list[str] = []
        self.addCleanup(setattr, sys, "excepthook", sys.excepthook)
        sys.excepthook = lambda *error: self.slot_errors.append("".join(traceback.format_exception(*error)))
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self._answers: list[tuple[str, list[str]]] = []
        self._questions = QTimer()  # a question that nobody expected fails the test, and does not stop it
        self._questions.timeout.connect(self._look_for_questions)
        self._questions.start(20)
        self.addCleanup(self._questions.stop)
        self.window = MainWindow()
        self.window.resize(1280, 800)
        self.window.show()
        self.window.activateWindow()
        self.pump()

    def tearDown(self):
        self.window.close_job()
        self.window.close()
        self.window.keys.deleteLater()
        self.window.deleteLater()
        self.app.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        self.pump()
        self.assertTrue(wait_for_ended(30), "work goes on without a window")
        self.pump()
        left = [w for w in QApplication.topLevelWidgets() if w.isVisible()]
        self.assertEqual(left, [], "windows left open")
        self.assertEqual(self.slot_errors, [])

    def pump(self, seconds: float = 0.0) -> None:
        """What waits to be dealt with, twice over as one thing leads to another; then until so long has passed."""
        self.app.processEvents()
        self.app.processEvents()
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            time.sleep(0.001)
            self.app.processEvents()

    def wait(self, condition, seconds: float = 20.0) -> None:
        end = time.monotonic() + seconds
        while not condition():
            if time.monotonic() > end:
                self.fail("the window did not get there in time")
            self.app.processEvents()
            time.sleep(0.001)
        self.pump()

    def take(self, session: Session) -> None:
        self.window.take(session)
        self.settle()

    def take_measured(self, session: Session, measures) -> None:
        """Take a session whose photo was measured before: only the first of many tests pays for it."""
        self.take(session)
        self.desk.measured.measures = measures
        self.desk.measured._asked = (session.job.face_map, session.job.part_strokes)

    def open_on_desk(self, path) -> None:
        """Open a photo or a job; from the sheet of a new photo on to the desk, by Enter."""
        self.assertTrue(self.window.open_path(path))
        if self.window.screen is self.window.screens["brief"]:
            QTest.keyClick(self.window.screen, Qt.Key.Key_Return)
        self.settle()

    def list_output(self, pattern: str, **spec):
        """The Deliver screen with one output and no pages, into the test's own folder."""
        self.job.do(SetBrief("outputs", [OutputSpec("output-1", "Out", **spec).to_json()]))
        self.window.show_screen("deliver")
        screen = self.window.screens["deliver"]
        for card in (screen.sheet, screen.report):
            card.switch.setChecked(False)
        screen.folder.setText(str(self.folder))
        screen.pattern.setText(pattern)
        return screen

    def deliver(self, pattern: str, **spec) -> Path:
        """Deliver one output by its button; the file, which was read back."""
        screen = self.list_output(pattern, **spec)
        QTest.mouseClick(screen.deliver, Qt.MouseButton.LeftButton)
        self.wait(lambda: not screen.runner.running, 60)
        self.assertEqual(screen.rows[0].words.text(), "Read back, equal", screen.state.text())
        return self.folder / screen.rows[0].file.text()

    @property
    def desk(self):
        return self.window.screens["desk"]

    @property
    def canvas(self):
        return self.desk.canvas

    @property
    def job(self):
        return self.window.job

    def whole(self):
        """The finished picture at full size."""
        return self.job.session.engine.pixels(self.job.job, self.job.session.photo.bounds)

    def rest(self) -> None:
        """Until nothing is looked for, mended or gauged any more."""
        self.wait(self.desk.idle, 60)
        self.settle()

    def settle(self) -> None:
        """Until nothing is being computed and all is drawn."""
        self.pump()
        self.wait(lambda: not self.desk.control.painting and self.desk.control.worker.idle() and self.canvas.ready())
        self.pump()

    def at(self, x: float, y: float, canvas=None):
        """Widget position of a source place."""
        canvas = canvas or self.canvas
        sx, sy = canvas.view.to_screen(x, y)
        return QPointF(sx, sy) / canvas.devicePixelRatioF()

    def click(self, x: float, y: float, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
        self.drag([(x, y)], modifiers)

    def drag(self, places, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
        """Mouse down at the first place, through the others, up at the last; then wait for the result."""
        self.mouse(QEvent.Type.MouseMove, *places[0], modifiers, down=False)
        self.mouse(QEvent.Type.MouseButtonPress, *places[0], modifiers)
        for place in places[1:]:
            self.mouse(QEvent.Type.MouseMove, *place, modifiers)
            self.pump(0.004)
        self.mouse(QEvent.Type.MouseButtonRelease, *places[-1], modifiers, down=False)
        self.settle()

    def mouse(self, kind, x, y, modifiers=Qt.KeyboardModifier.NoModifier, down=True) -> None:
        at = self.at(x, y)
        button = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseMove else Qt.MouseButton.LeftButton
        buttons = Qt.MouseButton.LeftButton if down else Qt.MouseButton.NoButton
        event = QMouseEvent(kind, at, self.canvas.mapToGlobal(at), button, buttons, modifiers)
        QApplication.sendEvent(self.canvas, event)

    def pen_stroke(self, points) -> None:
        """Real tablet events through (x, y, pressure)."""
        for number, (x, y, pressure) in enumerate(points):
            kind = QEvent.Type.TabletPress if number == 0 else QEvent.Type.TabletMove
            self.tablet(kind, x, y, pressure)
            self.pump(0.004)
        self.tablet(QEvent.Type.TabletRelease, points[-1][0], points[-1][1], 0.0)
        self.settle()

    def tablet(self, kind, x, y, pressure) -> None:
        at = self.at(x, y)
        up = kind == QEvent.Type.TabletRelease
        event = QTabletEvent(
            kind, PEN, at, QPointF(self.canvas.mapToGlobal(at)), pressure, 0.0, 0.0, 0.0, 0.0, 0.0,
            Qt.KeyboardModifier.NoModifier,
            Qt.MouseButton.NoButton if kind == QEvent.Type.TabletMove else Qt.MouseButton.LeftButton,
            Qt.MouseButton.NoButton if up else Qt.MouseButton.LeftButton,
        )
        QApplication.sendEvent(self.canvas, event)

    def key(self, key, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(self.canvas, key, modifiers)
        self.settle()

    def hold(self, key):
        """Context in which a key is held."""
        case = self

        class Held:
            def __enter__(self):
                QTest.keyPress(case.canvas, key)
                case.pump()

            def __exit__(self, *_):
                QTest.keyRelease(case.canvas, key)
                case.pump()

        return Held()

    def answer(self, label: str) -> list[str]:
        """The next question is answered by clicking a button; its text stands in the list that is returned."""
        asked: list[str] = []
        self._answers.append((label, asked))
        return asked

    def _look_for_questions(self) -> None:
        box = QApplication.activeModalWidget()
        if not isinstance(box, QMessageBox):
            return
        label, asked = self._answers.pop(0) if self._answers else ("", self.slot_errors)
        asked.append(box.text())
        button = next((b for b in box.buttons() if b.text().replace("&", "") == label), box.escapeButton())
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def shown(self, x: float, y: float):
        """(r, g, b) 0-255 that the screen shows at a source place."""
        at = self.at(x, y).toPoint()
        colour = self.canvas.grab().toImage().pixelColor(at)
        return colour.red(), colour.green(), colour.blue()
