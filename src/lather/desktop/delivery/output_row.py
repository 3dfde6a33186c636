"""One output in the list: what it is, its file name as it will be, and how far it is."""

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QPushButton

from lather.core.deliver.run import sharpening_of
from lather.core.job.outputs import MEDIA, OutputSpec
from lather.core.phrases import Typed, joined, phrase
from lather.desktop import settings
from lather.desktop.delivery.state_mark import ASKS, DONE, FAILED, NONE, RUNNING, StateMark
from lather.desktop.texts import tr
from lather.desktop.theme.style import font, restyle
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.switch import Switch

COLUMNS = (("", 36), ("Name", 118), ("Size", 138), ("Format, profile", 118), ("Sharpened for", 96), ("State", 130))


def small(text: str = "") -> ElidedLabel:
    label = ElidedLabel(tr(text), mode=Qt.TextElideMode.ElideRight)
    label.setObjectName("quiet")
    label.setFont(font(SMALL_PT))
    return label


class OutputRow(QFrame):
    """`taken()` when clicked, `switched(on)`, `edited()`; where its name is taken: `replaced()`, `numbered()`."""

    taken = pyqtSignal()
    switched = pyqtSignal(bool)
    edited = pyqtSignal()
    replaced = pyqtSignal()
    numbered = pyqtSignal()

    def __init__(self, spec: OutputSpec, parent=None):
        super().__init__(parent)
        self.spec = spec
        self.state = NONE
        self.setObjectName("output")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.switch = Switch(phrase("%1: deliver it", spec.name), spec.on)
        self.switch.clicked.connect(self.switched)
        self.name = ElidedLabel(mode=Qt.TextElideMode.ElideRight)
        self.name.setFont(font(strong=True))
        self.size, self.pixels, self.format, self.profile = ElidedLabel(), small(), ElidedLabel(), small()
        self.medium, self.sharpened, self.file = ElidedLabel(), small(), ElidedLabel()
        self.mark, self.words, self.more = StateMark(), ElidedLabel(mode=Qt.TextElideMode.ElideRight), small()
        self.words.setFont(font(strong=True))
        self.edit = QPushButton(tr("Change"))
        self.edit.setObjectName("flat")
        self.edit.setToolTip(tr("Change this output"))
        self.edit.clicked.connect(self.edited)
        self.replace, self.number = QPushButton(tr("Replace")), QPushButton(tr("Number it"))
        self.replace.clicked.connect(self.replaced)
        self.number.clicked.connect(self.numbered)
        for button in (self.replace, self.number):
            button.setObjectName("toggle")
            button.hide()
        self._arrange()
        self.show_spec(spec)

    def _arrange(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(8, 5, 8, 5)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(1)
        for column, (_, width) in enumerate(COLUMNS):
            grid.setColumnMinimumWidth(column, width)
            grid.setColumnStretch(column, width if column else 0)
        grid.addWidget(self.switch, 0, 0)
        pairs = ((self.name, None), (self.size, self.pixels), (self.format, self.profile),
                 (self.medium, self.sharpened))
        for column, (upper, lower) in enumerate(pairs, 1):
            grid.addWidget(upper, 0, column)
            if lower is not None:
                grid.addWidget(lower, 1, column)
        state = QHBoxLayout()
        state.setSpacing(6)
        state.addWidget(self.mark)
        state.addWidget(self.words, 1)
        grid.addLayout(state, 0, 5)
        grid.addWidget(self.more, 1, 5)
        line = QHBoxLayout()
        line.setSpacing(6)
        line.addWidget(self.file, 1)
        for button in (self.edit, self.replace, self.number):
            line.addWidget(button)
        grid.addLayout(line, 2, 1, 1, 5)

    def show_spec(self, spec: OutputSpec, width: int = 0, height: int = 0, path: Path | None = None) -> None:
        """What it is. width, height: of the photo."""
        self.spec = spec
        self.switch.setChecked(spec.on)
        self.setAccessibleName(phrase("Output %1", spec.name))
        self.name.setText(Typed(spec.name if spec.count == 1 else f"{spec.name} ({spec.count} ×)"))
        self.size.setText(tr(spec.size_text(settings.value("length"))))
        depth = "16 bit" if spec.bits == 16 else f"{spec.quality}" if spec.format in ("JPEG", "WebP") else "8 bit"
        self.format.setText(tr(joined([spec.format, depth], ", ") if spec.format != "OpenRaster" else spec.format))
        self.profile.setText(tr(spec.profile_text()))
        if width:
            size = spec.size_px(width, height)
            scale = max(size) / max(width, height)
            self.pixels.setText(tr("%1 × %2 px%3", size[0], size[1], f" · {scale:.2f} ×" if scale > 1.004 else ""))
            self.pixels.set_tip(phrase("Enlarged %1 ×: more pixels, not more detail",
                                       f"{scale:.2f}") if scale > 1.004 else "")
            how = sharpening_of(spec, width, height)
            self.medium.setText(tr(MEDIA[spec.medium] if how is not None else "not at all"))
            self.sharpened.setText(tr(how.text() if how is not None else "layers kept" if spec.format == "OpenRaster"
                                      else "as it is"))
        if path is not None:
            self.file.setText(Typed(path.name))
        ink = "" if spec.on else f"color: {theme().quiet_ink};"
        for label in (self.name, self.size, self.format, self.medium, self.file):
            restyle(label, ink)

    def show_state(self, state: str, words: str = "", more: str = "", share: float = 0.0) -> None:
        self.state = state
        self.mark.show_state(state, share)
        self.words.setText(tr(words))
        colour = {ASKS: theme().near_text, FAILED: theme().over}.get(state)
        restyle(self.words, f"color: {colour};" if colour else "")
        self.more.setText(tr(more))
        for button in (self.replace, self.number):
            button.setVisible(state == ASKS)
        self.edit.setVisible(state != ASKS)
        self.edit.setEnabled(state != RUNNING)
        self.switch.setEnabled(state != RUNNING)

    def show_taken(self, on: bool) -> None:
        t = theme()
        restyle(self, f"#output {{ background: {t.accent_tint if on else 'transparent'}; border: 0; "
                           f"border-bottom: 1px solid {t.line}; }} #output:focus {{ border: 1px solid {t.accent}; }}")

    def mousePressEvent(self, event) -> None:
        self.taken.emit()

    def mouseDoubleClickEvent(self, event) -> None:
        self.edited.emit()

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit()
            self.edited.emit()
        else:
            super().keyPressEvent(event)

    @property
    def is_done(self) -> bool:
        return self.state == DONE
