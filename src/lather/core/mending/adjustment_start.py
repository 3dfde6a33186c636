"""What a new layer of an adjustment starts with, measured on the photo; and the proposals of Crisp."""

import cv2
import numpy as np

from lather.core.colour.lab import srgb_lightness
from lather.core.engine.engine import Engine, faces_of
from lather.core.job.brief import JobSheet
from lather.core.job.commands import AddLayer
from lather.core.job.grain_model import GrainModel
from lather.core.job.model import Job, Layer, new_id
from lather.core.job.purpose import of_crisp
from lather.core.measure.colours import area_colour, beneath, level_for
from lather.core.measure.grain import measure_grain
from lather.core.mending.colour_settings import (
    calm_all_settings,
    iris_settings,
    shine_all_settings,
    tone_width,
    whiten_settings,
)
from lather.core.stages.adjust.mask import by_zones
from lather.core.stages.adjust.values import plain_lab
from lather.core.stages.colour.whiten import PARTS
from lather.core.stages.crisp.kind import AMOUNT, FINE, WIDE, WIDE_AMOUNT, CrispKind
from lather.core.stages.crisp.plan import FINE_PX, FINE_SHARE
from lather.core.stages.finish.pool import head_shape
from lather.core.stages.registry import stage_info
from lather.core.types import Rect

CRISP_STRENGTH = 0.5
CRISP_PARTS = {
    "eyes": ("Eyes", ("irises",)), "brows": ("Brows and lashes", ("brows",)), "lips": ("Lips", ("lips",)),
    "hair": ("Hair", ("hair",)),
}
"""What Crisp proposes: {part: (label, zones)}."""
_WIDE_TIMES = 3.5  # of the fine radius
_BLURRED = 1.35  # times the grain: a part whose finest detail is no more than that is out of focus
_L_OF_ENCODED = 100.0
_GROUND_SHARE = 0.05  # of the longer side: what is smaller is the ground's own pattern
_MOST_READ = 900


def measured_settings(engine: Engine, job: Job, stage_id: str, kind_id: str, *, part: str = "",
                      grain: GrainModel | None = None) -> dict | None:
    """Settings of a new layer of a kind. part: teeth or eye_whites, for Whiten. None where what it needs is not seen.

    grain: of the photo, for Crisp.
    """
    kind = stage_info(stage_id).kinds[kind_id]
    measured: dict | None = {}
    if kind_id == "calm":
        measured = calm_all_settings(engine, job)
    elif kind_id == "shine":
        measured = shine_all_settings(engine, job)
    elif kind_id == "whiten":
        parts = (part,) if part else tuple(PARTS)
        measured = next(filter(None, (whiten_settings(engine, job, one) for one in parts)), None)
    elif kind_id == "iris":
        measured = iris_settings(engine, job)
    elif kind_id == "match":
        measured = {"width_px": tone_width(engine, job)}
    elif kind_id == "crisp":
        measured = crisp_settings(engine, job, (), grain)
    elif kind_id == "pool":
        face = max(faces_of(job), key=lambda one: one.width_px, default=None)
        measured = {"shape": head_shape(face, engine.photo.width, engine.photo.height)}
    elif kind_id == "background":
        measured = background_settings(engine, job)
    settings = kind.new_settings()
    return None if measured is None else settings | measured


def background_settings(engine: Engine, job: Job) -> dict | None:
    """What Background starts with: the usual colour of the ground; None where none is seen."""
    size = _GROUND_SHARE * max(engine.photo.width, engine.photo.height)
    usual = area_colour(engine, job, beneath(engine, job, "finish"), {"zone": "ground"}, size / 4)
    if usual is None:
        return None
    return {"usual": plain_lab(usual.mean), "size_px": round(float(np.clip(size, 4, 2000)), 1)}


def crisp_settings(engine: Engine, job: Job, zones: tuple[str, ...], grain: GrainModel | None) -> dict:
    """Radii by the size of the face, or as the plan was written over; parts out of focus get the wider one. grain:
    measured here where it is not known yet, for without it the grain would be sharpened as well.
    """
    width = max((face.width_px for face in faces_of(job)), default=0.35 * min(engine.photo.width, engine.photo.height))
    fine = JobSheet.of(job.brief).start("crisp") or float(np.clip(FINE_SHARE * width, *FINE_PX))
    noise = float((grain or measure_grain(engine.photo)).sigma(np.array([0.45]))[0]) * _L_OF_ENCODED
    blurred = bool(zones) and _is_blurred(engine, job, zones, fine, noise)
    return {
        AMOUNT.id: 0.0 if blurred else AMOUNT.start, FINE.id: round(fine, 1),
        WIDE_AMOUNT.id: 1.0 if blurred else 0.0, WIDE.id: round(float(np.clip(_WIDE_TIMES * fine, 1, 60)), 1),
        "noise": round(min(noise, 20.0), 2),
    } | (by_zones(*zones) if zones else {})


def _is_blurred(engine: Engine, job: Job, zones: tuple[str, ...], fine: float, noise: float) -> bool:
    """True where the finest detail of some zones is hardly more than the grain."""
    level, bounds = level_for(engine, {}), engine.photo.bounds
    coarse = engine.photo.level_bounds(level)
    share = np.max([engine.zones_of(job).mask(zone, faces_of(job), coarse, level) for zone in zones], axis=0)
    ys, xs = np.nonzero(share > 0.6)
    if len(ys) < 20:
        return False
    middle = np.array([np.median(xs), np.median(ys)]) * (1 << level)
    half = _MOST_READ // 2
    near = np.argmin((xs * (1 << level) - middle[0]) ** 2 + (ys * (1 << level) - middle[1]) ** 2)
    x, y = int(xs[near]) << level, int(ys[near]) << level
    rect = Rect(x - half, y - half, x + half, y + half).intersect(bounds)
    inside = np.max([engine.zones_of(job).mask(zone, faces_of(job), rect, 0) for zone in zones], axis=0) > 0.6
    if inside.sum() < 100:
        return False
    light = srgb_lightness(engine.pixels(job, rect, 0, "grain"))
    detail = light - cv2.GaussianBlur(light, (0, 0), fine)
    return float(detail[inside].std()) < max(_BLURRED * noise, 0.25)


def crisp_proposal(engine: Engine, job: Job, part: str, grain: GrainModel | None) -> AddLayer | None:
    """A layer at half strength for one of CRISP_PARTS; None where it is not seen."""
    label, zones = CRISP_PARTS[part]
    level = level_for(engine, {})
    bounds = engine.photo.level_bounds(level)
    if engine.zones is None or not any(
        (engine.zones_of(job).mask(zone, faces_of(job), bounds, level) > 0.6).sum() > 8 for zone in zones
    ):
        return None
    settings = CrispKind.new_settings() | crisp_settings(engine, job, zones, grain)
    layer = Layer(new_id(), label, CrispKind.id, strength=CRISP_STRENGTH, settings=settings,
                  purpose=of_crisp(part))
    return AddLayer("crisp", layer, len(job.stage("crisp").layers))
