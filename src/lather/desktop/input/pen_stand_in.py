"""A pen for those who have none, and for tests: recorded strokes, with their pressure, played as tablet events."""

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject, QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QInputDevice, QPointingDevice, QTabletEvent
from PyQt6.QtWidgets import QApplication

from lather.core.job.model import Job
from lather.desktop.canvas.canvas import PhotoCanvas

_STEP_MS = 12
_PEN = QPointingDevice(
    "recorded pen", 11, QInputDevice.DeviceType.Stylus, QPointingDevice.PointerType.Pen,
    QInputDevice.Capability.Position | QInputDevice.Capability.Pressure, 1, 2)

Recorded = Sequence[tuple[float, float, float]]
"""One stroke: places in source px, with pressure 0-1."""


def recorded_strokes(job: Job) -> list[list[tuple[float, float, float]]]:
    """Every stroke of a job as the pen did it."""
    return [[(float(x), float(y), float(p)) for x, y, p in edit.points[:, :3]] for edit in job.edits()
            if not edit.by_outline]


class PenStandIn(QObject):
    """`ended()` when all strokes were played. The hand rests between strokes until `may_go_on()` is True."""

    ended = pyqtSignal()

    def __init__(self, canvas: PhotoCanvas, may_go_on=lambda: True, parent=None):
        super().__init__(parent)
        self._canvas, self._may_go_on = canvas, may_go_on
        self._waiting: list[tuple[float, float, float, QEvent.Type]] = []
        self._timer = QTimer(self)
        self._timer.setInterval(_STEP_MS)
        self._timer.timeout.connect(self._step)

    def play(self, strokes: Sequence[Recorded]) -> None:
        for stroke in strokes:
            for number, (x, y, pressure) in enumerate(stroke):
                kind = QEvent.Type.TabletPress if number == 0 else QEvent.Type.TabletMove
                self._waiting.append((x, y, pressure, kind))
            if stroke:
                self._waiting.append((stroke[-1][0], stroke[-1][1], 0.0, QEvent.Type.TabletRelease))
        self._timer.start()

    @property
    def playing(self) -> bool:
        return self._timer.isActive()

    def stop(self) -> None:
        self._waiting.clear()
        self._timer.stop()

    def _step(self) -> None:
        if not self._waiting:
            self._timer.stop()
            self.ended.emit()
            return
        if self._waiting[0][3] == QEvent.Type.TabletPress and not self._may_go_on():
            return
        x, y, pressure, kind = self._waiting.pop(0)
        canvas = self._canvas
        at = canvas.to_screen(x, y) / canvas.devicePixelRatioF()
        place = QPointF(at)
        moving, up = kind == QEvent.Type.TabletMove, kind == QEvent.Type.TabletRelease
        none, left = Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton
        QApplication.sendEvent(canvas, QTabletEvent(
            kind, _PEN, place, QPointF(canvas.mapToGlobal(place)), pressure, 0.0, 0.0, 0.0, 0.0, 0.0,
            Qt.KeyboardModifier.NoModifier, none if moving else left, none if up else left))
