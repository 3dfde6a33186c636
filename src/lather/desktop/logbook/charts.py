"""The charts of the logbook, drawn by Qt: bars and lines on one quiet grid. Colour never carries meaning alone."""

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.core.job.brief import clock_text, money
from lather.core.phrases import phrase
from lather.core.record.statistics import AgainstPlan, Earned, FindSpeed, StageMinutes
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme

_LEFT, _RIGHT, _TOP, _BOTTOM = 34, 10, 22, 34
_TINY_PT = 7.4


def nice_top(value: float) -> tuple[float, float]:
    """(top of an axis, step of its lines) for a largest value."""
    if value <= 0:
        return 1.0, 1.0
    step = 10.0 ** int(f"{value:e}".split("e")[1])
    for part in (0.25, 0.5, 1.0, 2.0, 2.5):
        if value / (part * step) <= 5:
            step *= part
            break
    lines = int(value / step) + (value % step > 1e-9)
    return lines * step, step


class Chart(QWidget):
    """Axis, grid and plot area; subclasses draw into it. said: what it shows, in words, for those who cannot see it."""

    def __init__(self, name: str, parent=None):
        super().__init__(parent)
        self.name, self.said = name, ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(140)
        self.setAccessibleName(name)

    def sizeHint(self) -> QSize:
        return QSize(300, 200)

    def say(self, text: str) -> None:
        self.said = text
        self.setAccessibleName(f"{self.name}: {text}")
        self.setToolTip(tr(text))
        self.update()

    def plot(self) -> QRectF:
        return QRectF(_LEFT, _TOP, max(10, self.width() - _LEFT - _RIGHT), max(10, self.height() - _TOP - _BOTTOM))

    def begin(self) -> QPainter:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(_TINY_PT))
        return painter

    def empty(self, painter: QPainter, text: str) -> None:
        painter.setFont(font(SMALL_PT))
        painter.setPen(QColor(theme().quiet_ink))
        painter.drawText(QRectF(self.rect()), int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap), tr(text))

    def grid(self, painter: QPainter, top: float, step: float) -> None:
        t, area = theme(), self.plot()
        value = 0.0
        while value <= top + 1e-9:
            y = area.bottom() - area.height() * value / top
            painter.setPen(QPen(QColor(t.quiet_ink if value == 0 else t.line), 1))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(QColor(t.quiet_ink))
            painter.drawText(QRectF(0, y - 8, _LEFT - 6, 16),
                             int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), f"{value:g}")
            value += step


def _word(painter: QPainter, x: float, y: float, text: str, colour: str, *, strong: bool = False) -> None:
    """A word in the middle of a place."""
    painter.setFont(font(_TINY_PT, strong=strong))
    painter.setPen(QColor(colour))
    painter.drawText(QRectF(x - 150, y - 8, 300, 16), int(Qt.AlignmentFlag.AlignCenter), tr(text))


def _bar(painter: QPainter, box: QRectF, *, hollow: bool, colour: str) -> None:
    if hollow:
        painter.setPen(QPen(QColor(colour), 1.2))
        painter.setBrush(QColor(theme().panel))
        painter.drawRect(box.adjusted(0.6, 0.6, -0.6, 0))
    else:
        painter.fillRect(box, QColor(colour))


class StageChart(Chart):
    """Minutes by stage: planned hollow, real solid."""

    def __init__(self, parent=None):
        super().__init__("Minutes by stage", parent)
        self.rows: list[StageMinutes] = []

    def show_rows(self, rows: Sequence[StageMinutes]) -> None:
        self.rows = list(rows)
        planned, real = (sum(getattr(row, name) for row in rows) for name in ("planned_s", "real_s"))
        self.say(phrase("planned %1, real %2", clock_text(planned), clock_text(real)))

    def paintEvent(self, event) -> None:
        painter, t = self.begin(), theme()
        most = max((max(row.planned_s, row.real_s) for row in self.rows), default=0) / 60
        if not most:
            self.empty(painter, "No time is logged yet.")
            return
        top, step = nice_top(most)
        self.grid(painter, top, step)
        area, count = self.plot(), len(self.rows)
        wide = area.width() / count
        for number, row in enumerate(self.rows):
            middle = area.left() + wide * (number + 0.5)
            for seconds, side, hollow in ((row.planned_s, -1, True), (row.real_s, 1, False)):
                tall = area.height() * seconds / 60 / top
                left = middle - wide * 0.36 if side < 0 else middle + 1
                _bar(painter, QRectF(left, area.bottom() - tall, wide * 0.35, tall), hollow=hollow,
                     colour=t.quiet_ink if hollow else t.accent)
            over = round((row.real_s - row.planned_s) / 60)
            if row.planned_s and row.real_s > 1.1 * row.planned_s and over:
                y = area.bottom() - area.height() * row.real_s / 60 / top - 8
                _word(painter, middle + wide * 0.2, y, f"+{over}", t.near_text, strong=True)
            _word(painter, middle, area.bottom() + (9 if number % 2 == 0 else 22), row.label, t.quiet_ink)
        _legend(painter, area, [("planned", True, t.quiet_ink), ("real", False, t.accent)])


def _legend(painter: QPainter, area: QRectF, entries: Sequence[tuple[str, bool, str]]) -> None:
    x = area.right() - 62 * len(entries)
    for text, hollow, colour in entries:
        _bar(painter, QRectF(x, 5, 9, 9), hollow=hollow, colour=colour)
        painter.setPen(QColor(theme().quiet_ink))
        painter.setFont(font(_TINY_PT))
        painter.drawText(QRectF(x + 13, 1, 50, 17), int(Qt.AlignmentFlag.AlignVCenter), tr(text))
        x += 62


class MonthChart(Chart):
    """Minutes by stage over time: a stack for each month, the busiest stages told apart by hatch as well."""

    _PATTERNS = (Qt.BrushStyle.SolidPattern, Qt.BrushStyle.BDiagPattern, Qt.BrushStyle.Dense5Pattern,
                 Qt.BrushStyle.HorPattern)

    def __init__(self, parent=None):
        super().__init__("Minutes by stage over time", parent)
        self.months: list[tuple[str, dict[str, int]]] = []

    def show_months(self, months: Sequence[tuple[str, dict[str, int]]]) -> None:
        self.months = list(months)
        self.say("; ".join(f"{month}: {clock_text(sum(held.values()))}" for month, held in months))

    def paintEvent(self, event) -> None:
        painter, t = self.begin(), theme()
        most = max((sum(held.values()) for _, held in self.months), default=0) / 60
        if not most:
            self.empty(painter, "No time is logged yet.")
            return
        top, step = nice_top(most)
        self.grid(painter, top, step)
        totals: dict[str, int] = {}
        for _, held in self.months:
            for stage, seconds in held.items():
                totals[stage] = totals.get(stage, 0) + seconds
        told = sorted(totals, key=lambda stage: -totals[stage])[:3]
        area, wide = self.plot(), self.plot().width() / len(self.months)
        for number, (month, held) in enumerate(self.months):
            y, left = area.bottom(), area.left() + wide * (number + 0.2)
            parts = [(stage, held.get(stage, 0)) for stage in told]
            parts.append(("", sum(held.values()) - sum(seconds for _, seconds in parts)))
            for place, (_, seconds) in enumerate(parts):
                tall = area.height() * seconds / 60 / top
                box = QRectF(left, y - tall, wide * 0.6, tall)
                painter.setPen(QPen(QColor(t.accent), 1))
                painter.setBrush(QColor(t.raised))
                painter.drawRect(box)
                painter.setPen(Qt.PenStyle.NoPen)
                brush = painter.brush()
                brush.setColor(QColor(t.accent))
                brush.setStyle(self._PATTERNS[place])
                painter.setBrush(brush)
                painter.drawRect(box)
                y -= tall
            _word(painter, left + wide * 0.3, area.bottom() + 10, month[2:], t.quiet_ink)
        words = ", ".join(stage.capitalize() for stage in told)
        painter.setPen(QColor(t.quiet_ink))
        painter.setFont(font(_TINY_PT))
        painter.drawText(QRectF(area.left(), 1, area.width(), 17), int(Qt.AlignmentFlag.AlignRight),
                         phrase("from below: %1, all others", words))


class SpeedChart(Chart):
    """Seconds per find by kind over jobs."""

    _LINES = ((Qt.PenStyle.SolidLine, True), (Qt.PenStyle.SolidLine, False), (Qt.PenStyle.DashLine, True),
              (Qt.PenStyle.DotLine, False))
    _WORDS_PX = 118

    def __init__(self, parent=None):
        super().__init__("Seconds per find", parent)
        self.kinds: list[FindSpeed] = []

    def show_kinds(self, kinds: Sequence[FindSpeed]) -> None:
        self.kinds = list(kinds)
        self.say(", ".join(f"{one.label} {one.latest:.0f} s" for one in kinds))

    def plot(self) -> QRectF:
        return super().plot().adjusted(0, 0, -self._WORDS_PX, 12)

    def paintEvent(self, event) -> None:
        painter, t = self.begin(), theme()
        if not self.kinds:
            self.empty(painter, "Seconds per find follow as soon as finds are mended by key.")
            return
        area = self.plot()
        most = max(value for one in self.kinds for _, value in one.values)
        first = min(one.values[0][0] for one in self.kinds)
        last = max(one.values[-1][0] for one in self.kinds)
        top, step = nice_top(most)
        self.grid(painter, top, step)
        taken: list[float] = []
        for one, (line, dark) in zip(self.kinds, self._LINES):
            colour = QColor(t.ink if dark else t.accent)
            points = [QPointF(area.left() + area.width() * (job - first) / max(1, last - first),
                              area.bottom() - area.height() * value / top) for job, value in one.values]
            painter.setPen(QPen(colour, 1.6, line))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF(points))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawEllipse(points[-1], 3, 3)
            y = points[-1].y()
            while any(abs(y - other) < 14 for other in taken):
                y += 14 if y < area.center().y() or min(taken) < y else -14
            taken.append(y)
            painter.setPen(QColor(t.ink))
            painter.setFont(font(SMALL_PT))
            painter.drawText(QRectF(area.right() + 9, y - 8, self._WORDS_PX, 16), int(Qt.AlignmentFlag.AlignVCenter),
                             f"{one.label.lower()} {one.latest:.0f} s")
        _word(painter, area.left() + 16, area.bottom() + 10, phrase("job %1", first), t.quiet_ink)
        _word(painter, area.right() - 8, area.bottom() + 10, str(last), t.quiet_ink)


class PlanChart(Chart):
    """Plan against real: a mark for each job; on the line the plan was right."""

    def __init__(self, parent=None):
        super().__init__("Plan against real", parent)
        self.jobs: list[AgainstPlan] = []

    def show_jobs(self, jobs: Sequence[AgainstPlan]) -> None:
        self.jobs = list(jobs)
        if jobs:
            off = sum(abs(one.real_s - one.planned_s) / one.real_s for one in jobs) / len(jobs)
            self.say(phrase("plans are off by %1 % on the mean", f"{100 * off:.0f}"))

    def paintEvent(self, event) -> None:
        painter, t = self.begin(), theme()
        if not self.jobs:
            self.empty(painter, "Jobs with a plan are compared here.")
            return
        top, step = nice_top(max(max(one.planned_s, one.real_s) for one in self.jobs) / 60)
        self.grid(painter, top, step)
        area = self.plot()
        painter.setPen(QPen(QColor(t.quiet_ink), 1.2, Qt.PenStyle.DashLine))
        painter.drawLine(area.bottomLeft(), area.topRight())
        for one in self.jobs:
            at = QPointF(area.left() + area.width() * one.planned_s / 60 / top,
                         area.bottom() - area.height() * one.real_s / 60 / top)
            over = one.real_s > 1.1 * one.planned_s
            painter.setPen(QPen(QColor(t.near if over else t.accent), 1.6))
            painter.setBrush(QColor(t.raised) if over else QColor(t.accent))
            painter.drawEllipse(at, 3.4, 3.4)
        _word(painter, area.center().x(), area.bottom() + 12, "planned min; hollow: over a tenth longer", t.quiet_ink)


class EarnedChart(Chart):
    """Really earned an hour, by job; dashed: what is asked."""

    _MOST = 14

    def __init__(self, parent=None):
        super().__init__("Earned an hour", parent)
        self.jobs: list[Earned] = []

    def show_jobs(self, jobs: Sequence[Earned]) -> None:
        self.jobs = list(jobs)[-self._MOST :]
        under = sum(one.under for one in self.jobs)
        self.say(phrase("last %1 jobs, %2 below what was asked", len(self.jobs), under))

    def paintEvent(self, event) -> None:
        painter, t = self.begin(), theme()
        if not self.jobs:
            self.empty(painter, "A price and time make what was earned an hour.")
            return
        rates = [one.rate_cents for one in self.jobs if one.rate_cents]
        top, step = nice_top(max([one.cents for one in self.jobs] + rates) / 100)
        self.grid(painter, top, step)
        area, wide = self.plot(), self.plot().width() / len(self.jobs)
        for number, one in enumerate(self.jobs):
            tall = area.height() * one.cents / 100 / top
            left = area.left() + wide * (number + 0.17)
            _bar(painter, QRectF(left, area.bottom() - tall, wide * 0.66, tall), hollow=one.under,
                 colour=t.near if one.under else t.accent)
            _word(painter, left + wide * 0.33, area.bottom() - tall - 8, f"{one.cents / 100:.0f}",
                  t.near_text if one.under else t.ink, strong=True)
            _word(painter, left + wide * 0.33, area.bottom() + 10, str(int(one.day[8:10])), t.quiet_ink)
        if rates:
            y = area.bottom() - area.height() * rates[-1] / 100 / top
            painter.setPen(QPen(QColor(t.ink), 1.3, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            asked = phrase("dashed: asked %1; by day", money(rates[-1]))
            _word(painter, area.center().x(), area.bottom() + 24, asked, t.quiet_ink)
