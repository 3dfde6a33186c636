"""Grain: what smoothing took away, put back to match the photo."""

from lather.core.job.grain_model import GrainModel
from lather.core.job.model import Layer, new_id
from lather.core.stages.example import edit
from lather.core.stages.grain.kind import GrainKind, grain_settings
from lather.core.stages.grain.plan import planned
from lather.core.stages.grain.put_back import match_grain
from lather.core.stages.info import StageInfo


def _layer(everywhere: bool) -> Layer:
    model = GrainModel(((0.2, 2.0), (0.9, 2.5)), 0.7, 0.3)
    edits = () if everywhere else (
        edit("grain", [(100, 100), (400, 420)], size=160, flow=1.0), edit("give_back", [(150, 180), (200, 220)]),
    )
    return Layer(new_id(), "Grain", "grain", edits=edits, settings=grain_settings(model, everywhere=everywhere))


STAGE = StageInfo(
    "grain", "Grain", GrainKind, "Grain by hand", ("grain", "give_back"), lambda: (_layer(False), _layer(True)),
    automatic=lambda job, measures: match_grain(job, measures.grain),
    planned=planned,
)
