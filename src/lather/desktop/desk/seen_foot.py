"""What is in sight, always: the place and colour under the pointer, the zoom; a second window, the small map."""

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.small_map import SmallMap
from lather.desktop.input.keys import keyed
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.texts import tr
from lather.desktop.theme.icons import icon
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.window.second_window import SecondWindow

_PX = 46


class SeenFoot(QWidget):
    """map: in the corner of the photo. second: the other window, None until it is wanted."""

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, parent: QWidget):
        super().__init__(parent)
        self.canvas, self.job = canvas, job
        self.map = SmallMap(canvas)
        self.second: SecondWindow | None = None
        self.setFixedHeight(_PX)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 8, 4)
        row.setSpacing(6)
        self.facts = QLabel()
        self.facts.setObjectName("quiet")
        self.facts.setFont(font(SMALL_PT))
        self.facts.setToolTip(tr("What lies under the pointer: where, and its colour; how large the photo is seen"))
        row.addWidget(self.facts, 1)
        self.other = QPushButton()
        self.other.setIcon(icon("second_window", theme().ink))
        self.other.setCheckable(True)
        self.other.setFixedWidth(36)
        self.other.setAccessibleName("Second window")
        self.other.setToolTip(keyed(tr("A second window for the photo: the whole, or 100 %, linked ({second})")))
        self.other.clicked.connect(self.turn_second)
        row.addWidget(self.other)
        canvas.view_changed.connect(self._read_view)
        self._read_view()

    def turn_second(self) -> None:
        """Open the second window, or close it."""
        if self.second is None:
            self.second = SecondWindow(self.job, self.canvas, self.window())
            self.second.closed.connect(lambda: self.other.setChecked(False))
        self.second.setVisible(not self.second.isVisible())
        self.other.setChecked(self.second.isVisible())
        self.window().activateWindow()

    def _zoom(self) -> str:
        return f"{self.canvas.view.scale * 100:.0f} %"

    def _read_view(self) -> None:
        self.facts.setText(tr("zoom %1", self._zoom()))

    def read_place(self, event: PenEvent) -> None:
        """Position and colour under the pointer, from the tile on screen."""
        bounds = self.canvas.picture
        inside = bounds.x0 <= event.x < bounds.x1 and bounds.y0 <= event.y < bounds.y1
        text = self.canvas.colour_text(event.x, event.y) if inside else ""
        if text:
            self.facts.setText(tr("zoom %1   ·   %2, %3 px\n%4", self._zoom(), f"{event.x:.0f}", f"{event.y:.0f}",
                                  text))
        else:
            self._read_view()

    def idle(self) -> bool:
        return self.map.idle()

    def close_job(self) -> None:
        self.map.close_job()
        if self.second is not None:
            self.second.close_job()
