"""Icons drawn for the job: SVG in `icons/`, in the colour of the text beside them.

Solid ring: where a tool lays down. Dashed ring: where it takes from.
"""

import functools
from pathlib import Path

from PyQt6.QtCore import QByteArray, QRectF, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtSvg import QSvgRenderer

FOLDER = Path(__file__).parent / "icons"


@functools.lru_cache(maxsize=256)
def pixmap(name: str, colour: str, size: int = 22, ratio: float = 2.0) -> QPixmap:
    """The icon `name`.svg, `size` logical px square."""
    svg = (FOLDER / f"{name}.svg").read_text().replace("currentColor", colour)
    image = QPixmap(round(size * ratio), round(size * ratio))
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    QSvgRenderer(QByteArray(svg.encode())).render(painter, QRectF(0, 0, size * ratio, size * ratio))
    painter.end()
    image.setDevicePixelRatio(ratio)
    return image


def icon(name: str, colour: str, size: int = 22) -> QIcon:
    return QIcon(pixmap(name, colour, size))
