"""The score of a lesson with the sum it is made of, what became of the flaws, and the history of the lesson."""

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPen, QPolygonF
from PyQt6.QtWidgets import QGridLayout, QLabel, QProgressBar, QVBoxLayout, QWidget

from lather.core.phrases import phrase
from lather.core.practice.outcome import PARTS, WORDS, LessonScore
from lather.desktop.logbook.charts import Chart
from lather.desktop.practice.marks import MarkSign
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.frames import rule
from lather.desktop.widgets.panel_head import panel_head


class HistoryChart(Chart):
    """Scores of one lesson, the first one first; dashed: the automatic pass."""

    def __init__(self, parent=None):
        super().__init__("History", parent)
        self.scores: list[float] = []
        self.automatic: float | None = None

    def show_scores(self, rows: Sequence[tuple[int, float, float | None, str]]) -> None:
        self.scores = [row[1] for row in rows][-20:]
        self.automatic = next((row[2] for row in reversed(rows) if row[2] is not None), None)
        self.say(", ".join(f"{score:.0f}" for score in self.scores) or "no scores yet")

    def paintEvent(self, event) -> None:
        painter, t = self.begin(), theme()
        if not self.scores:
            self.empty(painter, "Scores of this lesson are drawn here.")
            return
        self.grid(painter, 100, 25)
        area = self.plot()

        def at(number: int, value: float) -> QPointF:
            x = area.left() + area.width() * (number + 0.5) / len(self.scores)
            return QPointF(x, area.bottom() - area.height() * value / 100)

        points = [at(n, value) for n, value in enumerate(self.scores)]
        painter.setPen(QPen(QColor(t.accent), 1.7))
        painter.drawPolyline(QPolygonF(points))
        painter.setBrush(QColor(t.accent))
        for point in points:
            painter.drawEllipse(point, 3, 3)
        if self.automatic is not None:
            y = at(0, self.automatic).y()
            painter.setPen(QPen(QColor(t.ink), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))


class ScorePanel(QWidget):
    def __init__(self, parent=None):
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 8)
        column.setSpacing(5)
        head, self.automatic = panel_head("Score", small=True)
        column.addLayout(head)
        self.score = QLabel("–")
        self.score.setFont(font(24, strong=True))
        self.score.setStyleSheet(f"color: {theme().accent};")
        column.addWidget(self.score)
        column.addWidget(rule())
        self.parts: dict[str, tuple[QLabel, QProgressBar]] = {}
        for name, (label, most) in PARTS.items():
            line, value = panel_head(label)
            line.itemAt(0).widget().setFont(font(SMALL_PT))
            bar = QProgressBar()
            bar.setRange(0, 10 * most)
            bar.setTextVisible(False)
            column.addLayout(line)
            column.addWidget(bar)
            self.parts[name] = (value, bar)
        column.addWidget(rule())
        head, self.flaws = panel_head("What became of them", small=True)
        column.addLayout(head)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        self.counts: dict[str, QLabel] = {}
        for number, (state, words) in enumerate(WORDS.items()):
            self.counts[state] = QLabel("–")
            self.counts[state].setFont(font(strong=True))
            grid.addWidget(MarkSign(state), number, 0)
            grid.addWidget(QLabel(tr(words)), number, 1)
            grid.addWidget(self.counts[state], number, 2, Qt.AlignmentFlag.AlignRight)
        self.touched = QLabel("–")
        self.touched.setFont(font(strong=True))
        grid.addWidget(QLabel(tr("Clean skin touched")), len(WORDS), 0, 1, 2)
        grid.addWidget(self.touched, len(WORDS), 2, Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(1, 1)
        column.addLayout(grid)
        column.addWidget(rule())
        head, _ = panel_head("History", "dashed: automatic", small=True)
        column.addLayout(head)
        self.history = HistoryChart()
        self.history.setMinimumHeight(96)
        column.addWidget(self.history, 1)

    def show_score(self, score: LessonScore | None) -> None:
        self.score.setText(tr("–" if score is None else phrase("%1 of 100", f"{score.score:.1f}")))
        self.automatic.setText(tr("" if score is None else "automatic …" if score.automatic is None else
                                  phrase("automatic %1", f"{score.automatic:.1f}")))
        for name, (value, bar) in self.parts.items():
            points = 0.0 if score is None else score.points[name]
            value.setText(tr("–" if score is None else phrase("%1 of %2", f"{points:.1f}", PARTS[name][1])))
            bar.setValue(round(10 * points))
        for state, label in self.counts.items():
            label.setText(tr("–" if score is None else str(score.count(state))))
        self.flaws.setText(tr("" if score is None else phrase("%1 marks", len(score.outcomes))))
        self.touched.setText(tr("–" if score is None else f"{100 * score.touched:.1f} %"))
