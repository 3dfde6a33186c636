"""Light modelling kept: the spread of light over the form now against the photo's."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.maps import where_tone_changed
from lather.core.gauges.tone import tones
from lather.core.measure.bands import modelling_spread


def measure(pictures: Compared) -> float | None:
    """Spread of the large light over the face, in % of the photo's."""
    if pictures.once(tones) is None:
        return None
    was, now = (modelling_spread(lab[..., 0], pictures.skin, pictures.face_small_px) for lab in pictures.small)
    return 100 * now / was if was > 0 else None


GAUGE = Gauge("modelling_kept", "Light modelling kept", "%", measure,
              where=where_tone_changed, stages=("split", "even", "sculpt", "colour", "finish"))
