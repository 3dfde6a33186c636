"""All lamps, in the order in which C goes through them; and how one is laid over a job."""

from dataclasses import replace

from lather.core.job.model import Job, Layer, Stage
from lather.core.lamps.base import Lamp, ViewLamp
from lather.core.lamps.blotch import BlotchLamp
from lather.core.lamps.change import ChangeLamp
from lather.core.lamps.clipping import ClippingLamp
from lather.core.lamps.colour import ColourLamp
from lather.core.lamps.delivered import DeliveredLamp
from lather.core.lamps.grey import GreyLamp
from lather.core.lamps.mirror import MirrorLamp
from lather.core.lamps.parts import PartsLamp
from lather.core.lamps.steep import SteepLamp
from lather.core.lamps.stretch import StretchLamp
from lather.core.lamps.texture import TextureLamp
from lather.core.lamps.tone import ToneLamp

LAMPS: dict[str, Lamp] = {lamp.id: lamp for lamp in (
    GreyLamp(),
    BlotchLamp(),
    TextureLamp(),
    ToneLamp(),
    SteepLamp(),
    ColourLamp(),
    ChangeLamp(),
    ClippingLamp(),
    PartsLamp(),
    StretchLamp(),
    MirrorLamp(),
    DeliveredLamp(),
)}
PLAIN = "plain"


def under_lamp(job: Job, lamp_id: str, settings: dict) -> Job:
    """The job as it is shown under a lamp: a last stage of its own, after all that the person has set. It is only
    looked at, never saved or delivered. The job itself for PLAIN, and for a lamp that only looks from elsewhere.
    """
    if lamp_id == PLAIN or isinstance(LAMPS[lamp_id], ViewLamp):
        return job
    layer = Layer("lamp", LAMPS[lamp_id].label, "lamp", settings=settings | {"lamp": lamp_id, "everywhere": True})
    return replace(job, stages=(*job.stages, Stage("lamp", layers=(layer,))))
