"""How sure a find is, as a share of finds that were right: what finders say, calibrated on made people never fitted on.

What a finder calls its confidence ranks its finds, but is no chance of being right. benchmarks/fit_confidence.py looks
at photos of held-out people with few flaws, as real ones have, and keeps for each kind how often finds of some
confidence were right (isotonic regression, Zadrozny and Elkan 2002).
"""

from dataclasses import replace
from functools import cache

import numpy as np

from lather.core.find import boosted_trees
from lather.core.job.finds import Find
from lather.core.strict_json import read

MOST_LIKELY = {"cloth_speck": 0.85, "lens_mark": 0.85, "red_eye": 0.8}
"""Chance at the most where photographs hold what made people do not: prints, weaves and seams of clothes."""
_ON_LARGE = (0.0, 0.2, 0.6, 1.0), (0.0, 0.5, 0.9, 0.99)  # what is said, and how often it is right on plates
FILE = boosted_trees.FOLDER / "confidence.json"


@cache
def _tables() -> dict[str, tuple[np.ndarray, np.ndarray]]:
    if not FILE.is_file():
        return {}
    rows = read(FILE)
    return {kind: (np.array(table["said"], float), np.array(table["right"], float)) for kind, table in rows.items()}


def calibrated(find: Find, *, small: bool = True) -> Find:
    """The find with the chance that it is right as its confidence; as it is where its kind was never measured. Kinds of
    MOST_LIKELY are never surer than that.

    small: the face is, and the tables were made on such. On large ones nearly all that is listed was right (.95 on
    plates), and stray hairs are as sure as they say.
    """
    table, most = _tables().get(find.kind), MOST_LIKELY.get(find.kind, 1.0) if small else 1.0
    right = find.confidence
    if table is not None and (small or find.kind != "stray_hair"):
        right = float(np.interp(right, *(table if small else _ON_LARGE)))
    return replace(find, confidence=min(right, most))
