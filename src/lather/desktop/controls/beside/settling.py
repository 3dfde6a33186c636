"""What a job holds is worked out for the eye first; only then is anything measured, looked for or gauged beside it."""

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from lather.core.phrases import phrase
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.opening.open_job import OpenJob


class Settling(QObject):
    """`settled()` once: when all in view stands there, or where nobody looks. `going_on(text)` until then.

    waiting: not yet.
    """

    settled = pyqtSignal()
    going_on = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, parent=None):
        super().__init__(parent)
        self._canvas, self._job = canvas, job
        self.waiting = True
        canvas.store.settled.connect(self._end)
        canvas.failed.connect(lambda _: self._end())
        self._timer = QTimer(self, singleShot=True)
        self._timer.timeout.connect(self._look)

    def begin(self) -> None:
        """Once the window shows what it is to show."""
        self._timer.start(0)

    def _look(self) -> None:
        if not self.waiting:
            return
        if not self._canvas.isVisible():  # a new photo: the sheet is in sight
            self._end()
            return
        layers = sum(len(step.layers) for step in self._canvas.engine.stack(self._job.job).steps)
        if layers:
            self.going_on.emit(phrase("Working out %n layers; the photo is seen as it came until then.", n=layers,
                                      one="Working out %n layer; the photo is seen as it came until then."))

    def _end(self) -> None:
        if self.waiting:
            self.waiting = False
            self.going_on.emit("")
            self.settled.emit()
