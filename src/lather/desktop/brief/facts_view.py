"""Two lists of the job sheet: what was measured of the photo and what it means; the limits, and why they are there."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QScrollArea, QWidget

from lather.core.gauges.against_limits import judged_gauges
from lather.core.kinds.registry import kind_of
from lather.core.measure.photo_facts import PhotoFacts, meanings
from lather.core.phrases import phrase
from lather.core.plan.plan import Plan
from lather.desktop.texts import tr
from lather.desktop.theme.style import font


class RowsView(QScrollArea):
    """Rows of three: what, value, what it means."""

    def __init__(self, name: str, parent=None):
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.rows: list[tuple[str, str, str]] = []

    def show_rows(self, rows: list[tuple[str, str, str]]) -> None:
        if rows == self.rows:
            return
        self.rows = rows
        inner = QWidget()
        inner.setObjectName("panel")
        grid = QGridLayout(inner)
        grid.setContentsMargins(0, 4, 12, 4)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(6)
        for number, (what, value, means) in enumerate(rows):
            words = (QLabel(tr(what)), QLabel(tr(value)), QLabel(tr(means)))
            words[1].setFont(font(strong=True))
            words[2].setObjectName("quiet")
            words[2].setWordWrap(True)
            for column, label in enumerate(words):
                grid.addWidget(label, number, column, Qt.AlignmentFlag.AlignTop)
        grid.setColumnStretch(2, 1)
        grid.setRowStretch(len(rows), 1)
        self.setWidget(inner)


def fact_rows(facts: PhotoFacts, plan: Plan | None, finds) -> list[tuple[str, str, str]]:
    """What was measured, then the finds by kind."""
    rows = meanings(facts)
    if plan is not None:
        rows.append(("Finds", phrase("%1 of %2", plan.shown, plan.found),
                     phrase("will show at %1 px and larger", f"{plan.least_px:.1f}")))
    counts: dict[str, list[int]] = {}
    for find in (one for one in finds or () if one.listed):
        held = counts.setdefault(find.kind, [0, 0])
        held[0] += 1
        held[1] += find.worth
    for kind, (count, shown) in sorted(counts.items(), key=lambda row: -row[1][0]):
        known = kind_of(kind)
        stays = "belongs to the person: kept" if known.keeper else "softened, not deleted" if known.softened else ""
        means = phrase("%1 will show", shown) if shown < count else "all will show"
        rows.append((f"   {known.label}", str(count), f"{means}{f'; {stays}' if stays else ''}"))
    return rows


def limit_rows(job_kind: str) -> list[tuple[str, str, str]]:
    """Every gauge with its band and the reason."""
    return [(one.gauge.label, one.band_text, one.why) for one in judged_gauges({}, job_kind).values()]
