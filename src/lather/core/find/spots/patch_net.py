"""How a place looks: a small patch around each proposed place, at the proposed size, seen by a small net.

Measured features say how strong, round and crowded a spot is; among pores that glitter, what tells a flaw from them is
its picture. The net (convolutions, LeCun et al. 1998; fitted by benchmarks/fit_look.py) is run by OpenCV.
"""

from functools import cache
from pathlib import Path
from threading import Lock

import cv2
import numpy as np

from lather.core.find import boosted_trees
from lather.core.find.spots import blob_fit
from lather.core.loops import loop

SIDE = 28
REACH = 2.0  # sizes of the blob from its middle to the patch's side
PLANES = blob_fit.CHANNELS + 1  # L*, a*, b*, pigment, and skin
_UNIT = np.array([6.0, 3.0, 3.0, 6.0], np.float32)  # of each channel: what a plain flaw changes it by
_LARGEST_STEP = 1.4  # px of a layer between two samples; a coarser layer is taken beyond


_one_at_a_time = Lock()


@cache
def _net(folder: Path) -> cv2.dnn.Net:
    return cv2.dnn.readNetFromONNX(str(folder / "look.onnx"))


def log_odds(features: np.ndarray, seen: np.ndarray, folder: Path = boosted_trees.FOLDER) -> np.ndarray:
    """(n,) log odds that blobs with features (n, f) and patches (n, PLANES, SIDE, SIDE) are no natural texture. folder:
    of the weights."""
    if not len(features):
        return np.zeros(0)
    with _one_at_a_time:
        net = _net(folder)
        net.setInput(np.ascontiguousarray(features, np.float32)[..., None, None], "features")
        net.setInput(np.ascontiguousarray(seen, np.float32), "patches")
        return net.forward().ravel().astype(float)


def patches(layers, places: np.ndarray) -> np.ndarray:
    """(n, PLANES, SIDE, SIDE) float32 of blobs at places (n, 3: x, y, size in px of the finest layer).

    The channels are less their mean over the skin beyond the blob, in units of what a plain flaw changes.
    """
    out = np.zeros((len(places), PLANES, SIDE, SIDE), np.float32)
    step = 2 * REACH * places[:, 2] / SIDE
    level_of = np.clip(np.ceil(np.log2(np.maximum(step / _LARGEST_STEP, 1e-6))), 0, len(layers) - 1).astype(int)
    for level, (values, skin) in enumerate(layers):
        own = np.flatnonzero(level_of == level)
        if len(own):
            part = np.empty((len(own), PLANES, SIDE, SIDE), np.float32)
            _sample(values, skin, places[own] / (1 << level), _UNIT, part)
            out[own] = part
    return out


@loop("f4[:, :, ::1], f4[:, ::1], f8[:, ::1], f4[::1], f4[:, :, :, ::1]")
def _sample(values, skin, places, unit, out):  # pragma: no cover - compiled
    height, width = skin.shape
    channels = values.shape[2]
    for n in range(places.shape[0]):
        x, y, size = places[n, 0], places[n, 1], places[n, 2]
        step = 2 * REACH * size / SIDE
        total, weight = np.zeros(channels), 1e-6
        for j in range(SIDE):
            for i in range(SIDE):
                px = x + (i + 0.5 - SIDE / 2) * step - 0.5
                py = y + (j + 0.5 - SIDE / 2) * step - 0.5
                px, py = min(max(px, 0.0), width - 1.001), min(max(py, 0.0), height - 1.001)
                i0, j0 = int(px), int(py)
                u, v = px - i0, py - j0
                a, b, c, d = (1 - u) * (1 - v), u * (1 - v), (1 - u) * v, u * v
                bare = (
                    a * skin[j0, i0] + b * skin[j0, i0 + 1] + c * skin[j0 + 1, i0] + d * skin[j0 + 1, i0 + 1]
                )
                out[n, channels, j, i] = bare
                beyond = np.hypot(i + 0.5 - SIDE / 2, j + 0.5 - SIDE / 2) * step > 0.7 * size
                if beyond:
                    weight += bare
                for k in range(channels):
                    value = (
                        a * values[j0, i0, k]
                        + b * values[j0, i0 + 1, k]
                        + c * values[j0 + 1, i0, k]
                        + d * values[j0 + 1, i0 + 1, k]
                    )
                    out[n, k, j, i] = value
                    if beyond:
                        total[k] += bare * value
        for k in range(channels):
            mean = total[k] / weight
            for j in range(SIDE):
                for i in range(SIDE):
                    off = (out[n, k, j, i] - mean) / unit[k]
                    out[n, k, j, i] = min(max(off, -4.0), 4.0) * out[n, channels, j, i]
