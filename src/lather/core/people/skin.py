"""Each person's own skin: its colour, told by what the network calls skin of that person, and shares told anew by it.

Where the network is in doubt, the colours of that very person decide (naive Bayes over histograms in Lab): a person's
arm is like their face, their beige coat is not, whatever the people beside them look like.
"""

from dataclasses import dataclass

import numpy as np
import scipy

from lather.core.types import Lab, Mask

_BINS = (16, 24, 24)
_LOW, _HIGH = np.float32((0, -24, -24)), np.float32((100, 48, 48))
_SURE, _SURELY_NOT = 0.8, 0.2
_LEAST = 80  # pixels that a colour is told from
_WEIGHT, _MOST = 0.8, 3.0  # of the logarithm of how much likelier a colour is on skin
_BLUR = 1.0  # bins


@dataclass(frozen=True)
class SkinColour:
    """lab: usual (median) colour. spread: of each of L*, a*, b*, half of what the middle 68 % span."""

    lab: tuple[float, float, float]
    spread: tuple[float, float, float]


def colour_of(lab: Lab, skin: Mask) -> SkinColour | None:
    """Of one person's skin (shares 0-1); None where there is hardly any."""
    colours = lab[skin > _SURE]
    if len(colours) < _LEAST:
        return None
    low, middle, high = np.percentile(colours, (16, 50, 84), axis=0)
    return SkinColour(tuple(map(float, middle)), tuple(map(float, (high - low) / 2)))


def told_by_colour(lab: Lab, skin: Mask, person: Mask) -> Mask:
    """Share of skin 0-1 of one person once its colours were asked. skin: the network's; person: where they are, 0-1."""
    inside = person > 0.5
    is_skin, is_none = inside & (skin > _SURE), inside & (skin < _SURELY_NOT)
    if is_skin.sum() < _LEAST or is_none.sum() < _LEAST:
        return skin
    bins = np.clip((lab - _LOW) / (_HIGH - _LOW) * _BINS, 0, np.array(_BINS) - 1).astype(np.int32)
    flat = (bins[..., 0] * _BINS[1] + bins[..., 1]) * _BINS[2] + bins[..., 2]
    odds = np.log(_histogram(flat[is_skin])) - np.log(_histogram(flat[is_none]))
    told = _WEIGHT * np.clip(odds, -_MOST, _MOST)[flat]
    share = np.clip(skin, 1e-3, 1 - 1e-3)
    doubt = 4 * share * (1 - share)  # what the network is sure of stays
    logit = np.log(share / (1 - share)) + doubt * told
    return np.where(inside, 1 / (1 + np.exp(-logit)), skin).astype(np.float32)


def _histogram(values: np.ndarray) -> np.ndarray:
    """Probability of each colour, smoothed; nowhere 0."""
    counts = np.bincount(values, minlength=int(np.prod(_BINS))).astype(np.float32).reshape(_BINS)
    counts = scipy.ndimage.gaussian_filter(counts, _BLUR, mode="nearest")
    counts = counts.ravel() / max(counts.sum(), 1)
    return counts + np.float32(1e-5)
