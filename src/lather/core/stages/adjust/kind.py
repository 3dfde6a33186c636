"""A layer kind that changes colour or light by declared parameters, as far as its mask goes."""

from abc import abstractmethod
from typing import ClassVar

from lather.core.job.model import Layer
from lather.core.parameters import Parameter, starting
from lather.core.phrases import as_words
from lather.core.stages.adjust.mask import MASK_PARAMETERS, painted, start_of
from lather.core.stages.base import Step, Surroundings
from lather.core.stages.maps.kind import MapKind
from lather.core.stages.maps.store import Start
from lather.core.types import EncodedRGB, Mask, Rect

MASK_TOOLS = ("mask", "unmask", "mask_area", "grow")


class AdjustmentKind(MapKind):
    """Subclasses give `id`, `label`, `own` parameters, `neutral` and `applied`.

    hint: what it is for, one line. icon: name of its icon. mask: settings of a new layer's mask. tools: all that can
    be done on its layers, the one to begin with first. by_face: what it does depends on where the faces are,
    whatever its mask.
    """

    label: ClassVar[str]
    hint: ClassVar[str] = ""
    icon: ClassVar[str] = "mask"
    own: ClassVar[tuple[Parameter, ...]] = ()
    mask: ClassVar[dict] = painted()
    tools: ClassVar[tuple[str, ...]] = MASK_TOOLS
    by_face: ClassVar[bool] = False

    def __init_subclass__(cls, **kwargs):
        super().__init_subclass__(**kwargs)
        cls.parameters = (*MASK_PARAMETERS, *cls.own)
        for name in ("label", "hint"):
            if name in vars(cls):
                setattr(cls, name, as_words(vars(cls)[name], "AdjustmentKind"))

    @classmethod
    def new_settings(cls) -> dict:
        """Settings of a new layer, before anything is measured."""
        return starting(cls.own) | cls.mask

    @abstractmethod
    def neutral(self, layer: Layer) -> bool:
        """True where the parameters leave every pixel as it is."""

    @classmethod
    def said(cls, layer: Layer) -> str:
        """What it does, in a few words, for lists."""
        return ""

    def value(self, layer: Layer, name: str) -> object:
        """A setting, or what it starts with."""
        if name in layer.settings:
            return layer.settings[name]
        return next((one.start for one in self.own if one.id == name and hasattr(one, "start")), None)

    # the protocol

    def acts(self, layer: Layer) -> bool:
        return super().acts(layer) and not self.neutral(layer)

    def start(self, around: Surroundings, layer: Layer) -> Start:
        return start_of(around, layer)

    def fingerprint(self, around: Surroundings, step: Step, rect: Rect) -> bytes:
        own = super().fingerprint(around, step, rect)
        if not self.by_face:
            return own
        return own + b"".join(face.digest for face in around.faces) + (around.zones.digest if around.zones else b"")

    def starts(self, layer: Layer) -> bool:
        return bool(layer.settings.get("everywhere") or layer.settings.get("zones"))

    def turned(self, layer: Layer) -> bool:
        """True if it acts where its mask is not."""
        return bool(layer.settings.get("turned"))

    @abstractmethod
    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        """As `MapKind.applied`. Nothing clips that was not clipped before, unless the parameters ask for it."""
