"""What a stage may have of its own on the desk. A stage that has nothing gets `plain.PlainPart`."""

from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QWidget

from lather.core.job.model import Job, Stroke
from lather.core.stages.info import StageInfo
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.controls.beside.photo_measuring import Measured
from lather.desktop.controls.finds.finds import FindsControl
from lather.desktop.controls.painting.stroke import StrokeControl
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob


@dataclass(frozen=True)
class DeskParts:
    """What stands on the desk whatever the stage."""

    canvas: PhotoCanvas
    job: OpenJob
    found: FindsControl
    measured: Measured
    strokes: StrokeControl


class StagePart(QObject):
    """panel: its box under the layers, or None. empty: what its list says while nothing is on the layer in hand.

    list_name, list_panel: a list of its own at the left, in the place of the finds; a box without one has none.
    choice_panel: what stands above the lists. strip: what stands beside the tools, in the place of the build-up graph.

    `message(text)` for the person; `going_on(text)` what takes long, "" when it is done; `tool_wanted(tool)` where
    another one is to be in hand.
    """

    message = pyqtSignal(object)
    going_on = pyqtSignal(object)
    tool_wanted = pyqtSignal(object)
    empty = "Nothing on this layer yet."
    hint = ""
    list_name = ""

    def __init__(self, info: StageInfo, desk: DeskParts, parent: QObject | None = None):
        super().__init__(parent)
        self.info, self.desk = info, desk
        self.canvas, self.job = desk.canvas, desk.job
        self.panel: QWidget | None = None
        self.list_panel: QWidget | None = None
        self.choice_panel: QWidget | None = None
        self.strip: QWidget | None = None

    @property
    def in_hand(self) -> bool:
        return self.job.stage_id == self.info.id

    def show_job(self) -> None:
        """Show the values of the layer in hand; called while the stage is in hand."""

    def said(self, job: Job) -> str:
        """What to do next here, while nothing more urgent is to be said; "" for nothing."""
        return self.hint

    def empty_text(self) -> str:
        return self.empty

    def proposes(self) -> bool:
        """True while something is chosen that has no layer yet: the first change or stroke makes one."""
        return False

    def tools(self) -> tuple[str, ...]:
        """What the strip offers now."""
        return self.info.tools_for(self.job.layer)

    def new_layer_kind(self) -> str:
        """Kind of a new layer."""
        return self.info.kind.id

    def new_layer_name(self) -> str:
        return self.info.first_layer_name

    def new_layer_settings(self) -> dict:
        """Settings of a new layer."""
        return {}

    def new_layer_fence(self) -> object:
        """Fence of a new layer, or None."""
        return None

    def pen_event(self, event: PenEvent) -> bool:
        """True if the event was for the stage itself and not for the brush."""
        return False

    def hovered(self, event: PenEvent) -> None:
        """The pointer moved over the photo, pen up; called while the stage is in hand."""

    def begun(self, stroke: Stroke) -> Stroke | None:
        """A stroke of this stage as it is to begin; None, and a word why, where it may not."""
        return stroke

    def pointer_text(self) -> str:
        """What is told at the pointer; "" for what is told in every stage."""
        return ""

    def measured_size(self, x: float, y: float) -> float | None:
        """Brush size (px) for what lies at a place, by what this stage knows of it; None where it knows nothing."""
        return None

    def chosen(self) -> None:
        """The stage was taken in hand."""

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        """Lay something over the photo, in device pixels; called while the stage is in hand."""

    def takes_pointer(self) -> bool:
        """True where `draw` shows the pointer itself."""
        return False

    def decide(self, action: str) -> bool:
        """One of the keys for finds (mend_find, skip_find, next_find, previous_find); True if it was for the stage."""
        return False

    def set_low(self, low: bool) -> None:
        """The window is low: what stands above the lists takes less room."""

    def act(self, action: str) -> bool:
        """A key that only some stages know (turn_mask, show_mask); True if it was for this stage."""
        return False

    def give_up(self) -> None:
        """Esc: drop what was begun on the photo."""

    def again(self) -> bool:
        """The key F: the last step once more, or another way. True if it was for this stage."""
        return False

    def idle(self) -> bool:
        return True

    def close(self) -> None:
        """The job is closed."""
