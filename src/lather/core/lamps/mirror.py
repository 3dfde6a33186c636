"""Mirror: left and right changed round, so that a face one has got used to is seen anew."""

from typing import ClassVar

from lather.core.lamps.base import ViewLamp


class MirrorLamp(ViewLamp):
    """The desk turns left and right round."""

    id: ClassVar[str] = "mirror"
    label: ClassVar[str] = "Mirror"
    hint: ClassVar[str] = "Left and right changed round: what the eye has got used to is seen anew"
