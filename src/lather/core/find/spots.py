"""Spots: blobs in L*, a*, b* over scale, measured by a local fit, and told apart by what they look like."""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numba import njit
from scipy.spatial import cKDTree

from lather.core.colour.lab import delta_e2000
from lather.core.find import tell
from lather.core.find.scene import FindScene
from lather.core.job.finds import KEEPERS, Find

_SMALLEST_PX, _LARGEST_MM = 3.6, 6.5
_SCALE_STEP = 1.32
_CHANNELS = np.array([1.0, 1.0, 0.7], np.float32)
_LEAST_RESPONSE, _NOISE_TIMES = 0.8, 1.9
LEAST_CONTRAST = 2.2
_NEIGHBOURS = 8
LEAST_CONFIDENCE = 0.2  # of being no natural texture; lower finds more, and more that is none
FEATURES = (
    "log_size_mm",
    "log_size_px",
    "contrast",
    "d_l",
    "d_a",
    "d_b",
    "hue_sin",
    "hue_cos",
    "lean_b",
    "log_snr",
    "elongation",
    "solidity",
    "sharpness",
    "skin_share",
    "log_nearby",
    "lightness",
    "roundness",
    "clutter",
    "log_rank",
    "log_relative",
    "log_spacing",
    "nearby_contrast",
)
_CONTRAST, _SNR = FEATURES.index("contrast"), FEATURES.index("log_snr")


@dataclass(frozen=True)
class Blob:
    """A measured candidate, in pixels of the scene's scale. `inside`, `outside`: Lab of its core and of the skin."""

    x: float
    y: float
    size: float
    inside: np.ndarray
    outside: np.ndarray
    features: tuple[float, ...]
    outline: np.ndarray
    contrast_de: float = 0.0


def find_spots(scene: FindScene) -> list[Find]:
    """Blemishes, flakes, moles and freckles on bare skin, most certain first."""
    return name_blobs(scene, "spots")


def name_blobs(scene: FindScene, model_name: str) -> list[Find]:
    """Measured blobs as finds, with the kinds of a model; natural texture ("none") is left out."""
    blobs = [blob for blob in measure_blobs(scene) if blob.contrast_de >= LEAST_CONTRAST]
    if not blobs:
        return []
    model = tell.model(model_name)
    finds = []
    for blob, shares in zip(blobs, model.shares(np.array([blob.features for blob in blobs]))):
        confidence = 1 - float(shares[0])
        if confidence < LEAST_CONFIDENCE:
            continue
        kind = model.kinds[1 + int(np.argmax(shares[1:]))]
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


def measure_blobs(scene: FindScene) -> list[Blob]:
    """All blob-like places, each measured; near-doubles left out."""
    seeds = _scale_space_extrema(scene)
    taken = np.zeros(scene.bare.shape, np.uint8)
    blobs = []
    for x, y, size, rank in seeds:
        if taken[int(y), int(x)]:
            continue
        blob = _fit(scene, x, y, size)
        if blob is not None and not taken[int(blob.y), int(blob.x)]:
            cv2.circle(taken, (int(blob.x), int(blob.y)), max(2, int(0.75 * blob.size)), 1, -1)
            blobs.append(replace(blob, features=(*blob.features, float(np.log(rank)))))
    if not blobs:
        return []
    contrast = delta_e2000(np.array([b.inside for b in blobs]), np.array([b.outside for b in blobs]))
    crowd = _crowd(np.array([(b.x, b.y) for b in blobs]), np.array([b.size for b in blobs]), contrast)
    return [
        _with_contrast(replace(blob, features=(*blob.features, *beside)), float(de))
        for blob, de, beside in zip(blobs, contrast, crowd.tolist())
    ]


def _crowd(places: np.ndarray, sizes: np.ndarray, contrast: np.ndarray) -> np.ndarray:
    """How each blob stands out from the blobs around it, (n, 3): where the skin is rough, one more is no find."""
    near = min(_NEIGHBOURS + 1, len(places))
    if near < 3:
        return np.zeros((len(places), 3))
    distance, index = cKDTree(places).query(places, k=near)
    usual = np.median(contrast[index[:, 1:]], axis=1) + 0.3
    spacing = distance[:, near // 2] / np.maximum(sizes, 1)
    return np.stack([np.log((contrast + 0.1) / usual), np.log(spacing + 0.05), usual], 1)


def _with_contrast(blob: Blob, contrast_de: float) -> Blob:
    """Put ΔE00, computed for all at a time, where the features hold the room for it."""
    features = list(blob.features)
    features[_CONTRAST] = contrast_de
    features[_SNR] = float(np.log(contrast_de / max(features[_SNR], 0.1) + 0.01))
    return replace(blob, contrast_de=contrast_de, features=tuple(features))


def _scale_space_extrema(scene: FindScene) -> list[tuple[float, float, float, float]]:
    """(x, y, size, response) of local maxima of the difference of Gaussians over place and scale, strongest first.

    Blurs are divided by the blurred skin mask, so that hair or background beside skin does not count (normalised
    convolution, Knutsson and Westin 1993).
    """
    size, found = _SMALLEST_PX, []
    lab, mask, step = scene.lab * _CHANNELS, np.clip(scene.bare, 0, 1), 1
    held = None
    largest = max(2 * _SMALLEST_PX, _LARGEST_MM * scene.per_mm)
    layers = []
    while size <= largest:
        while size / step > 7:
            half = (max(1, mask.shape[1] // 2), max(1, mask.shape[0] // 2))
            lab = cv2.resize(lab, half, interpolation=cv2.INTER_AREA)
            mask = cv2.resize(mask, half, interpolation=cv2.INTER_AREA)
            step, held = 2 * step, None
        if held is None:
            held = lab * mask[..., None]
        s = 0.32 * size / step
        centre = _masked_blur(held, mask, s)
        around = _masked_blur(held, mask, 2.1 * s)
        response = np.zeros(mask.shape, np.float32)
        _length_of_change(*centre, *around, mask, response)
        layers.append((size, step, response))
        size *= _SCALE_STEP
    for index, (size, step, response) in enumerate(layers):
        noise = _usual_nearby(response, size / step)
        peak = (response >= cv2.dilate(response, np.ones((3, 3), np.uint8))) & (
            response > np.maximum(_LEAST_RESPONSE, _NOISE_TIMES * noise)
        )
        ys, xs = np.nonzero(peak)
        values = response[ys, xs]
        best = np.ones(len(ys), bool)
        for other in (index - 1, index + 1):
            if 0 <= other < len(layers):
                best &= values > 0.97 * _around(layers[other], xs * step, ys * step)
        for y, x, value in zip(ys[best], xs[best], values[best]):
            found.append(((x + 0.5) * step, (y + 0.5) * step, size, value / max(float(noise[y, x]), 0.25)))
    found.sort(key=lambda f: -f[3])
    return found[: scene.most_candidates]


def _usual_nearby(response: np.ndarray, size: float) -> np.ndarray:
    """Mean response of what lies within a few sizes on skin: hair and stubble are rough everywhere."""
    k = 2 * max(4, int(3.5 * size)) + 1
    inside = (response > 0).astype(np.float32)
    return cv2.blur(response, (k, k)) / np.maximum(cv2.blur(inside, (k, k)), 0.05)


def _masked_blur(held: np.ndarray, mask: np.ndarray, sigma: float) -> tuple[np.ndarray, np.ndarray]:
    """(blurred values times the mask, blurred mask); their ratio is the blur inside the mask."""
    k = (2 * int(np.ceil(2.5 * sigma)) + 1,) * 2
    return cv2.GaussianBlur(held, k, sigma), cv2.GaussianBlur(mask, k, sigma)


@njit(cache=True, nogil=True, fastmath=True)
def _length_of_change(centre, weight, around, weight_around, mask, out):  # pragma: no cover - compiled
    """Length of (centre / weight - around / weight_around) over the channels, where the mask is over a half."""
    least = np.float32(1e-3)
    for y in range(mask.shape[0]):
        for x in range(mask.shape[1]):
            if mask[y, x] > 0.5:
                a, b = 1 / max(weight[y, x], least), 1 / max(weight_around[y, x], least)
                total = np.float32(0.0)
                for c in range(3):
                    change = centre[y, x, c] * a - around[y, x, c] * b
                    total += change * change
                out[y, x] = np.sqrt(total)


def _around(layer, xs: np.ndarray, ys: np.ndarray) -> np.ndarray:
    """Largest response of another scale within a pixel of it."""
    _, step, response = layer
    rows = np.minimum(ys // step, response.shape[0] - 1)
    columns = np.minimum(xs // step, response.shape[1] - 1)
    return cv2.dilate(response, np.ones((3, 3), np.uint8))[rows, columns]


def _fit(scene: FindScene, x: float, y: float, size: float) -> Blob | None:
    """Measure one place: contrast against a plane through the ring around it, size at half height, shape."""
    reach = int(np.ceil(1.9 * size)) + 3
    x0, y0 = max(0, int(x) - reach), max(0, int(y) - reach)
    part = scene.lab[y0 : int(y) + reach + 1, x0 : int(x) + reach + 1]
    bare = scene.bare[y0 : int(y) + reach + 1, x0 : int(x) + reach + 1]
    ys, xs = np.mgrid[: part.shape[0], : part.shape[1]].astype(np.float32)
    dx, dy = xs + (x0 + 0.5 - x), ys + (y0 + 0.5 - y)
    r = np.hypot(dx, dy) / size
    core, ring = (r < 0.3), (r > 0.95) & (r < 1.75) & (bare > 0.5)
    skin_share = float(ring.sum()) / max(1, int(((r > 0.95) & (r < 1.75)).sum()))
    if ring.sum() < 12 or core.sum() < 1 or skin_share < 0.45:
        return None
    plane, ring_spread = _plane(part, dx / size, dy / size, ring)
    off = part - plane
    centre = off[core].mean(0)
    strength = float(np.linalg.norm(centre * _CHANNELS))
    if strength < 1.2:
        return None
    way = centre * _CHANNELS / strength
    signal = cv2.GaussianBlur((off * _CHANNELS) @ way / strength, (0, 0), max(0.6, 0.06 * size))
    peak = float(np.percentile(signal[r < 0.35], 90)) if (r < 0.35).sum() > 3 else 1.0
    own = _own_region(signal / peak, bare, core, (int(x - x0), int(y - y0)))
    if own is None:
        return None
    area = float(own.sum())
    return _blob_of(scene, part, plane, own, area, signal, ring, ring_spread, skin_share, (x0, y0))


def _own_region(signal: np.ndarray, bare: np.ndarray, core: np.ndarray, middle: tuple[int, int]) -> np.ndarray | None:
    """The connected region above half height; above more of it where that runs on out of sight."""
    for height in (0.5, 0.65, 0.8):
        region = ((signal > height) & (bare > 0.3)).astype(np.uint8)
        _, labels = cv2.connectedComponentsWithAlgorithm(region, 4, cv2.CV_32S, cv2.CCL_WU)  # small: one thread
        label = labels[min(middle[1], labels.shape[0] - 1), min(middle[0], labels.shape[1] - 1)]
        if label == 0:
            near = labels[core]
            if not (near > 0).any():
                return None
            label = int(np.bincount(near[near > 0]).argmax())
        own = labels == label
        if not (own[0].any() or own[-1].any() or own[:, 0].any() or own[:, -1].any()):
            return own if own.sum() >= 6 else None
    return None


@njit(cache=True, nogil=True, fastmath=True)
def _fit_plane(part, u, v, ring, rounds, plane, rest):  # pragma: no cover - compiled
    """Plane through the ring per channel, in place; far-off pixels are left out after the first round."""
    height, width = ring.shape
    limit = np.float64(1e9)
    for _ in range(rounds):
        m = np.zeros((3, 3))
        k = np.zeros((3, 3))
        for y in range(height):
            for x in range(width):
                if ring[y, x] and rest[y, x] < limit:
                    b1, b2 = u[y, x], v[y, x]
                    m[0, 0] += 1.0
                    m[0, 1] += b1
                    m[0, 2] += b2
                    m[1, 1] += b1 * b1
                    m[1, 2] += b1 * b2
                    m[2, 2] += b2 * b2
                    for c in range(3):
                        k[0, c] += part[y, x, c]
                        k[1, c] += b1 * part[y, x, c]
                        k[2, c] += b2 * part[y, x, c]
        m[1, 0], m[2, 0], m[2, 1] = m[0, 1], m[0, 2], m[1, 2]
        for i in range(3):
            m[i, i] += 1e-6
        fit = np.linalg.solve(m, k)
        total, n = 0.0, 0
        for y in range(height):
            for x in range(width):
                d = 0.0
                for c in range(3):
                    plane[y, x, c] = fit[0, c] + fit[1, c] * u[y, x] + fit[2, c] * v[y, x]
                    d += (part[y, x, c] - plane[y, x, c]) ** 2
                rest[y, x] = np.sqrt(d)
                if ring[y, x] and rest[y, x] < limit:
                    total += rest[y, x]
                    n += 1
        limit = 2.2 * total / max(n, 1) + 0.3


def _plane(part, u, v, ring) -> tuple[np.ndarray, float]:
    """Plane through the ring (three trimmed rounds), and the spread of what is left in the ring, in ΔE."""
    plane = np.empty(part.shape, np.float32)
    _fit_plane(part, u, v, ring, 3, plane, np.zeros(ring.shape, np.float32))
    rest = cv2.GaussianBlur(part - plane, (5, 5), 1.0)
    return plane, float(np.sqrt((rest[ring] ** 2).sum(-1).mean()))


def _blob_of(scene, part, plane, own, area, signal, ring, ring_spread, skin_share, origin) -> Blob:
    ys, xs = np.nonzero(own)
    cx, cy = float(xs.mean()), float(ys.mean())
    size = 2 * np.sqrt(area / np.pi)
    inner = own & (signal > 0.7 * signal[own].max())
    inside, outside = part[inner].mean(0), plane[inner].mean(0)
    change = inside - outside
    cov = np.cov(np.stack([xs, ys])) + 1e-3 * np.eye(2) if len(xs) > 2 else np.eye(2)
    values = np.linalg.eigvalsh(cov)
    filled = own.astype(np.uint8)
    contours, _ = cv2.findContours(filled, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    contour = max(contours, key=len)
    hull = cv2.contourArea(cv2.convexHull(contour)) + 1
    perimeter = max(cv2.arcLength(contour, True), 1.0)
    rim = cv2.morphologyEx(filled, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0
    gx, gy = cv2.Sobel(signal, cv2.CV_32F, 1, 0)[rim], cv2.Sobel(signal, cv2.CV_32F, 0, 1)[rim]
    steep = float(np.hypot(gx, gy).mean()) / 8 * size if rim.any() else 0.0
    nearby = float(np.sqrt((signal[ring] ** 2).mean())) + 1e-3
    chroma = np.hypot(change[1], change[2]) + 1e-6
    features = (
        np.log(size / scene.per_mm),
        np.log(size * scene.step),
        0.0,
        change[0],
        change[1],
        change[2],
        change[2] / chroma,
        change[1] / chroma,
        (change[2] - change[1]) / (np.linalg.norm(change) + 1e-6),
        ring_spread,
        np.sqrt(values[1] / values[0]),
        area / hull,
        steep,
        skin_share,
        np.log(nearby),
        outside[0] / 100,
        4 * np.pi * area / perimeter**2,
        float((np.abs(signal[ring]) > 0.4).mean()),
    )
    outline = contour[:: max(1, len(contour) // 24), 0] + 0.5 + origin
    return Blob(
        cx + 0.5 + origin[0],
        cy + 0.5 + origin[1],
        float(size),
        inside,
        outside,
        tuple(float(f) for f in features),
        outline,
    )
