"""The tool in hand, its brush, and where it takes from. No widget."""

from dataclasses import dataclass, replace

from lather.core.brush.values import SIZE_RANGE_PX, Brush
from lather.core.job.model import COPY_MODES, TOOLS

START = {
    "dab": Brush(size_px=26, edge=0.15),
    "carry": Brush(size_px=40, edge=0.5, flow=0.6),
    "copy": Brush(size_px=30, edge=0.5, flow=0.6),
    "give_back": Brush(size_px=60, edge=0.7, flow=0.6),
}
TOOL_LABELS = {"dab": "Dab", "carry": "Carry", "copy": "Copy", "give_back": "Give back"}
TOOL_HINTS = {
    "dab": "touch a spot; Lather finds the skin to use",
    "carry": "chosen skin, its tone fitted to the place",
    "copy": "chosen pixels as they are",
    "give_back": "the original returns",
}


@dataclass
class BrushState:
    """source: place (x, y) last taken with A and touch. offset: set by the first stroke while aligned."""

    tool: str = "dab"
    mode: str = COPY_MODES[0]
    aligned: bool = True
    source: tuple[float, float] | None = None
    offset: tuple[int, int] | None = None

    def __post_init__(self):
        self.brushes = dict(START)

    @property
    def brush(self) -> Brush:
        return self.brushes[self.tool]

    def change(self, **values) -> None:
        """Set values of the brush in hand, kept inside their ranges."""
        if "size_px" in values:
            values["size_px"] = min(SIZE_RANGE_PX[1], max(SIZE_RANGE_PX[0], values["size_px"]))
        for name in ("edge", "ceiling", "flow"):
            if name in values:
                values[name] = min(1.0, max(0.0, values[name]))
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

    def next_tool(self) -> str:
        self.tool = TOOLS[(TOOLS.index(self.tool) + 1) % len(TOOLS)]
        return self.tool
