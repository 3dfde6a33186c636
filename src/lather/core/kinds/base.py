"""What is known of a kind of find before any is found: how it is called, and how it is mended."""

from dataclasses import dataclass

from lather.core.phrases import worded

A_MARK = (
    "A mark on the skin is the client's to ask a doctor about: Lather judges looks, not health. "
    "It stays unless they want it gone."
)


@dataclass(frozen=True)
class FindKind:
    """stage: takes it away when nobody says otherwise; also_in: stages that list it too. keeper: belongs to the person
    and is proposed to stay. softened: belongs to the person too, and is mended at part strength on a layer of its own,
    named after layer_name ("{where}": left or right; "{zone}": where it lies). by_hand: it is listed, but no edit is
    proposed. caution: one sentence where it matters.

    size: brush size over the find's, and pixels more; None for the usual one. edge: of that brush, None for the usual
    one. measured: unit of its contrast. sign: of what is different, where that is told, else 0. checked: its mend is
    held against its surroundings; what is a line of a pixel or two has no tone of its own.
    """

    id: str
    label: str
    stage: str = "mend"
    also_in: tuple[str, ...] = ()
    keeper: bool = False
    softened: bool = False
    layer_name: str = ""
    by_hand: bool = False
    caution: str = ""
    size: tuple[float, float] | None = None
    edge: float | None = None
    measured: str = "ΔE"
    sign: int = 0
    checked: bool = True

    def __post_init__(self):
        worded(self, "label", "layer_name", "caution")
