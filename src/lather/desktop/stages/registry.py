"""What each stage has on the desk, one line each."""

from PyQt6.QtCore import QObject

from lather.core.stages.registry import STAGES
from lather.desktop.stages.base import DeskParts, StagePart
from lather.desktop.stages.colour.part import ColourPart
from lather.desktop.stages.crisp.part import CrispPart
from lather.desktop.stages.even.part import EvenPart
from lather.desktop.stages.finish.part import FinishPart
from lather.desktop.stages.grain.part import GrainPart
from lather.desktop.stages.mend.part import MendPart
from lather.desktop.stages.plain import PlainPart
from lather.desktop.stages.sculpt.part import SculptPart
from lather.desktop.stages.shape.part import ShapePart
from lather.desktop.stages.split.part import SplitPart
from lather.desktop.stages.strands.part import StrandsPart

PARTS: dict[str, type[StagePart]] = {
    "mend": MendPart,
    "strands": StrandsPart,
    "split": SplitPart,
    "even": EvenPart,
    "sculpt": SculptPart,
    "colour": ColourPart,
    "shape": ShapePart,
    "grain": GrainPart,
    "crisp": CrispPart,
    "finish": FinishPart,
}


def make_parts(desk: DeskParts, parent: QObject) -> dict[str, StagePart]:
    """A part for every stage that is computed, by its id."""
    return {info.id: PARTS.get(info.id, PlainPart)(info, desk, parent) for info in STAGES}
