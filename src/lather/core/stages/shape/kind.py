"""Layers of Shape: all of them fold into one displacement field, through which the picture is resampled once."""

import hashlib
from dataclasses import replace

from lather.core.job.model import Job, Stroke
from lather.core.stages.base import STILL, LayerKind, LiveEdit, Painting, Step, Surroundings, Warp
from lather.core.stages.shape.field import Field
from lather.core.stages.shape.layers import METHOD, Moves
from lather.core.stages.shape.live import LiveShape
from lather.core.stages.stores import Stores
from lather.core.types import EncodedRGB, Rect


class ShapeKind(LayerKind):
    """Strokes and measures move places of the photo; a strength scales how far."""

    id = "shape"
    folds = True
    over_finished = True  # what lies beneath is read through the field, and so more than once
    levels_within = 0.06  # pixels of a level between which it is told, against those beneath

    def __init__(self, stores: Stores | None = None):
        self.moves: Moves = (stores or Stores()).moves

    def field(self, step: Step) -> Field:
        """All that the stage moves, as one field."""
        return self.moves.field(step)

    def warp(self, step: Step) -> Warp:
        field = self.field(step)
        return STILL if field.box.empty else field

    def needs(self, step: Step, rect: Rect) -> Rect:
        return self.field(step).reads(rect)

    def touches(self, step: Step, rect: Rect) -> bool:
        return self.field(step).moves(rect)

    def fingerprint(self, around: Surroundings, step: Step, rect: Rect) -> bytes:
        field = self.field(step)
        box = field.grid.box((rect.x0, rect.y0), (rect.x1, rect.y1), 2)
        return hashlib.blake2b(METHOD + field.backward[box.slices(field.grid.nodes)].tobytes(), digest_size=16).digest()

    def render(self, around: Surroundings, step: Step, rect: Rect, level: int) -> EncodedRGB:
        return self.field(step).resample(around.below, rect, level, sharp=not around.draft)

    def begun(self, engine, job: Job, stage_id: str, stroke: Stroke) -> Stroke:
        """After all that is there: what was held before is held from it."""
        return replace(stroke, order=next_order(job))

    def live(self, painting: Painting) -> LiveEdit:
        return LiveShape(self, painting)


def next_order(job: Job) -> int:
    """The place of a new edit among all of the stage."""
    return 1 + max((edit.order for layer in job.stage("shape").layers for edit in layer.edits), default=0)
