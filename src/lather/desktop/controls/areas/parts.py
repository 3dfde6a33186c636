"""The parts of the photo under their lamp: persons numbered, taken in hand by a click, parts corrected by painting."""

import numpy as np
from PyQt6.QtCore import QObject, QPointF, pyqtSignal
from PyQt6.QtGui import QPainter

from lather.core.job.commands import CorrectParts, OutlineFind, SetFaceMap
from lather.core.job.drawn_marks import outlined
from lather.core.job.model import Job
from lather.core.job.part_strokes import PART_NAMES, PartStroke
from lather.core.people.reading import People, Person, people_for
from lather.core.people.told import PART_LABELS, notes
from lather.core.phrases import phrase
from lather.core.ranges import MOST_PART_POINTS
from lather.desktop.background import Background
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_outline, draw_ring, draw_tag
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob

LOOK, DRAWN_MARK = "look", "drawn mark"
"""What the pen does beside painting parts: takes persons in hand; outlines a drawn mark."""
_TOUCH_PX = 4.0
_LEAST_CORNERS = 3


class PartsControl(QObject):
    """While `on`, the pen is for the parts. `moved()` after what is known of the photo was changed: measure and look
    anew.

    wanted: LOOK, a part that the pen paints, or DRAWN_MARK. people: None until they are read.
    """

    changed = pyqtSignal()
    moved = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.background = canvas, job, Background(self)
        self.on, self.wanted, self.width_px = False, LOOK, 40.0
        self.people: People | None = None
        self._trail: list[tuple[float, float]] = []
        self._read_of: tuple | None = None

    def set_on(self, on: bool) -> None:
        if on != self.on:
            self.on, self._trail = on, []
            self.changed.emit()
            self.canvas.update()
        if on:
            self._read(self.job.job)

    def set_wanted(self, wanted: str) -> None:
        self.wanted, self._trail = wanted, []
        self.changed.emit()
        self.canvas.update()

    def _read(self, job: Job) -> None:
        """The persons and their parts, beside the window."""
        key = (job.face_map, job.part_strokes)
        if key == self._read_of:
            return
        self._read_of = key
        photo, faces = self.job.session.photo, (job.face_map,) if job.face_map is not None else ()
        self.background.run("people", lambda task: people_for(photo, faces, job.part_strokes), self._take,
                            failed=self.message.emit, newest=True)

    def _take(self, people: People) -> None:
        self.people = people
        self.changed.emit()
        self.canvas.update()

    @property
    def notes(self) -> list[str]:
        """What is to be told of the persons."""
        return notes(self.people) if self.people is not None else []

    # the pen

    def pen_event(self, event: PenEvent) -> bool:
        if not self.on or event.context:
            return False
        if event.kind == "press":
            self._trail = [(event.x, event.y)]
        elif event.kind == "move" and self._trail:
            self._trail.append((event.x, event.y))
        elif event.kind == "release" and self._trail:
            trail, self._trail = self._trail, []
            self._finish(trail)
        self.canvas.update()
        return event.kind != "leave"

    def _finish(self, trail: list[tuple[float, float]]) -> None:
        touched = float(np.ptp(np.array(trail), axis=0).max()) * self.canvas.view.scale <= _TOUCH_PX
        if self.wanted == LOOK:
            if touched:
                self._take_in_hand(*trail[0])
        elif self.wanted == DRAWN_MARK:
            self._outline(trail)
        else:
            step = max(1, -(-len(trail) // MOST_PART_POINTS))
            stroke = PartStroke(self.wanted, tuple(trail[::step]), self.width_px)
            self._correct((*self.job.job.part_strokes, stroke))

    def _outline(self, trail: list[tuple[float, float]]) -> None:
        if len(trail) < _LEAST_CORNERS:
            self.message.emit("Draw an outline around what is drawn on the skin.")
            return
        self.job.do(OutlineFind(outlined(trail)))
        self.message.emit("Drawn mark kept: nothing is mended on it, and no skin is taken from it.")
        self.changed.emit()

    def _correct(self, strokes: tuple[PartStroke, ...]) -> None:
        self.job.do(CorrectParts(strokes))
        self.refresh()
        self.moved.emit()

    def take_back(self) -> None:
        """The last correction."""
        if self.job.job.part_strokes:
            self._correct(self.job.job.part_strokes[:-1])

    def all_as_read(self) -> None:
        if self.job.job.part_strokes:
            self._correct(())

    def refresh(self) -> None:
        """What was undone, or done elsewhere, is read again."""
        if self.on:
            self._read(self.job.job)
        self.changed.emit()

    def _take_in_hand(self, x: float, y: float) -> None:
        if self.people is None:
            return
        person, part = self.people.at(x, y)
        if person is None:
            self.message.emit(phrase("Nobody is here: this is taken for %1.", PART_LABELS[part]))
            return
        job = self.job.job
        if person.face is None:
            self.message.emit(phrase("No face is seen of person %1; sizes go on by the face in hand. Here: %2.",
                                     person.number, PART_LABELS[part]))
            return
        if self._in_hand(person):
            self.message.emit(phrase("Person %1 is in hand. Here: %2.", person.number, PART_LABELS[part]))
            return
        faces = [face for face in (job.face_map, *job.other_faces) if face is not None]
        own = next((face for face in faces if self.people.person_of(face) is person), person.face)
        self.job.do(SetFaceMap(own, tuple(face for face in faces if face is not own)))
        self.message.emit(phrase("Person %1 is in hand: sizes, finds and measures go by this face.", person.number))
        self.refresh()
        self.moved.emit()

    def _in_hand(self, person: Person) -> bool:
        return self.people.person_of(self.job.job.face_map) is person

    # what is seen

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if not self.on:
            return
        for person in self.people.persons if self.people is not None else ():
            at = canvas.to_screen(*person.head.middle)
            text = phrase("%1 · in hand", person.number) if self._in_hand(person) else str(person.number)
            draw_tag(painter, at.x(), at.y(), text)
        points = [canvas.to_screen(x, y) for x, y in self._trail]
        if points:
            draw_outline(painter, points, accent=True)
        if self.wanted in PART_NAMES and canvas.pointer is not None:
            draw_ring(painter, QPointF(canvas.pointer), 0.5 * self.width_px * canvas.view.scale)

    def idle(self) -> bool:
        return self.background.idle()

    def close(self) -> None:
        self.background.close()
