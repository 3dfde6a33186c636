"""One setting as a control, made from how it is declared."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from lather.core.phrases import phrase
from lather.desktop import settings
from lather.desktop.settings.declared import Setting
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.switch import Switch
from lather.desktop.widgets.value_slider import ValueSlider

_PROFILES = "Colour profiles (*.icc *.icm)"


class SettingRow(QWidget):
    """`changed(id)` when the person chose; it is kept then. `failed()` where it could not be."""

    changed = pyqtSignal(str)
    failed = pyqtSignal()

    def __init__(self, setting: Setting, parent=None):
        super().__init__(parent)
        self.setting = setting
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 3, 0, 3)
        self.column.setSpacing(2)
        make = {"choice": self._choice, "switch": self._switch, "number": self._number, "text": self._text,
                "file": self._path, "folder": self._path}
        self.control = make[setting.kind](settings.value(setting.id))
        said = setting.note
        self.note = QLabel(tr(said))
        self.note.setObjectName("quiet")
        self.note.setFont(font(SMALL_PT))
        self.note.setWordWrap(True)
        self.column.addWidget(self.note)
        self.note.setVisible(bool(said))

    def show_value(self) -> None:
        """As it is kept."""
        value = settings.value(self.setting.id)
        if self.setting.kind in ("choice", "number"):
            self.control.set_value(value)
        elif self.setting.kind == "switch":
            self.control.setChecked(value)
        else:
            self.control.setText(tr(value))

    def _keep(self, value: object) -> None:
        if value == settings.value(self.setting.id):
            return
        if settings.set_value(self.setting.id, value):
            self.changed.emit(self.setting.id)
        else:
            self.failed.emit()
        if self.setting.kind != "number":
            self.show_value()

    def _line(self, *widgets: QWidget, stretch: int = -1) -> None:
        row = QHBoxLayout()
        row.setSpacing(8)
        for number, widget in enumerate(widgets):
            row.addWidget(widget, 1 if number == stretch else 0)
        if stretch < 0:
            row.addStretch(1)
        self.column.addLayout(row)

    def _choice(self, value: str) -> Choices:
        choices = Choices(self.setting.label, dict(self.setting.choices), value)
        choices.chosen.connect(self._keep)
        label = QLabel(tr(self.setting.label))
        if len(self.setting.choices) > 2:
            self.column.addWidget(label)
            self._line(choices)
        else:
            self._line(label, choices, stretch=0)
        return choices

    def _switch(self, value: bool) -> Switch:
        switch = Switch(self.setting.label, value)
        switch.clicked.connect(self._keep)
        self._line(switch, QLabel(tr(self.setting.label)))
        return switch

    def _number(self, value: float) -> ValueSlider:
        s = self.setting
        slider = ValueSlider(s.label, s.low, s.high, value, unit=s.unit, step=s.step)
        slider.changed.connect(lambda value, dragging: None if dragging else self._keep(value))
        self.column.addWidget(slider)
        return slider

    def _text(self, value: str) -> QLineEdit:
        field = QLineEdit(value)
        field.setAccessibleName(self.setting.label)
        field.setFixedWidth(84)
        field.editingFinished.connect(lambda: self._keep(field.text().strip()))
        self._line(QLabel(tr(self.setting.label)), field, stretch=0)
        return field

    def _path(self, value: str) -> QLineEdit:
        field, browse = QLineEdit(value), QPushButton(tr("Choose …"))
        field.setAccessibleName(self.setting.label)
        browse.setAccessibleName(phrase("Choose: %1", self.setting.label))
        field.editingFinished.connect(lambda: self._keep(field.text().strip()))
        browse.clicked.connect(self._browse)
        self.column.addWidget(QLabel(tr(self.setting.label)))
        self._line(field, browse, stretch=0)
        self.browse = browse
        return field

    def _browse(self) -> None:
        start = self.control.text() or str(Path.home())
        if self.setting.kind == "folder":
            path = QFileDialog.getExistingDirectory(self, self.setting.label, start)
        else:
            path, _ = QFileDialog.getOpenFileName(self, self.setting.label, start, _PROFILES)
        if path:
            self.control.setText(tr(path))
            self._keep(path)
