"""A 100 px brush on a layer of 400 mends."""

import numpy as np

from lather.bench.row import Row
from lather.bench.rows.brush import brush
from lather.bench.window import Bench


def measure(bench: Bench):
    """A 100 px brush on a layer of 400 mends, beside the same on a layer of 10."""
    latencies = {}
    for count in (10, 400):
        bench.fresh()
        bench.job_with(count, 1)
        times, touched, _ = brush(bench, 100)
        latencies[count] = times
    return latencies[400], touched, ("the same with 10 mends", float(np.percentile(latencies[10], 95)))


ROW = Row("brush_400_edits", 16, "ms", measure)
