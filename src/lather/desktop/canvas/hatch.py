"""A map of the whole picture laid over it as a hatch in the accent colour, never as a coloured film."""

from typing import TYPE_CHECKING

import cv2
import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QImage, QPainter

from lather.desktop.theme.tokens import theme

if TYPE_CHECKING:
    from lather.desktop.canvas.canvas import PhotoCanvas

_HATCH_PX, _LONG_SIDE, _ALPHA = 7, 2000, 170


def hatched(share: np.ndarray, *, dense_from: float | None = None) -> QImage:
    """Diagonal lines where a map (h, w) is set; premultiplied ARGB. dense_from: wider lines where it is more, from
    that share on.
    """
    dense = dense_from is not None
    side = max(1, round(_LONG_SIDE / max(share.shape))) if dense else 2
    wide = cv2.resize(np.float32(share), None, fx=side, fy=side, interpolation=cv2.INTER_NEAREST)
    ys, xs = np.mgrid[: wide.shape[0], : wide.shape[1]]
    at = (xs + ys) % (2 * _HATCH_PX)
    line = at < (np.where(wide > dense_from, 2 + 5 * wide, 0) if dense else np.where(wide > 0, 3, 0))
    colour = theme().accent.lstrip("#")
    r, g, b = (int(colour[i : i + 2], 16) for i in (0, 2, 4))
    pixels = np.zeros((*wide.shape, 4), np.uint8)
    pixels[line] = (b * _ALPHA // 255, g * _ALPHA // 255, r * _ALPHA // 255, _ALPHA)
    height, width = wide.shape
    return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_ARGB32_Premultiplied).copy()


def draw_hatch(painter: QPainter, canvas: "PhotoCanvas", hatch: QImage) -> None:
    """Over the whole photo."""
    top, bottom = canvas.to_screen(0, 0), canvas.to_screen(canvas.picture.x1, canvas.picture.y1)
    painter.drawImage(QRectF(top, bottom), hatch)
