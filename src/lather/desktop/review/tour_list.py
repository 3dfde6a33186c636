"""The tour in Review: every part of the person with a tick once it was looked at."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

from lather.core.phrases import joined
from lather.desktop.controls.viewing.tour import TourControl
from lather.desktop.texts import tr
from lather.desktop.theme.tokens import theme


class TourList(QListWidget):
    """A click, or Enter, looks at a part."""

    looked = pyqtSignal(str)

    def __init__(self, tour: TourControl, parent=None):
        super().__init__(parent)
        self._tour = tour
        self.setAccessibleName("Tour")
        t = theme()
        self.setStyleSheet("QListWidget { background: transparent; border: 0; } QListWidget::item { padding: 3px; } "
                           f"QListWidget::item:selected {{ background: {t.accent_tint}; color: {t.ink}; }}")
        self.itemClicked.connect(lambda item: self._look(item))
        self.itemActivated.connect(lambda item: self._look(item))
        tour.changed.connect(self.refresh)
        self.refresh()

    def _look(self, item: QListWidgetItem) -> None:
        stop_id = item.data(Qt.ItemDataRole.UserRole)
        self._tour.go_to(stop_id)  # which fills the list anew
        self.looked.emit(stop_id)

    def refresh(self) -> None:
        stops, seen = self._tour.stops, self._tour.seen
        self.blockSignals(True)
        self.clear()
        for stop in stops:
            now = "now" if stop.id == self._tour.at else "✓ seen" if stop.id in seen else ""
            item = QListWidgetItem(tr(joined([stop.label.capitalize(), now], "   ")))
            item.setData(Qt.ItemDataRole.UserRole, stop.id)
            self.addItem(item)
            if stop.id == self._tour.at:
                self.setCurrentItem(item)
        self.blockSignals(False)
