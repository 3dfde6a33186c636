"""What a layer goes by, measured anew where it was carried to: colours, grain, sharpness are those of its own photo."""

from dataclasses import replace

import numpy as np

from lather.core.engine.engine import Engine
from lather.core.job.commands import SetLayer
from lather.core.job.model import Job, Layer
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.adjustment_start import background_settings
from lather.core.mending.colour_settings import calm_settings, measured_again, shine_settings
from lather.core.stages.adjust.values import plain_lab

_L_OF_ENCODED = 100.0
_SKIN_COLOURS = {"calm": ("toward",), "shine": ("skin", "half")}


def measured_on(
    engine: Engine, job: Job, stage_id: str, layer: Layer, here: PhotoMeasures, was: PhotoMeasures
) -> Layer:
    """A layer of `job`, whose photo is that of `here`, with what was measured on the photo of `was` measured anew."""
    settings = _found(engine, job, layer) or _again(engine, job, stage_id, layer, here)
    if not settings and here.skin_lab is not None and was.skin_lab is not None:
        shift = np.array(here.skin_lab) - was.skin_lab
        settings = {name: plain_lab(np.array(layer.settings[name]) + shift)
                    for name in _SKIN_COLOURS.get(layer.kind, ()) if name in layer.settings}
    return replace(layer, settings=layer.settings | settings) if settings else layer


def _found(engine: Engine, job: Job, layer: Layer) -> dict:
    """Of a layer made for finds: from the skin around the first of them."""
    if layer.kind not in _SKIN_COLOURS:
        return {}
    known = {find.id: find for find in job.finds or ()}
    find = next((known[edit.find] for edit in layer.edits if edit.find in known), None)
    if find is None:
        return {}
    told = (calm_settings if layer.kind == "calm" else shine_settings)(engine, job, find) or {}
    wanted = (*_SKIN_COLOURS[layer.kind], "texture", "pores_from")
    return {name: value for name, value in told.items() if name in wanted and name in layer.settings}


def _again(engine: Engine, job: Job, stage_id: str, layer: Layer, here: PhotoMeasures) -> dict:
    if stage_id == "colour":
        command = measured_again(engine, job, layer)
        return dict(command.value) if isinstance(command, SetLayer) else {}
    if layer.kind == "background":
        told = background_settings(engine, job)
        return {"usual": told["usual"]} if told else {}
    if layer.kind == "grain" and "grain" in layer.settings:
        return {"grain": here.grain.to_json()}
    if layer.kind == "crisp":
        return {"noise": round(min(20.0, float(here.grain.sigma(np.array([0.45]))[0]) * _L_OF_ENCODED), 2)}
    return {}
