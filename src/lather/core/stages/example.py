"""Strokes for the example that each stage gives of its layers (`StageInfo.example`)."""

import numpy as np

from lather.core.brush.values import Brush
from lather.core.job.fence import Fence
from lather.core.job.model import Stroke, freeze_points, new_id

WIDTH, HEIGHT = 611, 523  # of the picture that examples are laid on
FENCE = Fence((((30.0, 40.0), (500.0, 20.0), (560.0, 480.0), (60.0, 500.0)),), 8.0)


def edit(tool: str, places, *, size: float = 40, edge: float = 0.5, flow: float = 0.8, **more) -> Stroke:
    """A stroke of a tool through places (n, 2)."""
    points = np.column_stack([np.array(places, float), np.ones(len(places)), 0.02 * np.arange(len(places))])
    return Stroke(new_id(), tool, Brush(size_px=size, edge=edge, flow=flow), freeze_points(points), **more)
