"""A second window for the photo: the whole, or the place in hand at 100 % or 200 %, linked with the desk."""

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from lather.desktop import settings
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.small_map import draw_seen
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.texts import tr
from lather.desktop.theme.style import style_sheet
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.frames import bar

WHOLE = "whole"
_SHOWS = {WHOLE: "Whole", "1": "100 %", "2": "200 %"}
_PX = (760, 620)


class SecondWindow(QWidget):
    """Only looked at: a click goes there on the desk. `closed()` when the person closed it."""

    closed = pyqtSignal()

    def __init__(self, job: OpenJob, desk_canvas: PhotoCanvas, parent: QWidget):
        super().__init__(parent, Qt.WindowType.Window)
        self.job, self.desk_canvas = job, desk_canvas
        self.setWindowTitle(tr("%1 – second window", job.job.title))
        self.setStyleSheet(style_sheet())
        self.resize(*_PX)
        self.canvas = PhotoCanvas(job.session.engine, settings.display_profile().profile)
        self.canvas.setAccessibleName("Photo in the second window")
        self.canvas.overlay = self._draw_over
        self.canvas.pen.connect(self._pen)
        self.shows = Choices("Show", _SHOWS, WHOLE)
        self.shows.chosen.connect(self._follow)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.canvas, 1)
        below, row = bar(10, 6)
        row.addWidget(self.shows)
        row.addStretch(1)
        column.addWidget(below)
        job.changed.connect(self._job_changed)
        desk_canvas.view_changed.connect(self._follow)
        desk_canvas.job_shown.connect(lambda: self._job_changed(job.job))
        self._job_changed(job.job)

    def _job_changed(self, job) -> None:
        if self.isVisible() or self.canvas.shown_job is None:
            self.canvas.set_lamp(self.desk_canvas.lamp, self.desk_canvas.lamp_settings)
            self.canvas.set_job(job)

    def _follow(self, *_) -> None:
        """The same place as on the desk, or the whole with the place marked."""
        if self.shows.value == WHOLE:
            if not self.canvas._fitted:
                self.canvas.fit()
            self.canvas.update()
            return
        view, desk = self.canvas.view, self.desk_canvas.view
        x, y = desk.to_source(desk.width / 2, desk.height / 2)
        self.canvas.set_view(view.at_scale(float(self.shows.value), 0, 0).centred(x, y), fitted=False)

    def _draw_over(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if self.shows.value == WHOLE:
            x0, y0 = canvas.view.to_screen(0, 0)
            width, height = (side * canvas.view.scale for side in (canvas.picture.width, canvas.picture.height))
            draw_seen(painter, self.desk_canvas, QRectF(x0, y0, width, height))

    def _pen(self, event: PenEvent) -> None:
        if event.kind == "press" or (event.kind == "move" and event.down):
            self.desk_canvas.centre_on(event.x, event.y)

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._job_changed(self.job.job)
        self._follow()

    def closeEvent(self, event) -> None:
        super().closeEvent(event)
        self.closed.emit()

    def close_job(self) -> None:
        self.canvas.store.close()
        self.hide()
        self.deleteLater()
