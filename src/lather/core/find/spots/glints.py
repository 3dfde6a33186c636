"""Glints on skin: what looks like a flake or a bright spot, and is the light itself."""

import numpy as np

from lather.core.colour.gloss import gloss_mask
from lather.core.find.scene import FindScene
from lather.core.job.finds import Find

_KINDS = ("flake", "blemish_bright")
_AROUND, _LEAST_AROUND_PX, _CORE = 1.5, 8, 0.35  # sizes of the find
_MOST_GLOSS, _GLOSS_AROUND = 0.5, 0.35  # share of the find's middle, and of what lies around it


def is_glint(find: Find, scene: FindScene) -> bool:
    """True of a bright find that is gloss in the midst of gloss."""
    if find.kind not in _KINDS:
        return False
    x, y = scene.to_here(find.x, find.y)
    size = find.size_px / scene.step
    half = max(_LEAST_AROUND_PX, round(_AROUND * size))
    pixels = scene.encoded[max(0, round(y) - half) : round(y) + half + 1, max(0, round(x) - half) : round(x) + half + 1]
    if not pixels.size or scene.usual_skin is None:
        return False
    gloss = gloss_mask(pixels, *scene.usual_skin)
    ys, xs = np.mgrid[: gloss.shape[0], : gloss.shape[1]]
    near = np.hypot(ys - min(half, round(y)), xs - min(half, round(x)))
    core, around = near <= max(1.0, _CORE * size), near > 0.6 * size
    return bool(gloss[core].mean() > _MOST_GLOSS and gloss[around].mean() > _GLOSS_AROUND)
