"""What a stage method must offer to the engine."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from lather.core.job.model import Layer
from lather.core.types import EncodedRGB, Rect

Pixels = Callable[[Rect, int], EncodedRGB]
"""`pixels(rect, level)`: float32 (h, w, 3) of a rectangle that lies inside the picture at that level."""

Fingerprint = Callable[[Rect], bytes]
"""`fingerprint(rect)`: hash of everything the pixels of a level-0 rectangle depend on."""


@dataclass(frozen=True)
class Surroundings:
    """What a layer may look at: the picture beneath it, the input of its whole stage, and the photo itself.

    `beneath` names what lies under this layer: the layers themselves and the strengths of the stages they close.
    While `same_beneath` holds, `below` is the same.
    """

    bounds: Rect
    below: Pixels
    below_fingerprint: Fingerprint
    beneath: tuple
    stage_input: Pixels
    photo: Pixels


class LayerKind(Protocol):
    """A method of a stage. Pure: the same layer over the same pixels gives the same picture.

    `render` gives the layer at full strength; the engine mixes it by the layer's strength. A kind whose layers add
    something to the picture beneath may offer `add_to(out, around, layer, rect, level, strength)`, which adds it in
    place: no copy and no mixing is then needed.
    """

    id: str

    def halo(self, layer: Layer, level: int) -> int:
        """Pixels of surrounding (at `level`) that a rectangle's result may depend on, through `below`."""

    def touches(self, layer: Layer, rect: Rect) -> bool:
        """True if the layer may change pixels of a level-0 rectangle."""

    def fingerprint(self, around: Surroundings, layer: Layer, rect: Rect) -> bytes:
        """Hash of what the layer does inside a level-0 rectangle."""

    def render(self, around: Surroundings, layer: Layer, rect: Rect, level: int) -> EncodedRGB:
        """The layer's picture at full strength: a new float32 (h, w, 3) for a rectangle of a level."""


def same_beneath(a: tuple, b: tuple) -> bool:
    """True if two `Surroundings.beneath` name the same picture (layers are compared by identity: they are frozen)."""
    return len(a) == len(b) and all(x is y or (type(x) is tuple and x == y) for x, y in zip(a, b))
