"""Spill: what changed where no skin is to be worked on: lips, eyes, brows, hair, cloth; and the strokes that did it."""

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000
from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.skin_touched import CHANGED_DE
from lather.core.job.model import Stroke
from lather.core.types import Mask

_LIPS_EYES_AND_CLOTH = (2, 3, 4, 5, 7, 8)  # labels of a plate's zones
_LEAST_SHARE = 0.05  # of an edit's own area that lies outside, and
_LEAST_PX = 6  # pixels of the small picture, from which it is named
_BROW = 0.3  # share of hair, from which a place is a brow or lashes


def measure(pictures: Compared) -> float | None:
    """Share of what is no skin, in %, that changed by more than is seen."""
    rest, spilled = pictures.once(_spilled)
    return 100 * float(spilled[rest].mean()) if rest.any() else 0.0


def where_spilled(pictures: Compared) -> Mask:
    """What changed though it is no skin."""
    rest, spilled = pictures.once(_spilled)
    return (spilled & rest).astype(np.float32)


def _spilled(pictures: Compared) -> tuple[np.ndarray, np.ndarray]:
    """(what is not to be changed, what was), at the small size.

    Of a job only the stages count whose business is skin: lips that were sharpened on purpose are no spill.
    """
    skin, zones = pictures.skin, pictures.zones
    rest = (~(skin > 0.5) & (pictures.measures.ground == 0)) | _brows_and_lashes(pictures)
    if zones is not None:
        small = cv2.resize(zones, skin.shape[::-1], interpolation=cv2.INTER_NEAREST)
        rest = np.isin(small, _LIPS_EYES_AND_CLOTH)
    change = pictures.change
    if pictures.skin_work is not None:
        change = delta_e2000(pictures.small[0], pictures.small_lab(pictures.skin_work))
    return rest, change > CHANGED_DE


def _brows_and_lashes(pictures: Compared) -> np.ndarray:
    """By the face's points: the thin hair of a brow may pass for skin by its colour."""
    if pictures.masks is None or pictures.measures.face is None:
        return np.zeros(pictures.skin.shape, bool)
    share = pictures.masks.mask("brows", (pictures.measures.face,), *pictures.whole)
    return cv2.resize(share, pictures.skin.shape[::-1], interpolation=cv2.INTER_AREA) > _BROW


def spilling_strokes(pictures: Compared) -> list[tuple[str, str, Stroke]]:
    """(stage, layer, edit) of the strokes on skin that reach what is none, the worst first."""
    if pictures.job is None:
        return []
    mask, scale, found = where_spilled(pictures) > 0, pictures.measures.scale, []
    for stage in pictures.job.stages:
        for layer in stage.layers if stage.on and stage.id in ("mend", "split", "even") else ():
            for edit in layer.edits if layer.on else ():
                bounds = edit.bounds
                y0, y1, x0, x1 = (max(0, int(n / scale)) for n in (bounds.y0, bounds.y1, bounds.x0, bounds.x1))
                part = mask[y0 : y1 + 1, x0 : x1 + 1]
                if part.size and part.sum() >= _LEAST_PX and part.mean() >= _LEAST_SHARE:
                    found.append((int(part.sum()), stage.id, layer.id, edit))
    return [(stage_id, layer_id, edit) for _, stage_id, layer_id, edit in sorted(found, key=lambda row: -row[0])]


GAUGE = Gauge("spill", "Spill over edges", "%", measure, track=10.0, written="{:.1f} %", lowered_by="a fence",
              where=where_spilled, stages=("mend", "split", "even"))
