"""What a gauge is."""

from collections.abc import Callable
from dataclasses import dataclass

from lather.core.gauges.compared import Compared
from lather.core.phrases import worded
from lather.core.types import Mask


@dataclass(frozen=True)
class Gauge:
    """label, unit: as shown. measure(pictures): its value, None where it cannot be told. track: value at the end of the
    track on the desk. written: how a value is written. limit_times: a limit in limits.json times this is in the unit.

    lowered_by: what a person could do where it is out of its band. where(pictures): its map on the picture, a mask 0-1
    at the size of `measures.small`, None where there is none. stages: those that can be to blame, () for all. untold:
    why it cannot be told, where it cannot.
    """

    id: str
    label: str
    unit: str
    measure: Callable[[Compared], float | None]
    track: float = 130.0
    written: str = "{:.0f} %"
    limit_times: float = 1.0
    lowered_by: str = "turning down the layer that did it"
    where: Callable[[Compared], Mask | None] | None = None
    stages: tuple[str, ...] = ()
    untold: str = "there is too little skin to tell"

    def __post_init__(self):
        worded(self, "label", "lowered_by", "untold")
