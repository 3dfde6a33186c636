"""Delivered: the picture as large as it will be delivered, a pixel for a pixel."""

from typing import ClassVar

from lather.core.lamps.base import ViewLamp
from lather.core.parameters import Number
from lather.core.ranges import Range


class DeliveredLamp(ViewLamp):
    """The desk shows one pixel of the delivered picture for one of the screen."""

    id: ClassVar[str] = "delivered"
    label: ClassVar[str] = "Delivered"
    hint: ClassVar[str] = "As large as it is delivered, a pixel for a pixel: what does not show here need not be mended"
    strength: ClassVar[Number] = Number("strength", "Long edge", Range(300.0, 20000.0, "px"), 2000.0, "px", 10.0, True)
