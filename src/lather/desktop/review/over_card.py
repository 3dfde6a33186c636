"""A gauge over its limit: by how much, which layers cause it, and what would bring it back."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout

from lather.core.gauges.against_limits import JudgedGauge
from lather.core.gauges.pull_back import Cause, EditStep, Offer
from lather.core.phrases import joined, phrase
from lather.core.stages.registry import stage_info
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.frames import Card


def _caused_by(causes: tuple[Cause, ...]) -> str:
    words = joined((phrase("%1 (%2) %3 %", cause.name, stage_info(cause.stage_id).label, f"{100 * cause.share:.0f}")
                    for cause in causes), ", ")
    return phrase("Caused by: %1.", words) if words else ""


class OverCard(Card):
    """`map_wanted(name)` when clicked."""

    map_wanted = pyqtSignal(str)

    def __init__(self, one: JudgedGauge, parent=None):
        super().__init__(edge=theme().near, margins=(9, 6, 9, 7), parent=parent)
        self.one = one
        sign, end = ("≥", one.low) if one.state == "low" else ("≤", one.high)
        limit = f"{sign} {one.gauge.written.format(end)}"
        self.head = QLabel(tr("%1 %2 · %3", one.gauge.label, one.text, limit))
        self.head.setFont(font(strong=True))
        self.head.setStyleSheet(f"color: {theme().near_text};")
        self.head.setWordWrap(True)
        self.head.setToolTip(tr(one.why))
        self.causes = QLabel(tr("Looking for what causes it …"))
        self.causes.setObjectName("quiet")
        self.causes.setFont(font(SMALL_PT))
        self.causes.setWordWrap(True)
        self.column.addWidget(self.head)
        self.column.addWidget(self.causes)

    def show_causes(self, causes: tuple[Cause, ...]) -> None:
        """What is known while the way back is still looked for."""
        self.causes.setText(tr(phrase("%1 Looking for the way back …", _caused_by(causes)).strip()))

    def wait(self) -> None:
        """The job is another now: what was said of it is out of date."""
        self.causes.setText(tr("Measured again …"))

    def show_offer(self, offer: Offer) -> None:
        name = self.one.gauge.id
        text = _caused_by(offer.causes.get(name, ()))
        if name in offer.beyond:
            text = phrase("%1 No way back by strengths: %2.", text, offer.beyond[name]).strip()
        own = [step for step in offer.edits if step.gauge == name]
        if own:
            said = phrase("From %n single edits in %1: changed below, all else stays.", self._layers_of(own),
                          n=len(own), one="From a single edit in %1: changed below, all else stays.")
            text = phrase("%1 %2", said, text).strip() if name in offer.beyond else said
        helped = "Comes inside with the steps below." if name in offer.helped else "No layer’s strength changes it."
        self.causes.setText(tr(text or helped))

    @staticmethod
    def _layers_of(steps: list[EditStep]) -> str:
        return joined(dict.fromkeys(step.name for step in steps), ", ")

    def mousePressEvent(self, event) -> None:
        self.map_wanted.emit(self.one.gauge.id)


class OfferBox(QFrame):
    """What brings all of them back at once. `shown(on)`: preview held, `taken()`."""

    shown = pyqtSignal(bool)
    taken = pyqtSignal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("notice")
        column = QVBoxLayout(self)
        column.setContentsMargins(9, 6, 9, 7)
        column.setSpacing(3)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setFont(font(SMALL_PT))
        self.preview, self.take = QPushButton(tr("Hold to see")), QPushButton(tr("Turn down"))
        self.preview.pressed.connect(lambda: self.shown.emit(True))
        self.preview.released.connect(lambda: self.shown.emit(False))
        self.take.clicked.connect(self.taken)
        self.take.setObjectName("primary")
        column.addWidget(self.words)
        column.addWidget(self.preview)
        column.addWidget(self.take)
        self.hide()

    def show_offer(self, offer: Offer | None) -> None:
        does = offer is not None and offer.command is not None
        self.setVisible(does)
        if does:
            self.words.setText(tr(joined(offer.lines(), "\n")))
            self.take.setText(tr("Change these" if offer.edits else "Turn down"))
            self.take.setToolTip(tr("One step, which undo takes back"))
