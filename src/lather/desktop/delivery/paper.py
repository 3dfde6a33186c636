"""Pages on paper: the core's plain HTML laid out by Qt, as PDF or as a picture."""

import base64
import re
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QRectF, QSizeF, Qt, QUrl
from PyQt6.QtGui import QColor, QImage, QPageLayout, QPageSize, QPainter, QPdfWriter, QTextDocument

from lather.core.errors import SaveError
from lather.core.imageio.atomic import write_atomically
from lather.core.phrases import phrase
from lather.desktop.texts import tr

_DPI = 300
_MARGIN_MM = 16.0
_POINTS_PER_INCH, _MM_PER_INCH = 72.0, 25.4
_PICTURE = re.compile(r'src="data:image/jpeg;base64,([^"]+)"')
_FOOT_PT = 14.0
_RIGHT = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom)


def _document(html: str) -> QTextDocument:
    """The pictures inside become resources by number: Qt's rich text reads no long addresses."""
    document = QTextDocument()
    pictures: list[bytes] = []

    def named(found: re.Match) -> str:
        pictures.append(base64.b64decode(found.group(1)))
        return f'src="picture:{len(pictures)}"'

    html = _PICTURE.sub(named, html)
    for number, data in enumerate(pictures, 1):
        document.addResource(QTextDocument.ResourceType.ImageResource.value, QUrl(phrase("picture:%1", number)),
                             QImage.fromData(data))
    document.setHtml(html)
    return document


def write_pdf(html: str, path: str | Path, title: str) -> int:
    """Write an A4 PDF; returns its pages. Raises SaveError."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setResolution(_DPI)
    writer.setTitle(tr(title))
    writer.setCreator("Lather")
    writer.setPageLayout(QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait,
                                     QMarginsF(*[_MARGIN_MM] * 4), QPageLayout.Unit.Millimeter))
    document = _document(html)
    area = writer.pageLayout().paintRect(QPageLayout.Unit.Point)
    page = QSizeF(area.width(), area.height() - _FOOT_PT)
    document.documentLayout().setPaintDevice(None)
    document.setPageSize(page)
    document.setDocumentMargin(0)
    pages = document.pageCount()
    painter = QPainter()
    if not painter.begin(writer):
        raise SaveError("The PDF could not be made; deliver the report as HTML.")
    scale = _DPI / _POINTS_PER_INCH
    for number in range(pages):
        if number:
            writer.newPage()
        painter.save()
        painter.scale(scale, scale)
        painter.translate(0, -number * page.height())
        document.drawContents(painter, QRectF(0, number * page.height(), page.width(), page.height()))
        painter.restore()
        painter.save()
        painter.scale(scale, scale)
        font = document.defaultFont()
        font.setPixelSize(8)
        painter.setFont(font)
        painter.setPen(QColor("#5c6468"))
        foot = tr("%1 · %2 of %3", title, number + 1, pages)
        painter.drawText(QRectF(0, page.height(), page.width(), _FOOT_PT), _RIGHT, foot)
        painter.restore()
    painter.end()
    data = bytes(buffer.data())
    write_atomically(path, lambda file: file.write(data))
    return pages


def write_png(html: str, path: str | Path, width_px: int = 1240) -> None:
    """The whole page as one picture. Raises SaveError."""
    document = _document(html)
    document.setDocumentMargin(28)
    document.setTextWidth(620)
    scale = width_px / 620
    image = QImage(width_px, round(document.size().height() * scale), QImage.Format.Format_RGB32)
    image.fill(0xFFFFFF)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.scale(scale, scale)
    document.drawContents(painter)
    painter.end()
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    data = bytes(buffer.data())
    write_atomically(path, lambda file: file.write(data))
