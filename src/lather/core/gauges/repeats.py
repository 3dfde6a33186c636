"""Repeats: the same skin seen at two places."""

import cv2

from lather.core.colour import profiles
from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.measure.repeats import Repeat, marked, repeats_in_pictures, repeats_of_job
from lather.core.types import Mask

_FACE_PX = 650.0  # width of a face at which pores are told from one another


def measure(pictures: Compared) -> float | None:
    """How many pieces of skin are seen twice; None where nobody looked."""
    if pictures.job is None and not pictures.pores:
        return None
    return float(len(pictures.once(found_repeats)))


def found_repeats(pictures: Compared) -> list[Repeat]:
    """Places in source px: of a job by its edits, of two pictures by what they show."""
    if pictures.job is not None:
        skin, scale = pictures.skin, pictures.measures.scale

        def skin_at(x: float, y: float) -> float:
            row, column = int(y / scale), int(x / scale)
            return float(skin[row, column]) if 0 <= row < skin.shape[0] and 0 <= column < skin.shape[1] else 0.0

        return repeats_of_job(pictures.job, pictures.measures.face_width_px, skin_at)
    return _in_pictures(pictures)


def _in_pictures(pictures: Compared) -> list[Repeat]:
    """Looked for around the skin, at a size at which its pores are seen."""
    measures, level = pictures.measures, 0
    while measures.face_width_px / (1 << (level + 1)) >= _FACE_PX:
        level += 1
    box = measures.skin_box
    rect = type(box)(box.x0 >> level, box.y0 >> level, box.x1 >> level, box.y1 >> level)
    if min(rect.width, rect.height) < 32:
        return []
    both = [profiles.to_lab(read(rect, level), pictures.profile) for read in (pictures.before, pictures.after)]
    whole = measures.skin[int(box.y0 / measures.scale) : int(box.y1 / measures.scale) + 1,
                          int(box.x0 / measures.scale) : int(box.x1 / measures.scale) + 1]
    skin = cv2.resize(whole, (rect.width, rect.height), interpolation=cv2.INTER_LINEAR)
    found = repeats_in_pictures(*both, skin, measures.face_width_px / (1 << level))

    def placed(place: tuple[float, float, float]) -> tuple[float, float, float]:
        x, y, radius = (value * (1 << level) for value in place)
        return x + box.x0, y + box.y0, radius

    return [Repeat(placed(one.first), placed(one.second), one.edits, one.why) for one in found]


def where_repeated(pictures: Compared) -> Mask:
    """Both places of every repeat, 0-1 at the size of `measures.small`."""
    return marked(pictures.once(found_repeats), pictures.skin.shape, pictures.measures.scale)


GAUGE = Gauge("repeats", "Repeats", "", measure, track=10.0, written="{:.0f}", lowered_by="other skin (F)",
              where=where_repeated, stages=("mend", "split"), untold="it was not looked for")
