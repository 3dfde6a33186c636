"""The face map over the photo: its points can be dragged to where they belong."""

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen

from lather.core.job.commands import SetFaceMap
from lather.core.job.face_map import POINTS, FaceMap
from lather.core.measure.photo_measures import PhotoMeasures
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_ring, draw_tag
from lather.desktop.canvas.stroke_worker import StrokeWorker
from lather.desktop.input.pen import PenEvent
from lather.desktop.open_job import OpenJob

_GRAB_PX = 18.0
_LINES = (("eye_left", "eye_right"), ("mouth_left", "mouth_right"), ("jaw_left", "chin"), ("chin", "jaw_right"))


class FaceControl(QObject):
    """While `editing`, the pen drags the points. `moved()` after a point was let go: look for flaws again."""

    changed = pyqtSignal()
    moved = pyqtSignal()
    message = pyqtSignal(str)

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, worker: StrokeWorker, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.worker = canvas, job, worker
        worker.answered.connect(self._answered)
        self.editing = False
        self.face: FaceMap | None = None
        self._held = ""

    def set_editing(self, on: bool) -> None:
        self.editing, self._held = on, ""
        self.face = self.job.job.face_map
        if on and self.face is None:
            photo = self.job.session.photo
            self.worker.ask(lambda: ("face", PhotoMeasures(photo).face or _in_the_middle(photo)))
        if on:
            self.message.emit("Drag the points to where they belong; sizes, zones and finds follow.")
        self.changed.emit()
        self.canvas.update()

    def _answered(self, answer: object) -> None:
        if isinstance(answer, tuple) and answer[0] == "face" and self.editing:
            self.face = answer[1]
            self.canvas.update()

    def pen_event(self, event: PenEvent) -> bool:
        if not self.editing or self.face is None or event.context:
            return False
        if event.kind == "press":
            self._held = self._nearest(event.x, event.y)
        elif event.kind == "move" and self._held:
            self.face = self.face.moved(self._held, event.x, event.y)
        elif event.kind == "release" and self._held:
            self._held = ""
            if self.face is not self.job.job.face_map:
                self.job.do(SetFaceMap(self.face))
                self.moved.emit()
        self.canvas.update()
        return event.kind != "leave"

    def _nearest(self, x: float, y: float) -> str:
        def away(name: str) -> float:
            px, py = self.face.points[name]
            return ((px - x) ** 2 + (py - y) ** 2) ** 0.5 * self.canvas.view.scale

        name = min(self.face.points, key=away)
        return name if away(name) < _GRAB_PX else ""

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if not self.editing or self.face is None:
            return
        at = {name: canvas.to_screen(*p) for name, p in self.face.points.items()}
        for colour, width in ((QColor(20, 20, 20, 130), 3), (QColor(255, 255, 255, 200), 1.2)):
            painter.setPen(QPen(colour, width, Qt.PenStyle.SolidLine))
            for a, b in _LINES:
                painter.drawLine(at[a], at[b])
            top, bottom = (canvas.to_screen(*p) for p in self.face.axis)
            painter.drawLine(top, bottom)
        for name, point in at.items():
            draw_ring(painter, point, 9 if name == self._held else 6)
            draw_tag(painter, point.x() + 14, point.y(), POINTS[name])


def _in_the_middle(photo) -> FaceMap:
    """A face to start dragging from, where the detector sees none."""
    w, h = photo.width, photo.height
    places = {"eye_left": (0.42, 0.42), "eye_right": (0.58, 0.42), "nose_tip": (0.5, 0.51), "mouth_left": (0.44, 0.58),
              "mouth_right": (0.56, 0.58), "chin": (0.5, 0.7), "jaw_left": (0.37, 0.63), "jaw_right": (0.63, 0.63),
              "hairline": (0.5, 0.25)}
    return FaceMap({name: (x * w, y * h) for name, (x, y) in places.items()})
