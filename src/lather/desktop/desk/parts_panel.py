"""What the pen does under the parts lamp: look, paint a part, outline a drawn mark; and what is told of the persons."""

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lather.core.people.told import PART_LABELS
from lather.desktop.controls.areas.parts import DRAWN_MARK, LOOK, PartsControl
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT
from lather.desktop.widgets.panel_head import panel_head
from lather.desktop.widgets.value_slider import ValueSlider


class PartsPanel(QWidget):
    """Seen while the parts lamp is lit."""

    def __init__(self, parts: PartsControl, parent=None):
        super().__init__(parent)
        self._parts = parts
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        head, self.count = panel_head("Parts", small=True)
        column.addLayout(head)
        self.choice = QComboBox()
        self.choice.setAccessibleName(tr("What the pen does"))
        self.choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.choice.setMinimumContentsLength(12)
        self.choice.setToolTip(tr("A click takes a person in hand; or paint what a place really is"))
        self.choice.addItem(tr("Click a person"), LOOK)
        for name, label in PART_LABELS.items():
            self.choice.addItem(tr("This is %1", tr(label)), name)
        self.choice.addItem(tr("Outline a drawn mark"), DRAWN_MARK)
        self.choice.currentIndexChanged.connect(lambda _: parts.set_wanted(self.choice.currentData()))
        column.addWidget(self.choice)
        self.width = ValueSlider("Width of the pen", 4, 400, parts.width_px, unit="px")
        self.width.changed.connect(lambda value, _: setattr(parts, "width_px", float(value)))
        column.addWidget(self.width)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.back = self._button("Take back", "The last correction is taken back", parts.take_back)
        self.as_read = self._button("All as read", "Every correction is taken back", parts.all_as_read)
        row.addWidget(self.back)
        row.addWidget(self.as_read)
        row.addStretch(1)
        column.addLayout(row)
        self.notes = QLabel()
        self.notes.setObjectName("quiet")
        self.notes.setFont(font(SMALL_PT))
        self.notes.setWordWrap(True)
        column.addWidget(self.notes)
        parts.changed.connect(self.refresh)
        self.refresh()

    @staticmethod
    def _button(text: str, tip: str, act) -> QPushButton:
        button = QPushButton(tr(text))
        button.setObjectName("toggle")
        button.setToolTip(tr(tip))
        button.clicked.connect(lambda _: act())
        return button

    def refresh(self) -> None:
        parts, people = self._parts, self._parts.people
        self.setVisible(parts.on)
        count = len(people.persons) if people is not None else 0
        self.count.setText(tr("%n persons", n=count, one="%n person") if people is not None else tr("reading …"))
        paints = parts.wanted in PART_LABELS
        self.width.setVisible(paints)
        corrected = bool(parts.job.job.part_strokes)
        self.back.setVisible(corrected)
        self.as_read.setVisible(corrected)
        said = [tr(note) for note in parts.notes]
        self.notes.setText("\n".join(said))
        self.notes.setVisible(bool(said))
