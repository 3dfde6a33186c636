"""Memory of the whole program while exporting."""

import os
import threading
from pathlib import Path

from lather.bench.row import Row
from lather.bench.rows.strength import strength
from lather.bench.window import Bench
from lather.core.deliver.export import Output, export


def measure(bench: Bench):
    """Resident memory of the whole program at its highest while exporting after some work, sampled every 10 ms."""
    strength(bench, 51)
    session = bench.window.job.session
    peak, stop = [0.0], threading.Event()
    page = os.sysconf("SC_PAGE_SIZE") / 2**20

    def watch():
        while not stop.wait(0.01):
            peak[0] = max(peak[0], int(Path("/proc/self/statm").read_text().split()[1]) * page)

    thread = threading.Thread(target=watch)
    thread.start()
    export(session.engine, session.job, Path(bench.folder.name) / "out.tif", Output(bits=16))
    stop.set()
    thread.join()
    return [peak[0]], 0, None


ROW = Row("export_peak_mib", 2500, "MiB", measure)
