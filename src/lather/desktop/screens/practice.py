"""The practice room: ten lessons on made-up sitters whose truth is known, scored with what became of every flaw."""

import random
from dataclasses import replace

import cv2
import numpy as np
from PyQt6.QtCore import QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from lather.core.kinds.registry import KINDS as FIND_KINDS
from lather.core.lamps.registry import PLAIN
from lather.core.phrases import joined, phrase
from lather.core.practice.lessons import LESSONS, MANY, OWN, STRENGTHS, Lesson, own_flaws
from lather.core.practice.make import KINDS as MADE_KINDS
from lather.core.practice.outcome import LessonScore, what_went_wrong
from lather.desktop import settings
from lather.desktop.background import Background
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.hatch import draw_hatch, hatched
from lather.desktop.canvas.pointer import draw_tag
from lather.desktop.input.focus import leave_keys_to_the_photo
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.logbook.records import Records
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.practice.marks import draw_mark, mark_text
from lather.desktop.practice.open_lesson import OpenLesson, automatic_score, begin_lesson, score_it
from lather.desktop.practice.score_panel import ScorePanel
from lather.desktop.texts import tr
from lather.desktop.theme.tokens import LEFT_PX, RIGHT_PX, theme
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.frames import bar, filled, panel, rule
from lather.desktop.widgets.panel_head import panel_head
from lather.desktop.widgets.switch import Switch
from lather.desktop.window.message_line import MessageLine

_NEAR_PX = 16
_PLAY_MS = 260
_ON = {"mine": "Mine", "truth": "Truth", "given": "As given", "difference": "Difference × 8"}
_MARKS = {"all": "All", "wrong": "Only wrong", "none": "None"}


_LISTED = (*LESSONS, OWN)


def _name(one: Lesson) -> str:
    return joined([str(one.number), one.label], "  ") if one is not OWN else one.label


def _kind_label(kind: str) -> str:
    known = FIND_KINDS.get(kind)
    return known.label if known is not None else kind.replace("_", " ").capitalize()


class PracticeScreen(QWidget):
    """`message(text)`; `begun(OpenLesson)`: open it; `to_desk()`. job, lesson: what is open; None without a lesson."""

    message = pyqtSignal(object)
    begun = pyqtSignal(object)
    to_desk = pyqtSignal()

    def __init__(self, records: Records, job: OpenJob | None = None, lesson: OpenLesson | None = None, parent=None):
        super().__init__(parent)
        self.records, self.job, self.lesson = records, job, lesson
        self._background = Background(self)
        self._history: list[tuple[int, float, float | None, str]] = []
        self._truth: QImage | None = None
        self._touched = None
        self.canvas = None
        if lesson is not None:
            self.canvas = PhotoCanvas(job.session.engine, settings.display_profile().profile)
            self.canvas.failed.connect(self.message)
            self.canvas.navigation.panning = True
            self.canvas.overlay = self._draw_over
            self.canvas.pen.connect(lambda _: self.canvas.update())
        self._play = QTimer(self)
        self._play.setInterval(_PLAY_MS)
        self._play.timeout.connect(self._next_stroke)
        self._make()
        self._arrange()
        self._connect()
        self._show_score()

    # layout

    def _make(self) -> None:
        self.list = QListWidget()
        self.list.setAccessibleName("Lessons")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        t = theme()
        self.list.setStyleSheet("QListWidget { background: transparent; border: 0; } "
                                "QListWidget::item { padding: 5px; } "
                                f"QListWidget::item:selected {{ background: {t.accent_tint}; color: {t.ink}; }}")
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setObjectName("quiet")
        self.strength = Choices("Strength of the flaws", {name: name for name in STRENGTHS}, "middle")
        self.many = Choices("Number of flaws", {name: name for name in MANY}, "usual")
        self.kinds = QListWidget()
        self.kinds.setAccessibleName("Kinds of flaws")
        self.kinds.setFixedHeight(120)
        self.kinds.setStyleSheet(f"QListWidget {{ background: {t.raised}; border: 1px solid {t.line}; "
                                 "border-radius: 4px; }")
        for label, kind in sorted((_kind_label(kind), kind) for kind in MADE_KINDS):
            item = QListWidgetItem(tr(label))
            item.setData(Qt.ItemDataRole.UserRole, kind)
            item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.kinds.addItem(item)
        self.clock = Switch("Against the clock", False)
        self.begin = QPushButton(tr("Begin"))
        self.begin.setObjectName("primary")
        self.hints = QLabel()
        self.hints.setWordWrap(True)
        self.on_picture = Choices("On the picture", _ON, "mine")
        self.marks = Choices("Marks", _MARKS, "all")
        self.play, self.replay = QPushButton(tr("Play")), QSlider(Qt.Orientation.Horizontal)
        self.replay.setAccessibleName("Strokes, played again")
        self.go_on, self.score_button = QPushButton(tr("Back to the desk")), QPushButton(tr("Score it"))
        self.score_button.setObjectName("primary")
        self.scores = ScorePanel()
        self.messages = MessageLine()

    def _arrange(self) -> None:
        whole, row = filled(self)
        left = panel(LEFT_PX)
        column = QVBoxLayout(left)
        column.setContentsMargins(10, 10, 10, 8)
        column.setSpacing(6)
        head, _ = panel_head("Lessons", "best score", small=True)
        column.addLayout(head)
        column.addWidget(self.list, 1)
        column.addWidget(self.words)
        column.addWidget(self.kinds)
        column.addWidget(self.strength)
        column.addWidget(self.many)
        line = QHBoxLayout()
        line.addWidget(self.clock)
        self.clock_said = QLabel(tr("against the clock"))
        line.addWidget(self.clock_said, 1)
        column.addLayout(line)
        column.addWidget(self.begin)
        column.addWidget(rule())
        head, _ = panel_head("What went wrong")
        column.addLayout(head)
        column.addWidget(self.hints)
        row.addWidget(left)
        if self.canvas is not None:
            row.addWidget(self.canvas, 1)
        else:
            empty = QLabel(tr("Choose a lesson and begin: a made-up sitter with known flaws opens on the desk.\n"
                              "Come back here to have it scored."))
            empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
            empty.setObjectName("quiet")
            row.addWidget(empty, 1)
        right = panel(RIGHT_PX)
        inside = QVBoxLayout(right)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(self.scores)
        row.addWidget(right)
        below, foot = bar(10, 9)
        for widget in (self.on_picture, self.marks, self.play, self.replay):
            foot.addWidget(widget)
        foot.addStretch(1)
        foot.addWidget(self.go_on)
        foot.addWidget(self.score_button)
        self.replay.setFixedWidth(150)
        whole.addWidget(below)
        whole.addWidget(self.messages)
        self.setProperty(TAKES_COMMANDS, True)
        leave_keys_to_the_photo(self)

    def _connect(self) -> None:
        for one in _LISTED:
            self.list.addItem(QListWidgetItem(tr(_name(one))))
        self.list.currentRowChanged.connect(self._show_lesson)
        self.list.setCurrentRow(_LISTED.index(self.lesson.lesson) if self.lesson is not None else 0)
        self.begin.clicked.connect(self._begin)
        self.on_picture.chosen.connect(self._show_on)
        self.marks.chosen.connect(lambda _: self.canvas.update() if self.canvas is not None else None)
        self.replay.valueChanged.connect(self._show_until)
        self.play.clicked.connect(self._toggle_play)
        self.go_on.clicked.connect(self.to_desk)
        self.score_button.clicked.connect(self.score)
        for widget in (self.on_picture, self.marks, self.play, self.replay, self.go_on, self.score_button):
            widget.setEnabled(self.lesson is not None)

    # lessons

    @property
    def chosen(self) -> Lesson:
        return _LISTED[max(0, self.list.currentRow())]

    def _show_lesson(self, *_) -> None:
        one = self.chosen
        self.kinds.setVisible(one is OWN)
        self.words.setText(tr(one.words))
        self.clock_said.setText(tr("against %1 minutes", f"{one.minutes:.0f}"))
        self.scores.history.show_scores([row for row in self._history if row[0] == one.number])

    def _begin(self) -> None:
        number, strength, clock = self.chosen.number, self.strength.value, self.clock.isChecked()
        seed, many = random.randrange(1, 10_000), MANY[self.many.value]
        ticked = [item.data(Qt.ItemDataRole.UserRole) for item in map(self.kinds.item, range(self.kinds.count()))
                  if item.checkState() == Qt.CheckState.Checked]

        def begun(task) -> OpenLesson:
            flaws = own_flaws(ticked, many) if number == OWN.number else None
            return begin_lesson(number, seed, strength=strength, clock=clock, many=many, flaws=flaws)

        self.message.emit("Making the plate …")
        self._background.run("lesson", begun, self.begun.emit, failed=self.message.emit)

    def score(self) -> None:
        """What became of every flaw, in the background; then what the automatic pass reaches."""
        lesson, job = self.lesson, self.job.job
        seconds = sum(self.job.session.logged_seconds().values())
        self.message.emit("Comparing with the truth …")
        self._background.run("score", lambda task: score_it(lesson, job, seconds), self._scored,
                             failed=self.message.emit)

    def _scored(self, score: LessonScore) -> None:
        self.lesson.score = score
        self._show_score()
        self.message.emit(phrase("Scored: %1 of 100. The automatic pass is being tried on the same plate.",
                                 f"{score.score:.1f}"))
        lesson = self.lesson
        self._background.run("automatic", lambda task: automatic_score(lesson), self._take_automatic,
                             failed=self.message.emit)

    def _take_automatic(self, value: float) -> None:
        self.lesson.score = score = replace(self.lesson.score, automatic=value)
        number, seed = self.lesson.lesson.number, self.lesson.seed
        self.records.write(lambda book: book.add_practice(number, seed, score.score, value, score.seconds))
        self._show_score()
        self.load()

    def load(self) -> None:
        """The history, read beside the window."""
        def read(task) -> list:
            self.records.wait()
            return self.records.book.practice() if self.records.book is not None else []

        self._background.run("history", read, self._take_history, failed=self.message.emit, newest=True)

    def _take_history(self, rows: list) -> None:
        self._history = rows
        best = {}
        for number, score, _, _ in rows:
            best[number] = max(score, best.get(number, 0.0))
        for n, one in enumerate(_LISTED):
            said = f"  ·  {best[one.number]:.0f}" if one.number in best else ""
            self.list.item(n).setText(f"{tr(_name(one))}{tr(said)}")
        self._show_lesson()

    # what is shown

    def _show_score(self) -> None:
        score = self.lesson.score if self.lesson is not None else None
        self.scores.show_score(score)
        if score is None:
            self.hints.setText(tr("Told after the lesson is scored."))
            return
        wrong = what_went_wrong(score, tuple(self.job.job.edits()))
        self.hints.setText("\n".join(f"· {tr(text)}" for text in wrong) or tr("Nothing: well done."))
        self._touched = hatched(_small(score.touched_where)) if score.touched > 0 else None
        self.canvas.update()

    def _show_on(self, key: str) -> None:
        self.canvas.set_mode("before" if key == "given" else "after")
        self.canvas.set_lamp(*(("change", {"strength": 8.0}) if key == "difference" else (PLAIN, {})))
        if key == "truth" and self._truth is None:
            codes = np.ascontiguousarray(self.lesson.plate.wanted() >> 8).astype(np.uint8)
            height, width = codes.shape[:2]
            self._truth = QImage(codes.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        self.canvas.update()

    def _show_until(self, position: int) -> None:
        """The picture after so many steps."""
        self.canvas.set_job(self.job.session.history.job_at(position))

    def _toggle_play(self) -> None:
        if self._play.isActive():
            self._play.stop()
        else:
            if self.replay.value() == self.replay.maximum():
                self.replay.setValue(0)
            self._play.start()
        self.play.setText(tr("Stop" if self._play.isActive() else "Play"))

    def _next_stroke(self) -> None:
        if self.replay.value() >= self.replay.maximum():
            self._toggle_play()
        else:
            self.replay.setValue(self.replay.value() + 1)

    def _draw_over(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if self.on_picture.value == "truth" and self._truth is not None:
            low, high = canvas.to_screen(0, 0), canvas.to_screen(canvas.picture.x1, canvas.picture.y1)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(low, high), self._truth)
        score = self.lesson.score
        if score is None or self.marks.value == "none":
            return
        if self._touched is not None:
            draw_hatch(painter, canvas, self._touched)
        near = None
        for one in score.outcomes:
            if self.marks.value == "wrong" and not one.wrong:
                continue
            at = canvas.to_screen(one.flaw["x"], one.flaw["y"])
            draw_mark(painter, at, one.state)
            if canvas.pointer is not None and (canvas.pointer - at).manhattanLength() < _NEAR_PX:
                near = at, one
        if near is not None:
            draw_tag(painter, near[0].x() + 14, near[0].y(), mark_text(near[1]))

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.load()
        if self.canvas is not None:
            history = self.job.session.history
            self.replay.setRange(0, history.position)
            self.replay.setValue(history.position)
            self.canvas.set_job(self.job.job)
            self.canvas.fit()
        self.messages.show_hint("Point at a mark to see what happened there; Tab shows the truth." if self.lesson
                                else "Everybody here is made up. Esc goes back.")

    def press(self, action: str) -> None:
        if self.canvas is None:
            return
        if action == "before":
            self._show_on("truth")
            self.on_picture.set_value("truth")
        elif action == "fit":
            self.canvas.fit()

    def release(self, action: str) -> None:
        if action == "before" and self.canvas is not None:
            self.on_picture.set_value("mine")
            self._show_on("mine")

    def idle(self) -> bool:
        return self._background.idle()

    def close_job(self) -> None:
        self._play.stop()
        self._background.close()
        if self.canvas is not None:
            self.canvas.store.close()


def _small(mask: np.ndarray) -> np.ndarray:
    """At most about 800 px, for the hatch."""
    shrink = min(1.0, 800 / max(mask.shape))
    return (cv2.resize(mask, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA) > 0.5).astype(np.float32)
