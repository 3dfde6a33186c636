"""Says beside a line behind that it is bent, with a button that holds it."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout

from lather.core.stages.shape.readout import BEND_LIMIT_PX, Bend
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.stages.shape.overlay import bend_place
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT

_WIDTH_PX, _AWAY_PX = 186, 18


class BendNote(QFrame):
    """Lies over the photo. `held(Bend)`."""

    held = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas):
        super().__init__(canvas)
        self._canvas, self.bend = canvas, None
        self.setObjectName("bend")
        self.setStyleSheet("#bend { background: rgba(30, 33, 36, 235); border-radius: 6px; }"
                           "#bend QLabel { color: #ffffff; }")
        self.setFixedWidth(_WIDTH_PX)
        column = QVBoxLayout(self)
        column.setContentsMargins(9, 7, 9, 8)
        column.setSpacing(4)
        self.text = QLabel()
        self.text.setFont(font(SMALL_PT))
        self.text.setWordWrap(True)
        column.addWidget(self.text)
        self.button = QPushButton(tr("Hold this line"))
        self.button.setObjectName("small")
        self.button.setCursor(Qt.CursorShape.ArrowCursor)
        self.button.setToolTip(tr("Keep it as straight as on the photo; what is pushed beside it fades out there"))
        self.button.clicked.connect(lambda: self.bend is not None and self.held.emit(self.bend))
        column.addWidget(self.button)
        self.hide()

    def show_bend(self, bend: Bend | None, held: bool = False) -> None:
        """held: it is held already, as far as skin allows."""
        self.bend = bend
        self.button.setVisible(not held)
        if bend is None:
            self.hide()
            return
        less = "<br>held as far as skin allows" if held else ""
        said = f"<b>{bend.name}</b> bends {bend.px:.1f} px<br>limit {BEND_LIMIT_PX:g} px · drawn × 10{less}"
        self.text.setText(tr(said))
        self.adjustSize()
        self.place()
        self.show()

    def place(self) -> None:
        """Beside the bend, inside the photo's window."""
        if self.bend is None:
            return
        canvas, ratio = self._canvas, self._canvas.devicePixelRatioF()
        at = bend_place(canvas, self.bend) / ratio
        away = at.x() < canvas.width() / 2  # from the face
        left = at.x() - _AWAY_PX - self.width() if away else at.x() + _AWAY_PX
        x = min(max(6, left), canvas.width() - self.width() - 6)
        y = min(max(6, at.y() - self.height() / 2), canvas.height() - self.height() - 6)
        if (self.x(), self.y()) != (int(x), int(y)):
            self.move(int(x), int(y))
