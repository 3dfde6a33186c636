"""Spots: blobs in L*, a*, b* over scale, measured by a local fit, and told apart by what they look like."""

from dataclasses import dataclass, replace

import cv2
import numpy as np
import scipy

from lather.core.colour.lab import delta_e2000
from lather.core.find import boosted_trees
from lather.core.find.scene import FindScene
from lather.core.find.spots import blob_fit, lip_colour, patch_net, proposals
from lather.core.job.finds import Find
from lather.core.kinds.registry import KEEPERS
from lather.core.loops import loop
from lather.core.threads import BACKGROUND

_SCALE_STEP = 1.32
_COARSER = 4  # px of a map of what is usual around
_AROUND = 2.1  # times the blob's own blur: what it is seen against
_LEAST_RESPONSE = 2.6  # times what is usual around, all channels together
_NEIGHBOURS = 8
LEAST_CONFIDENCE = 0.2  # of being no natural texture; lower finds more, and more that is none
_LEAST_TOLD = 0.003  # by what was measured; on plates of nine sitters nothing under .01 was listed for its looks
_LEAST_KEPT = 0.45  # of what is proposed to be kept: a freckle that may be none helps nobody
_FLAKE_COUNTS = 0.35
_AT_A_TIME = 800
FEATURES = (*blob_fit.LOCAL_FEATURES, "log_rank", "natural", "contour_off", "log_relative", "log_spacing",
            "nearby_contrast")
"""Of a proposed blob the rank is its log odds, and two follow: whether a disc was measured, and log proposed size."""
_PLAIN, _MOST_DOUBTFUL, _DOUBTFUL_SHARE = 0.6, 4, 0.1  # spots in doubt, and for each plain one
_USUAL_FOR_PX = 6.0  # of a layer: size of the blobs whose change is taken for usual there
_CONTOUR_OFF = FEATURES.index("contour_off")
_LOG_SIZE_PX, _CONTRAST, _SNR = (FEATURES.index(name) for name in ("log_size_px", "contrast", "log_snr"))
_FIT_UP_TO_PX, _SEEN_UP_TO_PX = 14.0, 7.0  # larger blobs are seen and measured on coarser layers


@dataclass(frozen=True)
class Blob:
    """A measured candidate, in pixels of the scene's scale; contrast of its core to the skin around it in ΔE00."""

    x: float
    y: float
    size: float
    features: tuple[float, ...]
    outline: np.ndarray
    contrast_de: float
    proposed: tuple[float, float, float] | None = None
    """x, y, size it was proposed with; None if by what stands out."""


def listed_from(sure: np.ndarray) -> float:
    """Confidence from which spots are listed, by that of all places (n,): the plain ones only, where many are in doubt.

    That is mostly skin unlike those of the fit (stubble, deep pores), on which what is in doubt is natural.
    """
    plain = int((sure >= _PLAIN).sum())
    doubtful = int((sure >= LEAST_CONFIDENCE).sum()) - plain
    return _PLAIN if doubtful > _MOST_DOUBTFUL + _DOUBTFUL_SHARE * plain else LEAST_CONFIDENCE


def find_spots(scene: FindScene) -> list[Find]:
    """Blemishes, flakes, moles and freckles on bare skin, most certain first; and lip colour beside the lips."""
    blobs = measure_proposed(scene)
    if not blobs:
        return []
    smears = lip_colour.find_smears(scene, blobs, as_fitted(scene, [blob.features for blob in blobs]))
    return [*name_blobs(scene, blobs, "spots", None), *smears]


def name_blobs(
    scene: FindScene, blobs: list[Blob], model_name: str, least_confidence: float | None = LEAST_CONFIDENCE
) -> list[Find]:
    """Measured blobs as finds, with the kinds of a model; natural texture ("none") is left out.

    least_confidence: 0-1; None: by how many are in doubt.
    """
    blobs = [blob for blob in blobs if blob.contrast_de >= scene.least_contrast]
    if not blobs:
        return []
    features = as_fitted(scene, [blob.features for blob in blobs])
    sure = boosted_trees.model(f"{model_name}_or_none", scene.weights).shares(features)[:, 1]
    if model_name == "spots":
        sure = _looked_at(scene, blobs, features, sure)
    if least_confidence is None:
        least_confidence = listed_from(sure)
    model = boosted_trees.model(model_name, scene.weights)
    chosen = np.flatnonzero(sure >= least_confidence)
    finds = []
    shares_of = model.shares(features[chosen])
    if "flake" in model.kinds:  # mended as a bright blemish is, so a blemish in doubt is not taken for one
        shares_of[:, model.kinds.index("flake")] *= _FLAKE_COUNTS
    for index, shares in zip(chosen, shares_of):
        blob, confidence = blobs[index], float(sure[index])
        kind = model.kinds[1 + int(np.argmax(shares[1:]))]
        if kind in KEEPERS and confidence < _LEAST_KEPT:
            continue
        x, y = scene.to_source(blob.x, blob.y)
        outline = tuple(scene.to_source(float(a), float(b)) for a, b in blob.outline)
        size = blob.size * scene.step
        finds.append(
            Find(
                f"{kind}-{x:.0f}-{y:.0f}",
                kind,
                x,
                y,
                size,
                blob.contrast_de,
                confidence,
                scene.zone(x, y),
                kind in KEEPERS,
                True,
                outline,
            )
        )
    return sorted(finds, key=lambda f: -f.confidence)


def as_fitted(scene: FindScene, features) -> np.ndarray:
    """(n, f) of what is measured of blobs, as the weights of the scene take it: of large faces without contours."""
    features = np.array(features)
    return features if scene.is_small else np.delete(features, _CONTOUR_OFF, 1)


def _looked_at(scene: FindScene, blobs: list[Blob], features: np.ndarray, sure: np.ndarray) -> np.ndarray:
    """How sure each blob is when what was measured and how it looks count alike (mean of their log odds).

    What by its measures is surely nothing is not looked at: that is most of the places.
    """
    asked = np.flatnonzero(sure >= _LEAST_TOLD)
    places = np.array([blobs[n].proposed for n in asked]).reshape(-1, 3)
    told = np.clip(sure[asked], 1e-6, 1 - 1e-6)
    seen = patch_net.log_odds(features[asked], patch_net.patches(scene.layers, places), scene.weights)
    out = sure.copy()
    out[asked] = 1 / (1 + np.exp(-0.5 * (np.log(told / (1 - told)) + seen)))
    return out


def measure_blobs(scene: FindScene) -> list[Blob]:
    """All blob-like places, each measured; near-doubles left out, what stands out most first."""
    seeds, usual = _scale_space_extrema(scene, scene.layers)
    return [blob for _, blob in _measured(scene, seeds, usual, np.log(seeds[:, 3]), False)]


def measure_proposed(scene: FindScene) -> list[Blob]:
    """All places where a flaw may be on skin, each measured, likeliest first (see `proposals`)."""
    seeds = proposals.propose(scene.layers, scene.most_proposed, scene.weights)
    blobs = _measured(scene, seeds, _usual_around(scene.layers, seeds), seeds[:, 3], True)
    return [
        replace(blob, features=(*blob.features, np.log(seeds[n, 2])), proposed=tuple(seeds[n, :3].tolist()))
        for n, blob in blobs
    ]


def _measured(scene: FindScene, seeds: np.ndarray, usual: np.ndarray, rank: np.ndarray, trusted: bool):
    """(number of its seed, blob) of each that was measured."""
    if not len(seeds):
        return []
    rows, features, rims, kept = _fitted_once(scene.layers, seeds, usual, scene.per_mm, trusted)
    if not len(kept):
        return []
    inside, outside = (rows[:, at : at + 3].astype(np.float32) for at in (3, 3 + blob_fit.CHANNELS))
    contrast = delta_e2000(inside, outside)
    features[:, _LOG_SIZE_PX] += np.log(scene.step)
    features[:, _CONTRAST] = contrast
    features[:, _SNR] = np.log(contrast / np.maximum(features[:, _SNR], 0.1) + 0.01)
    natural = np.stack([scene.natural_nearness(rows[:, :2]), scene.contour_off(rows[:, :2])], 1)
    disc = rows[:, -1:] if trusted else rows[:, :0]
    crowd = _crowd(rows[:, :2], rows[:, 2], contrast)
    features = np.concatenate([features, rank[kept, None], natural, crowd, disc], 1)
    return [
        (n, Blob(float(x), float(y), float(size), tuple(f), rim, float(de)))
        for n, (x, y, size), f, rim, de in zip(kept, rows[:, :3], features.tolist(), rims, contrast)
    ]


def _usual_around(layers, seeds: np.ndarray) -> np.ndarray:
    """(n, CHANNELS) how far the channels go up and down around each seed, on the layer on which it was looked for."""
    out = np.ones((len(seeds), blob_fit.CHANNELS))
    level_of = proposals.level_of(seeds[:, 2], len(layers))
    for level in np.unique(level_of):
        parts = [(values * skin[..., None], skin) for values, skin in layers[level : level + 2]]
        _, usual = _change_at(*parts[0], parts[1] if len(parts) > 1 else None, _USUAL_FOR_PX)
        own = np.flatnonzero(level_of == level)
        at = (seeds[own, 1::-1] / (_COARSER << level)).astype(int)
        out[own] = usual[np.minimum(at[:, 0], len(usual) - 1), np.minimum(at[:, 1], usual.shape[1] - 1)]
    return out


def _fitted(
    layers, seeds: np.ndarray, usual: np.ndarray, per_mm: float, trusted: bool
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Rows, features and rims of all seeds, in px of the finest layer; each is measured where it is small enough."""
    rows = np.zeros((len(seeds), blob_fit.COLUMNS))
    features = np.zeros((len(seeds), len(blob_fit.LOCAL_FEATURES)))
    rims = np.zeros((len(seeds), blob_fit.RIM_POINTS, 2))
    level_of = np.clip(np.ceil(np.log2(seeds[:, 2] / _FIT_UP_TO_PX)), 0, len(layers) - 1).astype(int)
    parts = [own for n in range(len(layers)) for own in np.array_split(np.flatnonzero(level_of == n), 2)]

    def fit(own: np.ndarray) -> None:
        if not len(own):
            return
        level = int(level_of[own[0]])
        step, results = 1 << level, (rows[own], features[own], rims[own])
        blob_fit.fit_blobs(*layers[level], seeds[own, :3] / step, usual[own], per_mm / step, trusted, *results)
        results[0][:, :3] *= step
        results[1][:, _LOG_SIZE_PX] += np.log(step)
        rows[own], features[own], rims[own] = *results[:2], results[2] * step

    list(BACKGROUND.map(fit, parts))
    return rows, features, rims


def _fitted_once(layers, seeds: np.ndarray, usual: np.ndarray, per_mm: float, trusted: bool):
    """Rows, features and rims of blobs that do not lie on one that stands out more, and the numbers of their seeds."""
    taken = np.zeros(layers[0][1].shape, np.uint8)
    at = seeds[:, 1].astype(int), seeds[:, 0].astype(int)
    found = []
    for start in range(0, len(seeds), _AT_A_TIME):  # where something was found, nothing is measured again
        own = start + np.flatnonzero(taken[tuple(v[start : start + _AT_A_TIME] for v in at)] == 0)
        rows, features, rims = _fitted(layers, seeds[own], usual[own], per_mm, trusted)
        for n in np.flatnonzero(rows[:, 2] > 0):
            x, y, size = (float(v) for v in rows[n, :3])
            row, column = min(int(y), taken.shape[0] - 1), min(int(x), taken.shape[1] - 1)
            if not taken[at[0][own[n]], at[1][own[n]]] and not taken[row, column]:
                cv2.circle(taken, (column, row), max(2, int(0.75 * size)), 1, -1)
                found.append((rows[n], features[n], rims[n], own[n]))
    return tuple(np.array(part) for part in zip(*found)) if found else (*3 * [np.empty(0)], np.empty(0, int))


def _crowd(places: np.ndarray, sizes: np.ndarray, contrast: np.ndarray) -> np.ndarray:
    """How each blob stands out from the blobs around it, (n, 3): where the skin is rough, one more is no find."""
    near = min(_NEIGHBOURS + 1, len(places))
    if near < 3:
        return np.zeros((len(places), 3))
    distance, index = scipy.spatial.cKDTree(places).query(places, k=near)
    usual = np.median(contrast[index[:, 1:]], axis=1) + 0.3
    spacing = distance[:, near // 2] / np.maximum(sizes, 1)
    return np.stack([np.log((contrast + 0.1) / usual), np.log(spacing + 0.05), usual], 1)


def _scale_space_extrema(scene: FindScene, layers) -> tuple[np.ndarray, np.ndarray]:
    """(n, 4) x, y, size, response, strongest first, and (n, CHANNELS) what is usual around each.

    Maxima over place and scale of the difference of Gaussians, each channel against its own root mean square on the
    skin around: a spot shows in the channels that are calm where it lies. Blurs are divided by the blurred skin mask,
    so that hair or background beside skin does not count (normalised convolution, Knutsson and Westin 1993).
    """
    smallest = scene.smallest_px
    largest = max(2 * smallest, scene.largest_mm * scene.per_mm)
    sizes = smallest * _SCALE_STEP ** np.arange(1 + int(np.log(largest / smallest) / np.log(_SCALE_STEP)))
    levels = np.clip(np.ceil(np.log2(sizes / _SEEN_UP_TO_PX)), 0, len(layers) - 1).astype(int)
    responses, usuals = [], []
    needed = [level for level in range(len(layers)) if (levels == level).any() or (levels == level - 1).any()]
    held = {level: layers[level][0] * layers[level][1][..., None] for level in needed}
    for level in range(len(layers)):
        mask = layers[level][1]
        wider = (held[level + 1], layers[level + 1][1]) if level + 1 in held else None
        for n in np.flatnonzero(levels == level):
            change, usual = _change_at(held[level], mask, wider, sizes[n] / (1 << level))
            response = np.zeros(mask.shape, np.float32)
            _against_usual(change, usual, mask, response)
            responses.append(response)
            usuals.append(usual)
    found, around = [np.empty((0, 4))], [np.empty((0, blob_fit.CHANNELS))]
    for n, (size, level) in enumerate(zip(sizes, levels)):
        step, response = 1 << int(level), responses[n]
        peak = (response >= cv2.dilate(response, np.ones((3, 3), np.uint8))) & (response > _LEAST_RESPONSE)
        ys, xs = np.nonzero(peak)
        values = response[ys, xs]
        best = np.ones(len(ys), bool)
        for other in {n - 1, n + 1} & set(range(len(sizes))):
            best &= values > 0.97 * _around(responses[other], 1 << int(levels[other]), xs * step, ys * step)
        found.append(np.stack([(xs + 0.5) * step, (ys + 0.5) * step, np.full(len(ys), size), values], 1)[best])
        around.append(usuals[n][ys[best] // _COARSER, xs[best] // _COARSER])
    seeds, around = np.concatenate(found), np.concatenate(around).astype(np.float64)
    strongest = np.argsort(-seeds[:, 3], kind="stable")[: scene.most_candidates]
    return seeds[strongest], around[strongest]


def _change_at(held: np.ndarray, mask: np.ndarray, wider, size: float) -> tuple[np.ndarray, np.ndarray]:
    """(change (h, w, CHANNELS), usual change around (h / 4, w / 4, CHANNELS)) of blobs of a size; 0 off skin.

    wider: held and mask at half the scale, where there is one: what is around a blob is blurred enough for it.
    """
    blurs = [_blurred(part, 0.32 * size) for part in (held, mask)]
    if wider is None:
        blurs += [_blurred(part, _AROUND * 0.32 * size) for part in (held, mask)]
    else:
        shape = mask.shape[::-1]
        blurs += [cv2.resize(_blurred(part, 0.5 * _AROUND * 0.32 * size), shape, interpolation=cv2.INTER_LINEAR)
                  for part in wider]
    coarse = (-(-mask.shape[0] // _COARSER), -(-mask.shape[1] // _COARSER))
    change, square = np.empty(held.shape, np.float32), np.empty((*coarse, held.shape[2]), np.float32)
    skin = np.empty(coarse, np.float32)
    _difference(*blurs, mask, change, square, skin)
    k = (2 * max(1, round(3.5 * size / _COARSER)) + 1,) * 2
    share = np.maximum(cv2.blur(skin, k), 0.05)
    usual = np.sqrt(np.maximum(cv2.blur(square, k), 0) / share[..., None])
    floor = 0.6 * np.median(usual[skin > 0.5], axis=0) + 1e-3 if (skin > 0.5).any() else 1.0
    return change, np.maximum(usual, floor).astype(np.float32)


def _blurred(values: np.ndarray, sigma: float) -> np.ndarray:
    return cv2.GaussianBlur(values, (2 * int(np.ceil(2.5 * sigma)) + 1,) * 2, sigma)


@loop(
    "f4[:, :, ::1], f4[:, ::1], f4[:, :, ::1], f4[:, ::1], f4[:, ::1], f4[:, :, ::1], f4[:, :, ::1], f4[:, ::1]",
    fastmath=True,
)
def _difference(centre, weight, around, weight_around, mask, out, square, skin):  # pragma: no cover - compiled
    """centre / weight - around / weight_around where the mask is over a half, 0 elsewhere; of each cell of COARSER²
    pixels the mean of its square, and the share of it that is skin."""
    least, one, zero = np.float32(1e-3), np.float32(1), np.float32(0)
    height, width = mask.shape
    for row in range(square.shape[0]):
        square[row], skin[row] = zero, zero
        y0, y1 = row * _COARSER, min((row + 1) * _COARSER, height)
        for y in range(y0, y1):
            for x in range(width):
                if mask[y, x] > 0.5:
                    column = x // _COARSER
                    a, b = one / max(weight[y, x], least), one / max(weight_around[y, x], least)
                    skin[row, column] += one
                    for c in range(blob_fit.CHANNELS):
                        change = centre[y, x, c] * a - around[y, x, c] * b
                        out[y, x, c] = change
                        square[row, column, c] += change * change
                else:
                    for c in range(blob_fit.CHANNELS):
                        out[y, x, c] = zero
        for column in range(square.shape[1]):
            cell = one / np.float32((y1 - y0) * (min((column + 1) * _COARSER, width) - column * _COARSER))
            skin[row, column] *= cell
            for c in range(blob_fit.CHANNELS):
                square[row, column, c] *= cell


@loop("f4[:, :, ::1], f4[:, :, ::1], f4[:, ::1], f4[:, ::1]", fastmath=True)
def _against_usual(change, usual, mask, out):  # pragma: no cover - compiled
    for y in range(mask.shape[0]):
        for x in range(mask.shape[1]):
            if mask[y, x] > 0.5:
                total = np.float32(0.0)
                for c in range(blob_fit.CHANNELS):
                    one = change[y, x, c] / usual[y // _COARSER, x // _COARSER, c]
                    total += one * one
                out[y, x] = np.sqrt(total)


def _around(response: np.ndarray, step: int, xs: np.ndarray, ys: np.ndarray) -> np.ndarray:
    """Largest response of another scale within a pixel of places given in px of the finest layer."""
    rows, columns = np.minimum(ys // step, response.shape[0] - 1), np.minimum(xs // step, response.shape[1] - 1)
    return cv2.dilate(response, np.ones((3, 3), np.uint8))[rows, columns]
