"""The face map over the photo: its zones, its points to be dragged, and, where there are several, the face in hand."""

from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from lather.core.face.zones import FaceZones
from lather.core.job.commands import SetFaceMap
from lather.core.job.face_map import POINTS, FaceMap
from lather.core.job.face_mesh import OVAL
from lather.core.measure.photo_measures import PhotoMeasures
from lather.desktop.background import Background
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_ring, draw_tag
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob

_GRAB_PX = 18.0
_ROOM_FOR_NAMES_PX = 130  # between the eyes, on the screen; else only the one under the pointer is named
_LINES = (("eye_left", "eye_right"), ("mouth_left", "mouth_right"), ("jaw_left", "chin"), ("chin", "jaw_right"))
_DARK, _LIGHT, _THIN = QColor(20, 20, 20, 130), QColor(255, 255, 255, 200), QColor(255, 255, 255, 130)
_DRAG = "Drag the points to where they belong; the mesh around them, sizes, zones and finds follow."
_SEVERAL = " Click another face to take it in hand."


class FaceControl(QObject):
    """While `editing`, the pen drags the points. `moved()` after a point was let go, or another face was taken in hand:
    look for flaws again.

    face: the one in hand, as it is being dragged. others: all the other faces.
    """

    changed = pyqtSignal()
    moved = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.background = canvas, job, Background(self)
        self.editing = False
        self.face: FaceMap | None = None
        self.others: tuple[FaceMap, ...] = ()
        self._held = ""
        self._outlines: list = []
        self._outlined: FaceMap | None = None

    def set_editing(self, on: bool) -> None:
        self.editing, self._held = on, ""
        self.face, self.others = self.job.job.face_map, self.job.job.other_faces
        if on and self.face is None:
            photo = self.job.session.photo
            self.background.run("faces", lambda task: PhotoMeasures(photo).faces, self._found,
                                failed=self.message.emit, newest=True)
        if on:
            self.message.emit(_DRAG + (_SEVERAL if self.others else ""))
            self._outline()
        self.changed.emit()
        self.canvas.update()

    def _found(self, faces: tuple[FaceMap, ...]) -> None:
        if self.editing and self.face is None:
            self.face, self.others = (faces[0], faces[1:]) if faces else (_in_the_middle(self.job.session.photo), ())
            self._outline()
            self.canvas.update()

    def _outline(self) -> None:
        """Have the zones of the face in hand worked out."""
        face, photo = self.face, self.job.session.photo
        if face is None or not face.mesh or face is self._outlined:
            return
        self.background.run("zones", lambda task: FaceZones(photo, face).outlines(),
                            lambda outlines: self._take_outlines(face, outlines), failed=self.message.emit, newest=True)

    def _take_outlines(self, face: FaceMap, outlines: list) -> None:
        self._outlines, self._outlined = outlines, face
        self.canvas.update()

    def pen_event(self, event: PenEvent) -> bool:
        if not self.editing or self.face is None or event.context:
            return False
        if event.kind == "press":
            self._held = self._nearest(event.x, event.y)
            if not self._held:
                self._take_in_hand(event.x, event.y)
        elif event.kind == "move" and self._held:
            self.face = self.face.moved(self._held, event.x, event.y)
        elif event.kind == "release" and self._held:
            self._held = ""
            if self.face is not self.job.job.face_map:
                self.job.do(SetFaceMap(self.face))
                self._outline()
                self.moved.emit()
        self.canvas.update()
        return event.kind != "leave"

    def _take_in_hand(self, x: float, y: float) -> None:
        chosen = next((face for face in self.others if face.holds(x, y)), None)
        if chosen is None:
            return
        others = (self.face, *(face for face in self.others if face is not chosen))
        self.face, self.others = chosen, others
        self.job.do(SetFaceMap(chosen, others))
        self._outline()
        self.message.emit("This face is in hand: sizes, finds and measures go by it. Zones hold for all faces.")
        self.moved.emit()

    def _nearest(self, x: float, y: float) -> str:
        def away(name: str) -> float:
            px, py = self.face.points[name]
            return ((px - x) ** 2 + (py - y) ** 2) ** 0.5 * self.canvas.view.scale

        name = min(self.face.points, key=away)
        return name if away(name) < _GRAB_PX else ""

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if not self.editing or self.face is None:
            return
        for face in self.others:
            self._draw_other(painter, canvas, face)
        if self._outlined is self.face:
            for _, places in self._outlines:
                _draw_polygon(painter, [canvas.to_screen(x, y) for x, y in places], _THIN, 1.0)
        at = {name: canvas.to_screen(*place) for name, place in self.face.points.items()}
        for colour, width in ((_DARK, 3), (_LIGHT, 1.2)):
            painter.setPen(QPen(colour, width, Qt.PenStyle.SolidLine))
            for a, b in _LINES:
                painter.drawLine(at[a], at[b])
            top, bottom = (canvas.to_screen(*place) for place in self.face.axis)
            painter.drawLine(top, bottom)
        roomy = self.face.eye_distance_px * canvas.view.scale / canvas.devicePixelRatioF() > _ROOM_FOR_NAMES_PX
        for name, point in at.items():
            draw_ring(painter, point, 9 if name == self._held else 6)
            near = canvas.pointer is not None and (canvas.pointer - point).manhattanLength() < _GRAB_PX
            if roomy or near or name == self._held:
                draw_tag(painter, point.x() + 14, point.y(), POINTS[name])

    @staticmethod
    def _draw_other(painter: QPainter, canvas: PhotoCanvas, face: FaceMap) -> None:
        places = [face.mesh[i] for i in OVAL] if face.mesh else list(face.points.values())
        points = [canvas.to_screen(x, y) for x, y in places]
        for colour, width in ((_DARK, 3), (_LIGHT, 1.4)):
            _draw_polygon(painter, points, colour, width, dashed=True)
        low = max(points, key=lambda p: p.y())
        if canvas.pointer is not None and QPolygonF(points).boundingRect().contains(QPointF(canvas.pointer)):
            draw_tag(painter, low.x() + 10, low.y() + 14, "click: take this face in hand")

    def idle(self) -> bool:
        return self.background.idle()

    def close(self) -> None:
        self.background.close()


def _draw_polygon(painter: QPainter, points: list[QPointF], colour: QColor, width: float, dashed: bool = False) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(colour, width, Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine))
    painter.drawPolygon(QPolygonF(points))


def _in_the_middle(photo) -> FaceMap:
    """A face to start dragging from, where the networks see none."""
    w, h = photo.width, photo.height
    places = {"eye_left": (0.42, 0.42), "eye_right": (0.58, 0.42), "nose_tip": (0.5, 0.51), "mouth_left": (0.44, 0.58),
              "mouth_right": (0.56, 0.58), "chin": (0.5, 0.7), "jaw_left": (0.37, 0.63), "jaw_right": (0.63, 0.63),
              "hairline": (0.5, 0.25)}
    return FaceMap({name: (x * w, y * h) for name, (x, y) in places.items()})
