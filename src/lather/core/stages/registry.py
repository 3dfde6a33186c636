"""The stages that this version computes, one line each; and the layer kinds of an open photo."""

from lather.core.job import known_kinds
from lather.core.stages.base import LayerKind
from lather.core.stages.colour.stage import STAGE as COLOUR
from lather.core.stages.crisp.stage import STAGE as CRISP
from lather.core.stages.even.stage import STAGE as EVEN
from lather.core.stages.finish.stage import STAGE as FINISH
from lather.core.stages.grain.stage import STAGE as GRAIN
from lather.core.stages.info import StageInfo
from lather.core.stages.mend.stage import STAGE as MEND
from lather.core.stages.sculpt.stage import STAGE as SCULPT
from lather.core.stages.shape.stage import STAGE as SHAPE
from lather.core.stages.split.stage import STAGE as SPLIT
from lather.core.stages.stores import Stores
from lather.core.stages.strands.stage import STAGE as STRANDS

STAGES: list[StageInfo] = []
"""In the order of the course."""


def add(info: StageInfo) -> None:
    """Let a stage in, in the place of one with its id. A job file that holds its layers is understood from now on."""
    STAGES[:] = sorted((*(one for one in STAGES if one.id != info.id), info), key=lambda one: one.number)
    known_kinds.KINDS.update({kind.id: kind.parameters for kind in info.kinds.values()})


for _stage in (
    MEND,
    STRANDS,
    SPLIT,
    EVEN,
    SCULPT,
    COLOUR,
    SHAPE,
    GRAIN,
    CRISP,
    FINISH,
):
    add(_stage)


def stage_info(stage_id: str) -> StageInfo:
    """What a stage is. Raises StopIteration for a word that is none."""
    return next(info for info in STAGES if info.id == stage_id)


def is_computed(stage_id: str) -> bool:
    """True if this version has that stage."""
    return any(info.id == stage_id for info in STAGES)


def make_kinds() -> dict[str, LayerKind]:
    """Fresh layer kinds for one open photo; what they keep lies in common stores, each with one limit."""
    stores = Stores()
    return {kind.id: kind(stores) for info in STAGES for kind in info.kinds.values()}
