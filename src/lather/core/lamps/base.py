"""What a lamp is."""

from abc import ABC, abstractmethod
from typing import ClassVar

from lather.core.parameters import Number
from lather.core.phrases import as_words
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Rect


class Lamp(ABC):
    """Shows something of a picture more clearly.

    settings: plain values, as the desk gives them: `width_px` of the split, `face_px` (width of the face, 0 if none),
    `skin_lab` (usual colour of the skin, or None), and `strength` as the person has set it. strength: what it may be,
    or None.
    """

    id: ClassVar[str]
    label: ClassVar[str]
    hint: ClassVar[str]
    strength: ClassVar[Number | None] = None

    def __init_subclass__(cls, **kwargs):
        super().__init_subclass__(**kwargs)
        for name in ("label", "hint"):
            if name in vars(cls):
                setattr(cls, name, as_words(vars(cls)[name], "Lamp"))

    def strength_of(self, settings: dict) -> float:
        """The strength the person has set, or the one it starts with."""
        return float(settings.get("strength", self.strength.start))

    def reach(self, settings: dict) -> int:
        """Level-0 pixels around a place that it looks at."""
        return 0

    @abstractmethod
    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        """What is seen of `around.below`: a new float32 (h, w, 3) for a rectangle of a level."""


class ViewLamp(Lamp):
    """Shows the picture itself from elsewhere, or at another size: the desk does it, no pixel is another."""

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        return around.below(rect, level)
