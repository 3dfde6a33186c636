"""The tool in hand, its brush, and where it takes from. No widget."""

from dataclasses import dataclass, field, replace

from lather.core import ranges
from lather.core.brush.cards import BrushCard
from lather.core.brush.values import Brush
from lather.core.job.fence import Fence
from lather.core.job.model import COPY_MODES, MEND_TOOLS
from lather.core.job.source_map import SourceTurn

START = {
    "dab": Brush(size_px=26, edge=0.15),
    "carry": Brush(size_px=40, edge=0.5, flow=0.6),
    "copy": Brush(size_px=30, edge=0.5, flow=0.6),
    "sweep": Brush(size_px=90, edge=0.8, ceiling=0.14, flow=0.14),
    "graft": Brush(size_px=60, edge=0.3),
    "blend_in": Brush(size_px=30, edge=0.4, flow=0.9),
    "drag": Brush(size_px=40, edge=0.6, flow=0.6),
    "give_back": Brush(size_px=60, edge=0.7, flow=0.6),
    "strand": Brush(size_px=14, edge=0.0),
    "area": Brush(size_px=10, edge=0.0),
    "mix": Brush(size_px=110, edge=0.9, ceiling=0.4, flow=0.12),
    "veil": Brush(size_px=160, edge=0.9, flow=0.5),
    "grain": Brush(size_px=120, edge=0.8, flow=0.6),
}
WAITING_TOOLS = ("dab", "strand")  # laid down when the pen is lifted: what to do is looked for first
WHOLE_TOOLS = ("dab", "graft", "strand", "area")  # laid down whole, without flow
TOOL_LABELS = {
    "dab": "Dab", "carry": "Carry", "copy": "Copy", "sweep": "Sweep", "graft": "Graft", "blend_in": "Blend-in",
    "drag": "Drag", "give_back": "Give back", "strand": "Strand", "area": "Area", "mix": "Mix", "veil": "Veil",
    "grain": "Grain",
}
_RANGES = {
    "size_px": ranges.BRUSH_SIZE_PX, "edge": ranges.SHARE, "ceiling": ranges.BRUSH_CEILING, "flow": ranges.BRUSH_FLOW,
}
_USUAL_FACE_PX = 800.0  # width of a face for which the starting sizes are made
_LEAST_TIMES, _LEAST_SIZE_PX = 0.15, 4
TOOL_HINTS = {
    "dab": "touch a spot; Lather finds the skin to use",
    "carry": "chosen skin, its tone fitted to the place",
    "copy": "chosen pixels as they are",
    "sweep": "low-opacity smoothing along the form; every stroke takes its skin anew",
    "graft": "draw an outline; Lather proposes the skin, drag it where it fits best",
    "blend_in": "paints the colour measured around the place",
    "drag": "pulls pixels along under the pen",
    "give_back": "the original returns",
    "strand": "paint along a hair; Lather lays the path on it and clears it",
    "area": "draw an outline; the tone inside is smoothed, nothing comes in from outside",
    "mix": "takes up tone, carries it along and blends it in, drying as it goes",
    "veil": "paints in a smoothing that keeps edges",
    "grain": "paints grain of the photo's own kind",
}


@dataclass
class BrushState:
    """source: place (x, y) last taken with A and touch. offset: set by the first stroke while aligned.

    turn: mirror, rotation and scale of what is taken; its pivot is set with the offset. fence: confines all strokes.
    own_texture: Copy in Mend takes the tone only.
    """

    tool: str = "dab"
    mode: str = COPY_MODES[0]
    aligned: bool = True
    own_texture: bool = False
    source: tuple[float, float] | None = None
    offset: tuple[int, int] | None = None
    turn: SourceTurn = field(default_factory=SourceTurn)
    fence: Fence | None = None
    fence_feather_px: float = 6.0
    tools: tuple[str, ...] = MEND_TOOLS
    area_mode: str = "any"
    area_feather_px: float = 32.0

    def __post_init__(self):
        self.brushes = dict(START)
        self._touched: set[str] = set()

    def fit_to_face(self, face_px: float) -> None:
        """Starting sizes that suit a face of this width; brushes that were changed by hand stay as they are."""
        for tool, brush in START.items():
            if tool not in self._touched:
                size_px = round(ranges.BRUSH_SIZE_PX.hold(brush.size_px * max(_LEAST_TIMES, face_px / _USUAL_FACE_PX)))
                self.brushes[tool] = replace(brush, size_px=max(size_px, _LEAST_SIZE_PX))

    @property
    def brush(self) -> Brush:
        return self.brushes[self.tool]

    def change(self, **values) -> None:
        """Set values of the brush in hand, kept inside their ranges."""
        for name in set(values) & set(_RANGES):
            values[name] = _RANGES[name].hold(values[name])
        self._touched.add(self.tool)
        self.brushes[self.tool] = replace(self.brush, **values)

    @property
    def needs_source(self) -> bool:
        return self.tool in ("carry", "copy")

    def take(self, x: float, y: float) -> None:
        self.source, self.offset = (x, y), None

    def offset_at(self, x: float, y: float) -> tuple[int, int] | None:
        """From a place to its source, in whole pixels, so that no pixel has to be resampled."""
        if self.offset is not None and self.aligned:
            return self.offset
        if self.source is None:
            return None
        return round(self.source[0] - x), round(self.source[1] - y)

    @property
    def may_keep_texture(self) -> bool:
        """True where Copy can take the tone only: a layer of Split holds one band as it is."""
        return self.tool == "copy" and self.tools == MEND_TOOLS

    @property
    def takes_tone_only(self) -> bool:
        return self.own_texture and self.may_keep_texture

    def turned(self, x: float, y: float) -> SourceTurn | None:
        """The turn for a stroke that begins at (x, y); None for a plain shift."""
        if not self.needs_source or self.turn.plain:
            return None
        fixed = self.offset is not None and self.aligned
        return self.turn if fixed else replace(self.turn, pivot=(x, y))

    def align(self, offset: tuple[int, int], turn: SourceTurn) -> None:
        """Take a source that was brought onto the place by two landmarks."""
        self.offset, self.turn, self.aligned = offset, turn, True
        self.source = (turn.pivot[0] + offset[0], turn.pivot[1] + offset[1])

    def use_card(self, card: BrushCard) -> None:
        if card.tool not in self.tools:
            return
        self.tool, self.mode, self.own_texture = card.tool, card.mode, card.own_texture
        self._touched.add(card.tool)
        self.brushes[card.tool] = card.brush

    def next_tool(self) -> str:
        self.tool = self.tools[(self.tools.index(self.tool) + 1) % len(self.tools)]
        return self.tool

    def offer(self, tools: tuple[str, ...]) -> None:
        """Only these tools can be taken; the one in hand stays if it is among them."""
        self.tools = tools
        if self.tool not in tools:
            self.tool = tools[0]
