"""All rows of the speed table, measured on the real window: from an event handed to it to finished pixels painted.

Every row has a job of its own, opened afresh. Machines are noisy: each row also gives its ratio to a plain copy of the
memory it touches and, where a general library does the same job, to that library, in the same run.
"""

from collections.abc import Iterator

import numpy as np

from lather.bench.row import Row
from lather.bench.rows import (
    adjust_done,
    adjust_slider,
    before_after,
    brush_100px,
    brush_400_edits,
    brush_450_lamp,
    brush_450px,
    dab,
    even_450px,
    export_peak_mib,
    export_tiff,
    find_all,
    heal_settled,
    lamp_switch,
    mask_450px,
    measure_drag,
    open_jpeg,
    pan_zoom,
    push_450px,
    reopen_2000,
    sculpt_450px,
    strength_done,
    strength_first,
    strength_step,
)
from lather.bench.window import Bench
from lather.core.errors import RequestError

ROWS: dict[str, Row] = {module.ROW.id: module.ROW for module in (
    open_jpeg,
    brush_100px,
    brush_450px,
    brush_450_lamp,
    even_450px,
    sculpt_450px,
    push_450px,
    measure_drag,
    mask_450px,
    adjust_slider,
    adjust_done,
    heal_settled,
    dab,
    pan_zoom,
    before_after,
    lamp_switch,
    strength_first,
    strength_done,
    strength_step,
    reopen_2000,
    find_all,
    brush_400_edits,
    export_tiff,
    export_peak_mib,
)}


def run_rows(megapixels: float, rows: list[str], events: int) -> Iterator[dict]:
    """Measure rows one by one. Raises RequestError for an unknown row."""
    for row in rows:
        if row not in ROWS:
            raise RequestError(f"There is no row “{row}”; choose from {', '.join(ROWS)}.")
    bench = Bench(megapixels, events)
    try:
        for number, name in enumerate(rows):
            if number:
                bench.fresh()
            row = ROWS[name]
            times, touched_bytes, library = row.measure(bench)
            value = float(np.percentile(times, 95))
            copy = bench.copy_ms(touched_bytes) if touched_bytes else None
            yield {
                "row": name, "p95": round(value, 2), "median": round(float(np.median(times)), 2), "unit": row.unit,
                "target": row.target, "met": value <= row.target,
                "ratio_to_copy": round(value / copy, 2) if copy else None,
                "ratio_to_library": round(value / library[1], 3) if library else None,
                "library": library[0] if library else None, "megapixels": megapixels,
            }
    finally:
        bench.close()
