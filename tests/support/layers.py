"""Strokes and layers in one line, for tests that compute without a window."""

from dataclasses import replace

from lather.core.brush.values import Brush
from lather.core.job.model import Layer, Stroke, freeze_points, new_id


def outline(x0, y0, x1, y1):
    return [(x0, y0, 1, 0), (x1, y0, 1, 0), (x1, y1, 1, 0), (x0, y1, 1, 0)]


def stroke(tool, points, size, **more):
    return Stroke(new_id(), tool, Brush(size_px=size, edge=0.5), freeze_points(points), **more)


def with_layer(job, stage_id, *edits, **settings):
    fence = settings.pop("fence", None)
    layer = Layer(new_id(), "L", stage_id, edits=edits, settings=settings, fence=fence)
    stage = job.stage(stage_id)
    return job.with_stage(replace(stage, layers=(*stage.layers, layer)))
