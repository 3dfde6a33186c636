"""What is there when nothing is open: how to begin, recent files, work left by a crash."""

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lather.core.job.member_names import readable_name
from lather.core.journal.journal import Leftover
from lather.core.phrases import phrase
from lather.desktop.input.keys import TAKES_COMMANDS, keyed
from lather.desktop.texts import tr
from lather.desktop.theme.icons import pixmap
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import theme
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.window.header import shortened
from lather.desktop.window.message_line import MessageLine

_COLUMN_PX = 620
_MOST_LEFTOVERS, _MOST_ROWS = 3, 6


class StartScreen(QWidget):
    """`open_asked()`, `demo_asked()`, `help_asked()`, `path_chosen(str)`, `recover(Leftover)`, `discard(Leftover)`."""

    open_asked = pyqtSignal()
    demo_asked = pyqtSignal()
    help_asked = pyqtSignal()
    path_chosen = pyqtSignal(str)
    recover = pyqtSignal(object)
    discard = pyqtSignal(object)

    def __init__(self, recent: list[str], leftovers: list[Leftover], parent=None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setProperty(TAKES_COMMANDS, True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.messages = MessageLine()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        outer = QHBoxLayout()
        whole.addLayout(outer, 1)
        whole.addWidget(self.messages)
        outer.addStretch(1)
        inner = QWidget()
        inner.setFixedWidth(_COLUMN_PX)
        column = QVBoxLayout(inner)
        column.setSpacing(12)
        outer.addWidget(inner)
        outer.addStretch(1)
        column.addStretch(2)
        picture = QLabel()
        picture.setPixmap(pixmap("photo", theme().accent, 56, self.devicePixelRatioF()))
        column.addWidget(picture)
        title = QLabel(tr("Drop a portrait here"))
        title.setFont(font(17, strong=True))
        column.addWidget(title)
        words = QLabel(tr("A JPEG, PNG, TIFF, WebP, raw or HEIC photo, a folder of them, or a .lather job.\n"
                          "The photo itself is never changed: all you do is kept beside it and can be taken back."))
        words.setObjectName("quiet")
        column.addWidget(words)
        buttons = QHBoxLayout()
        self.open_button = QPushButton(tr("Open a photo or job …"))
        self.open_button.setObjectName("primary")
        self.open_button.clicked.connect(self.open_asked)
        self.demo_button = QPushButton(tr("Try the demo job"))
        self.demo_button.clicked.connect(self.demo_asked)
        self.help_button = QPushButton(tr("First portrait in ten minutes"))
        self.help_button.setToolTip(keyed(tr("The handbook ({handbook})")))
        self.help_button.clicked.connect(self.help_asked)
        for button in (self.open_button, self.demo_button, self.help_button):
            buttons.addWidget(button)
        buttons.addStretch(1)
        column.addLayout(buttons)
        self.recover_buttons: list[QPushButton] = []
        shown = leftovers[:_MOST_LEFTOVERS]
        for leftover in shown:
            column.addWidget(self._leftover_row(leftover))
        if recent:
            head = QLabel(tr("Recent"))
            head.setFont(font(strong=True))
            column.addSpacing(8)
            column.addWidget(head)
            for path in recent[: _MOST_ROWS - len(shown)]:
                name, folder = readable_name(Path(path).name), readable_name(str(Path(path).parent))
                button = QPushButton(f"{shortened(name, 44)}   –   {shortened(folder, 36)}")
                button.setObjectName("flat")
                button.setStyleSheet("text-align: left;")
                button.setToolTip(readable_name(path))
                button.clicked.connect(lambda _, path=path: self.path_chosen.emit(path))
                column.addWidget(button)
        column.addStretch(3)

    def press(self, action: str) -> None:
        """No keys of its own."""

    def release(self, action: str) -> None:
        """No keys of its own."""

    def close_job(self) -> None:
        """Nothing is open."""

    def _leftover_row(self, leftover: Leftover) -> QFrame:
        frame = QFrame()
        frame.setObjectName("notice")
        row = QHBoxLayout(frame)
        row.setContentsMargins(12, 8, 8, 8)
        steps = phrase("%n steps", n=leftover.steps, one="%n step")
        words = QVBoxLayout()
        words.setSpacing(1)
        words.addWidget(ElidedLabel(tr("“%1” was not closed properly", leftover.title)))
        more = QLabel(tr("%1 made after the last save can be brought back", steps))
        more.setObjectName("quiet")
        words.addWidget(more)
        row.addLayout(words, 1)
        go_on = QPushButton(tr("Go on with it"))
        go_on.clicked.connect(lambda: self.recover.emit(leftover))
        drop = QPushButton(tr("Discard"))
        drop.clicked.connect(lambda: (self.discard.emit(leftover), frame.hide()))
        self.recover_buttons.append(go_on)
        row.addWidget(go_on)
        row.addWidget(drop)
        return frame
