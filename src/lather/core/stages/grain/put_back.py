"""The layer that puts grain back wherever earlier stages took it, with the grain that was measured in the photo."""

from lather.core.job.commands import AddLayer, Command, SetLayer
from lather.core.job.grain_model import GrainModel
from lather.core.job.model import Job, Layer, new_id
from lather.core.stages.grain.kind import grain_settings


def match_grain(job: Job, model: GrainModel) -> Command | None:
    """The step that lets grain be put back everywhere; None where the photo has none, or it is done already."""
    if not model.level_percent:
        return None
    wanted = grain_settings(model)
    for layer in job.stage("grain").layers:
        if layer.settings.get("everywhere"):
            return None
        if layer.settings.get("grain") == wanted["grain"] and not layer.edits:
            return SetLayer("grain", layer.id, "settings", {"everywhere": True})
    return AddLayer("grain", Layer(new_id(), "Grain put back", "grain", settings=wanted), 0)
