"""What a layer kind offers: to the engine, to saving, and to the hand that paints.

They know no stage by name. A kind is pure: the same layers over the same pixels give the same picture. It inherits from
`LayerKind`, which does nothing where nothing is said, and gives at least `id`, `touches`, `fingerprint` and `render`.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar, Protocol

import cv2
import numpy as np

from lather.core.imageio.jpeg_blocks import Blocks
from lather.core.job.face_map import FaceMap
from lather.core.job.model import Job, Layer, Stage, Stroke, acts_by_itself
from lather.core.job.part_strokes import PartStroke
from lather.core.parameters import Parameter
from lather.core.types import EMPTY, EncodedRGB, Mask, Rect

if TYPE_CHECKING:
    from lather.core.engine.engine import Engine

Pixels = Callable[[Rect, int], EncodedRGB]
"""`pixels(rect, level)`: float32 (h, w, 3) of a rectangle that lies inside the picture at that level."""

Fingerprint = Callable[[Rect], bytes]
"""`fingerprint(rect)`: hash of everything the pixels of a level-0 rectangle depend on."""


class Warp(Protocol):
    """A displacement of the picture. Everything that is kept is kept in the photo's coordinates, which lie below.

    largest: (px, x, y) of the largest move, and where it starts on the photo.
    """

    largest: tuple[float, float, float]

    def to_below(self, xy: np.ndarray) -> np.ndarray:
        """Places (…, 2) of the picture after it, in the photo."""

    def to_above(self, xy: np.ndarray) -> np.ndarray:
        """Its inverse."""

    def reads(self, rect: Rect) -> Rect:
        """Level-0 pixels below that a level-0 rectangle above is made of."""

    def spreads(self, rect: Rect) -> Rect:
        """Level-0 pixels above that a level-0 rectangle below reaches."""

    def resample(self, read: Pixels, rect: Rect, level: int) -> EncodedRGB:
        """What `read` shows, moved: a rectangle of a level above."""

    def growth(self, rect: Rect, level: int) -> Mask:
        """Area of what is shown at a rectangle of a level above, against its area on the photo."""


class Zones(Protocol):
    """Soft masks of the zones that a mask may start from (`stages.adjust.zones`). digest: names what was corrected."""

    digest: bytes

    def labels(self, faces: tuple[FaceMap, ...], rect: Rect, level: int) -> np.ndarray:
        """Number of the part (`job.part_strokes.PART_NAMES`) that each pixel of a rectangle of a level is."""

    def corrected(self, part_strokes: tuple[PartStroke, ...]) -> "Zones":
        """The same, as a job corrects the parts of the photo."""

    def mask(self, zone: str, faces: tuple[FaceMap, ...], rect: Rect, level: int) -> Mask:
        """Share 0-1 of a zone over a rectangle of a level, on the photo: float32 (h, w), a new array."""


class Still:
    """Nothing is moved."""

    largest = (0.0, 0.0, 0.0)

    def to_below(self, xy: np.ndarray) -> np.ndarray:
        """Places as they are."""
        return xy

    to_above = to_below

    def reads(self, rect: Rect) -> Rect:
        """The rectangle itself."""
        return rect

    spreads = reads

    def resample(self, read: Pixels, rect: Rect, level: int) -> EncodedRGB:
        """Pixels as they are."""
        return read(rect, level)

    def growth(self, rect: Rect, level: int) -> Mask:
        """1 everywhere: no place gained or lost area."""
        return np.ones((rect.height, rect.width), np.float32)


STILL = Still()


@dataclass(frozen=True)
class Step:
    """What is computed in one go, in the order of the course: one active layer, or, of a kind that folds, all active
    layers of its stage. `first` opens the stage, `last` closes it. bounds: of the photo.
    """

    stage: Stage
    layers: tuple[Layer, ...]
    first: bool = True
    last: bool = True
    bounds: Rect = EMPTY

    @property
    def layer(self) -> Layer:
        """The layer it renders; of several that are folded, the topmost."""
        return self.layers[-1]

    @property
    def strength(self) -> float:
        """Of its layer, 0-1."""
        return self.layer.strength

    def same_as(self, other: "Step") -> bool:
        """True if both give the same picture over the same one (layers are frozen: identity is enough)."""
        return (
            len(self.layers) == len(other.layers) and all(a is b for a, b in zip(self.layers, other.layers))
            and (self.stage.strength, self.first, self.last) == (other.stage.strength, other.first, other.last)
        )


@dataclass(frozen=True)
class Surroundings:
    """What a step may look at: the picture beneath it, the input of its whole stage, and the photo itself.

    `beneath` names what lies under the step: the layers themselves and the strengths of the stages they close. While
    `same_beneath` holds, `below` is the same. stage_fingerprint: of the input of the stage. warp: how the steps beneath
    have moved the photo; `photo` is moved alike. faces, job_kind: of the job. draft: it is looked at for a moment only.
    zones: where skin, lips, hair … lie on the photo, None where nobody looks for them. blocks: that JPEG left in it.
    """

    bounds: Rect
    below: Pixels
    below_fingerprint: Fingerprint
    beneath: tuple
    stage_input: Pixels
    stage_fingerprint: Fingerprint
    photo: Pixels
    warp: Warp = STILL
    faces: tuple[FaceMap, ...] = ()
    job_kind: str | None = None
    draft: bool = False
    zones: Zones | None = None
    blocks: Blocks | None = None


@dataclass(frozen=True)
class Finished:
    """What came of a stroke: the edit, and how well it fits (0-1); or None, and a sentence that says why."""

    edit: Stroke | None
    fit: float = 0.0
    message: str = ""


class LiveEdit(ABC):
    """The stroke under the pen. laid: all that it has reached. settled: what was laid first follows what came later.

    disagreement: how badly its border fits, 0-1. nothing: why it laid nothing down, if it did not. stand_in: a picture
    of half the size may stand in until it is settled.
    """

    laid: Rect
    settled = True
    disagreement = 0.0
    nothing = ""
    stand_in = False

    @abstractmethod
    def extend(self, points: np.ndarray, *, paint: bool = True) -> Rect:
        """Take new points (n, 4) and return the level-0 rectangle whose pixels changed. paint=False: nothing shows."""

    def settle(self) -> Rect:
        """Work the whole stroke out as it will be when the pen is lifted; returns what may have changed."""
        self.settled = True
        return Rect(0, 0, 0, 0)

    @abstractmethod
    def pixels(self, rect: Rect, level: int) -> EncodedRGB:
        """The picture of the step with the stroke, at the strength of its layer: a new array."""

    @abstractmethod
    def finish(self, points: np.ndarray) -> Finished:
        """The edit to be added to the layer. points: (n, 4), all that were given."""


@dataclass(frozen=True)
class Painting:
    """Where a stroke is painted. job: as it was before. step: its layer with the stroke as the last edit."""

    engine: "Engine"
    job: Job
    step: Step
    around: Surroundings
    stroke: Stroke

    @property
    def layer_id(self) -> str:
        """Of the layer that is painted on."""
        return self.step.layer.id


class LayerKind(ABC):
    """A method of a stage.

    parameters: the settings of its layers. folds: all active layers of the stage are one step, which takes the stage's
    strength as well: a displacement is scaled, never mixed. prepares: what it works out beforehand (patches, maps of
    the whole picture) takes longer than a frame, so a draft comes first. over_finished: it looks at the finished
    picture, whose tiles are kept. levels_within: how far its reduced picture may be off the picture reduced, as a share
    of the range: what is not linear cannot agree to the last digit. for_skin: what is painted on it stays off lips,
    eyes, brows and hair, wherever a stroke begins (`people.guard`).
    """

    id: ClassVar[str]
    parameters: ClassVar[tuple[Parameter, ...]] = ()
    folds: ClassVar[bool] = False
    prepares: ClassVar[bool] = False
    over_finished: ClassVar[bool] = False
    levels_within: ClassVar[float] = 2e-4
    for_skin: ClassVar[bool] = False

    @classmethod
    def meant_for(cls, layer: Layer) -> tuple[str, ...]:
        """Zones of the face that strokes on a layer keep inside of; none where they may go anywhere."""
        return ()

    def acts(self, layer: Layer) -> bool:
        """False for a layer that would leave the picture as it is."""
        return bool(layer.edits or acts_by_itself(layer))

    def needs(self, step: Step, rect: Rect) -> Rect:
        """Level-0 pixels of its input that a level-0 rectangle may depend on."""
        return rect

    @abstractmethod
    def touches(self, step: Step, rect: Rect) -> bool:
        """True if the step may change pixels of a level-0 rectangle."""

    @abstractmethod
    def fingerprint(self, around: Surroundings, step: Step, rect: Rect) -> bytes:
        """Hash of what the step does inside a level-0 rectangle, its strength left out."""

    @abstractmethod
    def render(self, around: Surroundings, step: Step, rect: Rect, level: int) -> EncodedRGB:
        """The picture after the step, at its layer's strength: a new float32 (h, w, 3) for a rectangle of a level."""

    def prepare(self, around: Surroundings, step: Step, rect: Rect, level: int) -> None:  # noqa: B027 - most need none
        """Work out all that `render` will need of what does not follow from the pixels beneath alone."""

    def warp(self, step: Step) -> Warp:
        """How the step moves the picture."""
        return STILL

    def kept(self, around: Surroundings, step: Step) -> Mapping:
        """What is worth keeping in the job file so that it need not be worked out again: {fingerprint: pieces}."""
        return {}

    def offer(self, kept: Mapping) -> None:  # noqa: B027 - most keep nothing
        """What a job file kept, of any kind."""

    def begun(self, engine: "Engine", job: Job, stage_id: str, stroke: Stroke) -> Stroke:
        """The stroke as it begins, with what is found out at its first touch."""
        return stroke

    @abstractmethod
    def live(self, painting: Painting) -> LiveEdit:
        """The stroke under the pen, on a layer of this kind."""


def mixed(below: EncodedRGB, over: EncodedRGB, strength: float) -> EncodedRGB:
    """`over` laid on `below` at a strength."""
    return over if strength == 1 else cv2.addWeighted(below, 1 - float(strength), over, float(strength), 0)


def same_beneath(a: tuple, b: tuple) -> bool:
    """True if two `Surroundings.beneath` name the same picture (layers are compared by identity: they are frozen)."""
    return len(a) == len(b) and all(x is y or (type(x) is tuple and x == y) for x, y in zip(a, b))
