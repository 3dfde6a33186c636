"""The tool in hand, its brush, and where it takes from. No widget."""

from dataclasses import dataclass, field, replace

from lather.core import ranges
from lather.core.brush.cards import BrushCard
from lather.core.brush.values import Brush
from lather.core.job.fence import Fence
from lather.core.job.source_map import SourceTurn
from lather.core.stages.mend.stage import TOOLS as MEND_TOOLS
from lather.core.tools.registry import TOOLS

_RANGES = {
    "size_px": ranges.BRUSH_SIZE_PX, "edge": ranges.SHARE, "ceiling": ranges.BRUSH_CEILING, "flow": ranges.BRUSH_FLOW,
}
_USUAL_FACE_PX = 800.0  # width of a face for which the starting sizes are made
_LEAST_TIMES, _LEAST_SIZE_PX = 0.15, 4

@dataclass
class BrushState:
    """source: place (x, y) last taken with A and touch. offset: set by the first stroke while aligned.

    turn: mirror, rotation and scale of what is taken; its pivot is set with the offset. fence: confines all strokes.
    own_texture: Copy in Mend takes the tone only. other_side: tools that can act on the other side of the face as well.
    spares: tools for skin stay off lips, eyes, brows, hair and keepers.
    """

    tool: str = "dab"
    aligned: bool = True
    own_texture: bool = False
    source: tuple[float, float] | None = None
    offset: tuple[int, int] | None = None
    turn: SourceTurn = field(default_factory=SourceTurn)
    fence: Fence | None = None
    fence_feather_px: float = 6.0
    tools: tuple[str, ...] = MEND_TOOLS
    area_feather_px: float = 32.0
    other_side: bool = True
    spares: bool = True

    def __post_init__(self):
        self.brushes = {tool.id: tool.brush for tool in TOOLS.values()}
        self._touched: set[str] = set()
        self._face_times = 1.0
        self._modes: dict[tuple[str, ...], str] = {}

    def fit_to_face(self, face_px: float) -> None:
        """Starting sizes that suit a face of this width; brushes that were changed by hand stay as they are."""
        self._face_times = max(_LEAST_TIMES, face_px / _USUAL_FACE_PX)
        for tool in TOOLS.values():
            if tool.id not in self._touched:
                self.brushes[tool.id] = replace(tool.brush, size_px=self.usual_size(tool.id))

    def usual_size(self, tool: str) -> float:
        """The size that a tool starts with on this face."""
        size_px = TOOLS[tool].brush.size_px * self._face_times
        return max(round(ranges.BRUSH_SIZE_PX.hold(size_px)), _LEAST_SIZE_PX)

    def start_with(self, tool: str, size_px: float) -> None:
        """A size that the plan proposes; a brush that was changed by hand stays as it is."""
        if tool not in self._touched:
            size_px = ranges.BRUSH_SIZE_PX.hold(round(size_px))
            self.brushes[tool] = replace(self.brushes[tool], size_px=size_px)

    def mode_of(self, tool: str) -> str:
        """Tools with the same choice of modes share it."""
        modes = TOOLS[tool].modes
        return self._modes.get(modes, modes[0]) if modes else "any"

    @property
    def mode(self) -> str:
        """Of the tool in hand."""
        return self.mode_of(self.tool)

    @mode.setter
    def mode(self, mode: str) -> None:
        if mode in TOOLS[self.tool].modes:
            self._modes[TOOLS[self.tool].modes] = mode

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
        return TOOLS[self.tool].by_choice

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
    def mirrors(self) -> bool:
        """True where the tool in hand acts on both sides of the face."""
        return self.other_side and TOOLS[self.tool].mirrors

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
