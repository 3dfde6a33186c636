"""Remarks pinned on the photo: drawn where they belong, told at the pointer."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from lather.core.job.brief import JobSheet, Remark
from lather.core.job.model import Job
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_tag
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme

_SIDE_PX, _NEAR_PX = 18, 16


def open_remarks(job: Job) -> list[tuple[int, Remark]]:
    """(number, remark) of those pinned somewhere and not done yet; numbers count all remarks."""
    return [(number, one) for number, one in enumerate(JobSheet.of(job.brief).remarks, 1)
            if one.x is not None and not one.done]


def draw_remarks(painter: QPainter, canvas: PhotoCanvas, job: Job) -> None:
    """A numbered square at each place; the words of the one under the pointer beside it."""
    remarks = open_remarks(job)
    if not remarks:
        return
    near = None
    painter.setFont(font(SMALL_PT, strong=True))
    for number, remark in remarks:
        at = canvas.to_screen(remark.x, remark.y)
        box = QRectF(at.x() - _SIDE_PX / 2, at.y() - _SIDE_PX / 2, _SIDE_PX, _SIDE_PX)
        painter.setPen(QPen(QColor("#ffffff"), 1.5))
        painter.setBrush(QColor(theme().near_text if theme().name == "light" else theme().near))
        painter.drawRoundedRect(box, 4, 4)
        painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), str(number))
        if canvas.pointer is not None and (canvas.pointer - at).manhattanLength() < _NEAR_PX:
            near = (at, remark)
    if near is not None:
        at, remark = near
        who = f" – {remark.who}" if remark.who else ""
        draw_tag(painter, at.x() + 14, at.y(), f"{remark.text[:90]}{'…' if len(remark.text) > 90 else ''}{who}")
