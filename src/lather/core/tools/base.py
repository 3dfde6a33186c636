"""What a tool is, told once: the brush strip, the pointer, strokes and stages all go by it."""

from dataclasses import dataclass, field

from lather.core.brush.values import Brush
from lather.core.phrases import worded


@dataclass(frozen=True)
class Tool:
    """id: its word in job files. hint: one line on what it does to skin. icon: name of its icon, "" for the id's own.

    brush: the one it starts with, in pixels of a face 800 px wide. by_outline: its points are the corners of an
    outline. whole: laid down whole, without flow. waits: laid down when the pen is lifted, as what to do is looked for
    first. takes: pixels from elsewhere, so it needs an offset; by_choice: the person chooses where. heals: its tone is
    fitted to the surroundings by a membrane. modes: what `Stroke.mode` may be, the first one to start with; none where
    it has no choice. mends: a find that it covers counts as mended. lays_over_keepers: it may harm a mark that is to
    stay. shifted: the tool that it is while Shift is held. mirrors: it can act on the other side of the face as well.
    spares: it is for skin, and stays off lips, eyes, brows, hair and keepers (`people.guard`) unless the person says
    otherwise. smooths: it washes over edges, so it stays off the jaw and the wings of a nose as well. lays: False for
    one that lays no edit down, but says what a layer goes by.
    """

    id: str
    label: str
    hint: str
    brush: Brush = field(default_factory=Brush)
    by_outline: bool = False
    whole: bool = False
    waits: bool = False
    takes: bool = False
    by_choice: bool = False
    heals: bool = False
    modes: tuple[str, ...] = ()
    mends: bool = True
    lays_over_keepers: bool = True
    shifted: str = "give_back"
    mirrors: bool = False
    lays: bool = True
    spares: bool = False
    smooths: bool = False
    icon: str = ""

    def __post_init__(self):
        worded(self, "label", "hint")

    @property
    def icon_name(self) -> str:
        """Of its file in the theme's icons."""
        return self.icon or self.id
