"""Photos that take a while to read: raw files are developed as the person wants, beside the window."""

import logging
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from lather.core import log
from lather.core.colour import profiles
from lather.core.errors import LatherError
from lather.core.imageio.development import EXPOSURE, KELVIN, TINT, Development
from lather.core.imageio.extra import ENDINGS, RAW_ENDINGS
from lather.core.imageio.files import read_bytes
from lather.core.imageio.picture import MAX_PIXELS
from lather.core.imageio.raw import develop, light_of, neutral_of
from lather.core.imageio.write import FORMATS
from lather.core.phrases import phrase
from lather.core.session import Session
from lather.desktop import settings
from lather.desktop.background import Background
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.value_slider import ValueSlider
from lather.desktop.window.host import Host

_log = logging.getLogger(__name__)

ENDINGS_SHOWN = " ".join(f"*{ending} *{ending.upper()}" if ending in ENDINGS else f"*{ending}"
                         for ending in (*FORMATS, *ENDINGS))
_SEEN_PX, _NEAR = 520, 3  # px of the preview, and around a touch on it


def is_raw_file(path: Path) -> bool:
    """By its name: what the file dialog showed."""
    return path.suffix.lower() in RAW_ENDINGS


def open_extra(window: Host, path: Path) -> bool:
    """Open a raw file, after its development was asked for, or a HEIC photo. False where it cannot be."""
    if not is_raw_file(path):
        _open(window, path, None)
        return True
    return ask_development(window, path, lambda chosen: _open(window, path, chosen))


def _open(window: Host, path: Path, development: Development | None) -> None:
    brief = settings.new_brief()
    window.screens.show_going_on(phrase("Reading %1 …", path.name))

    def done(session: Session) -> None:
        window.screens.show_going_on("")
        window.take_opened(session, path)

    def failed(text: str) -> None:
        window.screens.show_going_on("")
        window.warn(text)

    window.background.run("develop", lambda task: Session.from_photo(path, development=development, **brief), done,
                          failed=failed)


def ask_development(window: Host, path: Path, chosen: Callable[[Development], None],
                    start: Development | None = None) -> bool:
    """Ask how a raw file is to be developed. False where it cannot be read; why is said in the window."""
    try:
        data = read_bytes(path)
        measured = light_of(data, path.name)
    except LatherError as error:
        window.warn(log.expected(_log, error))
        return False
    dialog = DevelopDialog(window, path.name, data, measured, start or Development())
    dialog.accepted.connect(lambda: chosen(dialog.development))
    dialog.open()
    return True


class _Preview(QLabel):
    """`touched(x, y)`: px of the picture shown in its middle."""

    touched = pyqtSignal(float, float)

    def mousePressEvent(self, event) -> None:
        picture, at = self.pixmap(), event.position()
        if not picture.isNull():
            self.touched.emit(at.x() - (self.width() - picture.width()) / 2,
                              at.y() - (self.height() - picture.height()) / 2)


class DevelopDialog(QDialog):
    """The photo small, and beside it exposure and white balance; what is chosen is `development`. A touch on the photo
    takes what lies there as neutral.
    """

    def __init__(self, window, name: str, data: bytes, measured: float, start: Development):
        super().__init__(window)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(tr("Develop %1", name))
        self.setAccessibleName("Develop")
        self._data, self._name, self._measured, self._of = data, name, measured, start
        self._background = Background(self)
        self.exposure = ValueSlider("Exposure", EXPOSURE.low, EXPOSURE.high, start.exposure, unit="stops", step=0.1)
        self.kelvin = ValueSlider("Light", KELVIN.low, KELVIN.high, start.kelvin or round(measured, -1), unit="K",
                                  step=10, logarithmic=True)
        self.tint = ValueSlider("Green – magenta", TINT.low, TINT.high, start.tint, unit="")
        self.as_measured = QPushButton(tr("As the camera measured"))
        self.open_button, self.cancel = QPushButton(tr("Open")), QPushButton(tr("Cancel"))
        self.open_button.setObjectName("primary")
        self.picture = _Preview(tr("Developing …"))
        self.picture.setCursor(Qt.CursorShape.CrossCursor)
        self.picture.setToolTip(tr("Touch a grey card, or the white of a shirt: it becomes neutral"))
        self.picture.touched.connect(self._take_neutral)
        self._codes = np.zeros((0, 0, 3), np.float32)  # of the preview, as it was developed
        self.picture.setFixedSize(_SEEN_PX, _SEEN_PX)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setStyleSheet(f"background: {theme().surround};")
        self.said = QLabel()
        self._arrange()
        self.kelvin.changed.connect(lambda *_: setattr(self, "_moved", True))  # before it is shown
        for slider in (self.exposure, self.kelvin, self.tint):
            slider.changed.connect(lambda _, dragging: None if dragging else self._show())
        self.as_measured.clicked.connect(self._reset)
        self.open_button.clicked.connect(self.accept)
        self.cancel.clicked.connect(self.reject)
        self.finished.connect(lambda _: self._background.close())
        self._moved = start.kelvin is not None
        self._show()

    def _arrange(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 16, 16, 16)
        row.setSpacing(16)
        row.addWidget(self.picture)
        column = QVBoxLayout()
        column.setSpacing(10)
        row.addLayout(column)
        title = QLabel(tr("Developed neutrally"))
        title.setFont(font(strong=True))
        words = QLabel(tr("No curve, no look, 16 bits. Touch a grey card or the white of a shirt to make it neutral. "
                          "What is set here can be changed later: the title’s menu plays the whole retouch on another "
                          "development."))
        words.setObjectName("quiet")
        words.setWordWrap(True)
        words.setFixedWidth(300)
        self.said.setFont(font(SMALL_PT))
        self.said.setWordWrap(True)
        for widget in (title, words, self.exposure, self.kelvin, self.tint, self.as_measured, self.said):
            column.addWidget(widget)
        column.addStretch(1)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.cancel)
        buttons.addWidget(self.open_button)
        column.addLayout(buttons)

    @property
    def development(self) -> Development:
        """The light stays as the camera measured it until it is touched."""
        return Development(round(self.exposure.value, 2), float(self.kelvin.value) if self._moved else None,
                           float(self.tint.value))

    def _reset(self) -> None:
        for slider, value in ((self.exposure, 0.0), (self.kelvin, round(self._measured, -1)), (self.tint, 0.0)):
            slider.set_value(value)
        self._moved = False
        self._show()

    def _show(self) -> None:
        wanted = self.development

        def work(task):
            made = develop(self._data, self._name, wanted, max_pixels=MAX_PIXELS, half=True)
            shrink = min(1.0, 2 * _SEEN_PX / max(made.width, made.height))
            small = cv2.resize(made.pixels, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
            codes = small.astype(np.float32) / 65535
            pixels = profiles.convert(codes, made.profile, profiles.srgb_profile())
            return np.ascontiguousarray(np.round(255 * np.clip(pixels, 0, 1)).astype(np.uint8)), codes, wanted

        self._background.run("preview", work, self._developed, failed=self.said.setText, newest=True)

    def _take_neutral(self, x: float, y: float) -> None:
        """White balance from what lies under a touch, as the mean of a few pixels."""
        shown = self.picture.pixmap()
        scale = self._codes.shape[1] / max(1, shown.width())
        column, row = int(x * scale), int(y * scale)
        near = self._codes[max(0, row - _NEAR) : row + _NEAR + 1, max(0, column - _NEAR) : column + _NEAR + 1]
        if row < 0 or column < 0 or not near.size:
            return
        code = np.median(near.reshape(-1, 3), axis=0)
        try:
            found = neutral_of(self._data, self._name, self._of, code)
        except LatherError as error:
            self.said.setText(tr(log.expected(_log, error)))
            return
        if found is None:
            self.said.setText(tr("That is no grey and no white: touch a grey card, or the white of a shirt."))
            return
        self.kelvin.set_value(found.kelvin)
        self.tint.set_value(found.tint, fine=True)
        self._moved = True
        self._show()

    def _developed(self, made: tuple[np.ndarray, np.ndarray, Development]) -> None:
        codes, self._codes, self._of = made
        height, width = codes.shape[:2]
        image = QImage(codes.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        self.picture.setPixmap(QPixmap.fromImage(image).scaled(
            _SEEN_PX, _SEEN_PX, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation))
        clipped = float((codes.max(-1) >= 255).mean())
        self.said.setText(tr(phrase("%1 % of it is clipped white.", f"{100 * clipped:.1f}") if clipped > 0.0005 else
                             "Nothing is clipped."))

    def idle(self) -> bool:
        return self._background.idle()
