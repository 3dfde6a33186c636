"""Settings: all of them on one page; a change is kept at once."""


from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lather.core.imageio.files import is_folder
from lather.core.job.brief import cents_of
from lather.core.phrases import phrase
from lather.desktop import settings
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.settings.applied import apply
from lather.desktop.settings.declared import BY_ID, GROUPS, NEXT_START, NOW, SETTINGS
from lather.desktop.settings.display import forget_desktop
from lather.desktop.settings.form.key_list import KeyList
from lather.desktop.settings.form.pen_curve import PenCurve
from lather.desktop.settings.form.setting_row import SettingRow
from lather.desktop.settings.store import reset
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT
from lather.desktop.widgets.frames import Card, bar, filled, scrolled
from lather.desktop.window.message_line import MessageLine

_COLUMNS = (("look", "screen", "work", "units"), ("pen", "folders"))
_HINT = "Everything is kept as soon as it is chosen, in ~/.config/lather. Esc goes back."
REBUILT = frozenset({"theme", "language", "display_from", "display_profile"})
"""Settings for which the screens are made anew."""


class SettingsScreen(QWidget):
    """`message(text)`, `changed(setting id)`, `keys_changed()`, `start_again()`: close and start anew."""

    message = pyqtSignal(object)
    changed = pyqtSignal(object)
    keys_changed = pyqtSignal()
    start_again = pyqtSignal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setProperty(TAKES_COMMANDS, True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.rows = {one.id: SettingRow(one) for one in SETTINGS}
        self.pen = PenCurve()
        self.keys = KeyList()
        self.display = QLabel()
        self.display.setWordWrap(True)
        self.display.setFont(font(SMALL_PT))
        self.usual = QPushButton(tr("All settings as they start"))
        self.again = QPushButton(tr("Start Lather again"))
        self.again.setObjectName("primary")
        self.messages = MessageLine()
        self.messages.show_hint(_HINT)
        self._arrange()
        self._connect()
        self._show_display()

    def _arrange(self) -> None:
        whole, row = filled(self)
        row.setContentsMargins(12, 12, 12, 8)
        row.setSpacing(12)
        for groups in _COLUMNS:
            inner = QWidget()
            column = QVBoxLayout(inner)
            column.setContentsMargins(0, 0, 0, 0)
            column.setSpacing(8)
            for group in groups:
                column.addWidget(self._card(group))
            column.addStretch(1)
            row.addWidget(scrolled(inner, " and ".join(GROUPS[one] for one in groups)), 1)
        keys = Card()
        keys.add_head("Keys")
        keys.column.addSpacing(4)
        keys.column.addWidget(self.keys, 1)
        row.addWidget(keys, 1)
        below, foot = bar(12, 9)
        foot.addWidget(self.usual)
        foot.addStretch(1)
        self.waits = QLabel(tr("Some of it is taken with the next start."))
        foot.addWidget(self.waits)
        foot.addWidget(self.again)
        self.waits.hide()
        self.again.hide()
        whole.addWidget(below)
        whole.addWidget(self.messages)

    def _card(self, group: str) -> Card:
        card = Card()
        card.add_head(GROUPS[group])
        held = [self.rows[one.id] for one in SETTINGS if one.group == group]
        if group == "pen":
            card.column.addWidget(self.pen)
            line = QHBoxLayout()
            line.setSpacing(10)
            for one in held:
                line.addWidget(one)
            card.column.addLayout(line)
            return card
        for one in held:
            card.column.addWidget(one)
            one.setVisible(len(one.setting.choices) != 1)  # nothing is chosen of one
        if group == "screen":
            card.column.addWidget(self.display)
        return card

    def _connect(self) -> None:
        for row in self.rows.values():
            row.changed.connect(self._took)
            row.failed.connect(lambda: self.message.emit(
                "The settings could not be written; look at the rights of ~/.config/lather. All stays as it was."))
        self.keys.changed.connect(self.keys_changed)
        self.keys.message.connect(self.message)
        self.usual.clicked.connect(self._all_as_they_start)
        self.again.clicked.connect(self.start_again)

    def _took(self, setting_id: str) -> None:
        setting = BY_ID[setting_id]
        if setting_id == "rate" and cents_of(str(settings.value("rate")) or "0") is None:
            settings.set_value("rate", "")
            self.rows["rate"].show_value()
            self.message.emit("An hour's price is a number, such as 48 or 48.50.")
            return
        apply()
        self._after(setting_id)
        chosen = settings.value(setting_id)
        if setting.kind == "folder" and chosen and not is_folder(str(chosen)):
            self.message.emit(phrase("There is no folder %1 yet; make it before something is to go there.", chosen))
        if setting.takes != NOW:
            self.message.emit(phrase("%1: taken %2.", setting.label, setting.takes))
        self.changed.emit(setting_id)

    def _after(self, setting_id: str) -> None:
        if BY_ID[setting_id].takes == NEXT_START:
            self.waits.show()
            self.again.show()
        self.pen.update()
        self._show_display()

    def _all_as_they_start(self) -> None:
        before = {one.id: settings.value(one.id) for one in SETTINGS}
        reset()
        apply()
        for row in self.rows.values():
            row.show_value()
        changed = [one for one, value in before.items() if value != settings.value(one)]
        for one in changed:
            self._after(one)
        self.message.emit(phrase("%1 settings are as they start; the keys stay as they are.", len(changed)))
        if changed:
            self.changed.emit(next((one for one in changed if one in REBUILT), changed[0]))

    def _show_display(self) -> None:
        source = settings.value("display_from")
        self.rows["display_profile"].setVisible(source == "file")
        forget_desktop()
        self.display.setText(tr(settings.display_profile().said))

    def press(self, action: str) -> None:
        """No key but those of the window acts here."""

    def release(self, action: str) -> None:
        """As above."""

    def close_job(self) -> None:
        """It holds nothing of a job."""
