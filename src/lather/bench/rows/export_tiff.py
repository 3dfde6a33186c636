"""The whole picture as a 16-bit TIFF."""

import time
from pathlib import Path

from lather.bench.row import Row
from lather.bench.window import Bench
from lather.core.deliver.export import Output, export


def measure(bench: Bench):
    bench.ten_layers()
    session = bench.window.job.session
    target = Path(bench.folder.name) / "out.tif"
    times = []
    for _ in range(2):
        start = time.perf_counter()
        export(session.engine, session.job, target, Output(bits=16))
        times.append(1000 * (time.perf_counter() - start))
    return times, session.photo.width * session.photo.height * 12, None


ROW = Row("export_tiff", 6000, "ms", measure)
