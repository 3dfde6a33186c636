"""The top line: name, job, the screens, state of saving, menu."""

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QMenu, QPushButton, QWidget

from lather.core.job.member_names import readable_name
from lather.core.phrases import phrase
from lather.desktop import settings
from lather.desktop.input.keys import keyed, load_bindings
from lather.desktop.texts import tr
from lather.desktop.theme.icons import icon
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import HEADER_PX, theme
from lather.desktop.widgets.elided_label import ElidedLabel

SCREENS = {"sitting": "Sitting", "brief": "Brief", "desk": "Desk", "review": "Review", "deliver": "Deliver",
           "logbook": "Logbook", "practice": "Practice"}


_STATE_PX, _CLOCK_PX = 128, 112
_MENU_CHARACTERS = 60


def shortened(text: str, most: int = _MENU_CHARACTERS) -> str:
    """At most so many characters, with the middle left out."""
    return text if len(text) <= most else f"{text[: most // 2 - 1]}…{text[-most // 2 :]}"


class _Title(ElidedLabel):
    """The job's title; a click opens what can be done with the job as a whole."""

    clicked = pyqtSignal()

    def mousePressEvent(self, event) -> None:
        self.clicked.emit()


class Header(QWidget):
    """`screen_chosen(key)`, `open_asked()`, `demo_asked()`, `path_chosen(path)`, `save_asked()`, `save_as_asked()`,
    `pause_asked()`, `sitting_asked()`, `developed_asked()`. The menu at the end: `settings`, `handbook`, as screens.
    """

    screen_chosen = pyqtSignal(str)
    open_asked = pyqtSignal()
    demo_asked = pyqtSignal()
    path_chosen = pyqtSignal(str)
    save_asked = pyqtSignal()
    save_as_asked = pyqtSignal()
    pause_asked = pyqtSignal()
    sitting_asked = pyqtSignal()
    developed_asked = pyqtSignal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("raised")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(HEADER_PX)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(6)
        mark = QLabel(tr("lather"))
        mark.setFont(font(12.5, strong=True))
        mark.setStyleSheet(f"color: {theme().accent};")
        row.addWidget(mark)
        row.addSpacing(10)
        self.title, self.subtitle = _Title(), ElidedLabel()
        self.title.setCursor(Qt.CursorShape.PointingHandCursor)
        self.title.clicked.connect(self._open_title_menu)
        self.title.setFont(font(strong=True))
        row.addWidget(self.title)
        self.subtitle.setObjectName("quiet")
        row.addWidget(self.subtitle)
        row.addStretch(1)
        self._group = QButtonGroup(self)
        self._sitting = False
        self.tabs = {}
        for key, label in SCREENS.items():
            button = QPushButton(tr(label))
            button.setObjectName("tab")
            button.setCheckable(True)
            button.clicked.connect(lambda _, key=key: self.screen_chosen.emit(key))
            self._group.addButton(button)
            self.tabs[key] = button
            row.addWidget(button)
        row.addSpacing(4)
        self.clock = QPushButton()
        self.clock.setObjectName("flat")
        self.clock.setFixedWidth(_CLOCK_PX)
        self.clock.clicked.connect(self.pause_asked)
        row.addWidget(self.clock)
        self.open_button = QPushButton(tr("Open"))
        self.open_button.setToolTip(tr(keyed("Open a photo or a job ({open})")))
        self.open_menu = QMenu(self)
        self.open_menu.setToolTipsVisible(True)
        self.open_menu.aboutToShow.connect(self._fill_menu)
        self.open_button.setObjectName("menu")
        self.open_button.setMenu(self.open_menu)
        row.addWidget(self.open_button)
        self.save_button = QPushButton(tr("Save"))
        self.save_button.setToolTip(tr(keyed("Save the job ({save})")))
        self.save_button.clicked.connect(self.save_asked)
        row.addWidget(self.save_button)
        self.more_button = QPushButton()
        self.more_button.setObjectName("flat")
        self.more_button.setIcon(icon("more", theme().ink, 18))
        self.more_button.setToolTip(tr("Settings, handbook"))
        self.more_button.setAccessibleName("Settings, handbook")
        self.more_button.clicked.connect(self._open_more_menu)
        row.addWidget(self.more_button)
        self.state = QLabel()
        self.state.setObjectName("quiet")
        self.state.setFixedWidth(_STATE_PX)  # what it says never moves its neighbours
        row.addWidget(self.state)

    def _open_more_menu(self) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for screen, label, action in (("handbook", "Handbook", "handbook"), ("settings", "Settings", "settings")):
            menu.addAction(f"{tr(label)}\t{load_bindings()[action]}",
                           lambda screen=screen: self.screen_chosen.emit(screen))
        self.more_menu = menu
        menu.popup(self.more_button.mapToGlobal(self.more_button.rect().bottomLeft()))

    def _open_title_menu(self) -> None:
        """The same as behind Open, and saving."""
        self._fill_menu()
        self.open_menu.addSeparator()
        self.open_menu.addAction(tr("Save the job"), self.save_asked.emit)
        self.open_menu.addAction(tr("Save under another name …"), self.save_as_asked.emit)
        self.open_menu.addAction(tr("The photo developed again …"), self.developed_asked.emit)
        self.open_menu.blockSignals(True)  # it is filled
        self.open_menu.popup(self.title.mapToGlobal(self.title.rect().bottomLeft()))
        self.open_menu.blockSignals(False)

    def _fill_menu(self) -> None:
        self.open_menu.clear()
        self.open_menu.addAction(tr("Photo or job …"), self.open_asked.emit)
        self.open_menu.addAction(tr("A sitting: a folder of photos …"), self.sitting_asked.emit)
        self.open_menu.addAction(tr("Demo job"), self.demo_asked.emit)
        recent = settings.recent_files()
        if recent:
            self.open_menu.addSeparator()
        for path in recent:
            action = self.open_menu.addAction(tr(shortened(readable_name(Path(path).name))))
            action.setToolTip(readable_name(path))
            action.triggered.connect(lambda _, path=path: self.path_chosen.emit(path))

    def show_job(self, title: str, subtitle: str, state: str) -> None:
        self.title.setText(tr(title))
        self.subtitle.setText(f"· {tr(subtitle)}" if subtitle else "")
        self.state.setText(tr(state))
        for widget in (*self.tabs.values(), self.save_button, self.state, self.clock):
            widget.setVisible(bool(title))
        for key in ("logbook", "practice"):
            self.tabs[key].show()
        self.show_sitting(self._sitting)

    def show_sitting(self, there: bool) -> None:
        """The way to the sitting, where one is open."""
        self._sitting = there
        self.tabs["sitting"].setVisible(there)

    def show_time(self, seconds: int, of: int | None, paused: bool) -> None:
        """Minutes worked, of those allowed or planned."""
        allowed = phrase(" of %1", round(of / 60)) if of else ""
        self.clock.setText(tr("%1%2 min%3", seconds // 60, allowed, phrase(" · paused") if paused else ""))
        self.clock.setToolTip(tr(keyed("The clock is paused: click, or {pause}, and it goes on" if paused else
                                       "Time really worked, of what is allowed or planned; click, or {pause}: pause")))
        self.clock.setAccessibleName(phrase("Time: %1", self.clock.text()))

    def show_screen(self, key: str) -> None:
        """Which screen is in view; those of the menu at the end have no tab."""
        self._group.setExclusive(key in self.tabs)
        for name, tab in self.tabs.items():
            tab.setChecked(name == key)
