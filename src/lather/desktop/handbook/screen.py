"""The handbook, read in the program: pages at the left, searched by words; it opens at what was in view."""

from PyQt6.QtCore import Qt, QTimer, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QImage, QTextCursor, QTextDocument
from PyQt6.QtWidgets import QLabel, QLineEdit, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget

from lather.desktop.handbook.pages import Page, matching, page_for, pages
from lather.desktop.input.keys import ACTIONS, TAKES_COMMANDS, load_bindings
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import LEFT_PX, theme
from lather.desktop.widgets.frames import filled, panel
from lather.desktop.widgets.panel_head import panel_head
from lather.desktop.window.message_line import MessageLine

_TEXT_PX, _MARGIN_PX = 880, 10
_HINT = "{handbook} or {back} goes back to where you were. All of it is on this machine; nothing is looked up."
_KEYS_MARK = "<!-- keys -->"


class _Reader(QTextBrowser):
    """Markdown; pictures as wide as the text at most. text_px: how wide that is."""

    text_px = _TEXT_PX

    def loadResource(self, kind: int, name: QUrl):
        found = super().loadResource(kind, name)
        if kind != QTextDocument.ResourceType.ImageResource.value or not found:
            return found
        image = found if isinstance(found, QImage) else QImage.fromData(found)
        ratio, wide = self.devicePixelRatioF(), self.text_px - 2 * _MARGIN_PX
        image = image.scaledToWidth(round(min(image.width(), wide) * ratio), Qt.TransformationMode.SmoothTransformation)
        image.setDevicePixelRatio(ratio)
        return image


class HandbookScreen(QWidget):
    """`message(text)`."""

    message = pyqtSignal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.messages = MessageLine()
        self.messages.show_hint(_HINT)
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search all pages"))
        self.search.setAccessibleName("Search the handbook")
        self.search.setClearButtonEnabled(True)
        self.list = QListWidget()
        self.list.setAccessibleName("Pages of the handbook")
        self.list.setProperty(TAKES_COMMANDS, True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.nothing = QLabel(tr("No page holds all of these words."))
        self.nothing.setObjectName("quiet")
        self.nothing.setWordWrap(True)
        self.reader = _Reader()
        self._arrange()
        self.shown: Page | None = None
        self.search.textChanged.connect(self._search)
        self.list.currentItemChanged.connect(self._picked)
        self.reader.anchorClicked.connect(self._follow)

    def _arrange(self) -> None:
        t = theme()
        whole, row = filled(self)
        left = panel(LEFT_PX)
        column = QVBoxLayout(left)
        column.setContentsMargins(10, 10, 10, 8)
        column.setSpacing(8)
        head, _ = panel_head("Handbook")
        column.addLayout(head)
        column.addWidget(self.search)
        column.addWidget(self.nothing)
        column.addWidget(self.list, 1)
        row.addWidget(left)
        self.list.setStyleSheet("QListWidget { background: transparent; border: 0; } "
                                "QListWidget::item { padding: 4px 5px; } "
                                f"QListWidget::item:selected {{ background: {t.accent_tint}; color: {t.ink}; }}")
        self.reader.setOpenLinks(False)
        self.reader.setFont(font(10.2))
        self.reader.setStyleSheet(f"QTextBrowser {{ background: {t.raised}; border: 0; padding: 4px 28px; }}")
        self.reader.setAccessibleName("Page of the handbook")
        self.reader.setProperty(TAKES_COMMANDS, True)
        row.addWidget(self.reader, 1)
        whole.addWidget(self.messages)

    def turn_to(self, screen: str, stage_id: str = "") -> None:
        """The page about what is in view there."""
        self.search.clear()
        self.open_page(page_for(screen, stage_id))

    def open_page(self, page_id: str) -> None:
        """A page by its id."""
        if not self.list.count():
            self._list(pages())
        for number in range(self.list.count()):
            if self.list.item(number).data(Qt.ItemDataRole.UserRole) == page_id:
                self.list.setCurrentRow(number)
                return

    def showEvent(self, event) -> None:
        super().showEvent(event)
        if self.shown is None:
            self.open_page(page_for(""))

    def _list(self, listed) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        for page in listed:
            item = QListWidgetItem(tr(page.title))
            item.setData(Qt.ItemDataRole.UserRole, page.id)
            self.list.addItem(item)
        self.list.blockSignals(False)
        self.nothing.setVisible(not self.list.count())

    def _search(self, words: str) -> None:
        now = self.shown.id if self.shown is not None else ""
        found = matching(words)
        self._list(found)
        if found:
            keep = now if not words.strip() and any(one.id == now for one in found) else found[0].id
            self.shown = None
            self.open_page(keep)
            self._find(words)

    def _find(self, words: str) -> None:
        """The first of the words is shown where it stands."""
        first = next(iter(words.split()), "")
        self.reader.moveCursor(QTextCursor.MoveOperation.Start)
        if first:
            self.reader.find(first)

    def _picked(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        page = next(one for one in pages() if one.id == item.data(Qt.ItemDataRole.UserRole))
        if page is not self.shown:
            self.shown = page
            self._show()

    def _show(self) -> None:
        document = self.reader.document()
        document.setDocumentMargin(_MARGIN_PX)
        document.setBaseUrl(QUrl.fromLocalFile(f"{self.shown.path.parent}/"))
        self.reader.text_px = self._text_px()
        text = self.shown.path.read_text(encoding="utf-8")
        if _KEYS_MARK in text:
            text = text.replace(_KEYS_MARK, key_table())
        document.setMarkdown(text)
        self.reader.setLineWrapMode(QTextBrowser.LineWrapMode.FixedPixelWidth)
        self.reader.setLineWrapColumnOrWidth(self.reader.text_px)
        self.reader.moveCursor(QTextCursor.MoveOperation.Start)

    def _text_px(self) -> int:
        return min(_TEXT_PX, max(200, self.reader.viewport().width()))

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        if self.shown is not None and self._text_px() != self.reader.text_px:
            QTimer.singleShot(0, self._show)  # once the reader has its own size

    def _follow(self, url: QUrl) -> None:
        """A link: another page, or (asked of the desktop) the web."""
        if url.isRelative() and url.path().endswith(".md"):
            self.search.clear()
            self.open_page(url.path().removesuffix(".md"))
        elif url.scheme() in ("http", "https"):
            QDesktopServices.openUrl(url)

    def press(self, action: str) -> None:
        """No key but those of the window acts here."""

    def release(self, action: str) -> None:
        """As above."""

    def close_job(self) -> None:
        """It holds nothing of a job."""


def key_table() -> str:
    """All keys as they are bound now, as a table in Markdown."""
    bound = load_bindings()
    rows = [f"| {bound[a.id].replace('|', chr(92) + '|')} | {'hold: ' if a.held else ''}{a.label} |" for a in ACTIONS]
    return "\n".join(["| key | what it does |", "|---|---|", *rows])
