"""Where a flaw may be, and how large: a small net run over all skin, at every scale.

A difference of Gaussians answers to what stands out, so where pores glitter it proposes the glitter, and a flaw among
it is never measured. The net (convolutions over two scales, as in Ronneberger et al. 2015; the answer is a heat map of
middles, as in Zhou et al. 2019) has learnt what does not belong there. It is fitted by benchmarks/fit_proposals.py and
run by OpenCV.
"""

from functools import cache
from pathlib import Path
from threading import local

import cv2
import numpy as np

from lather.core.find import boosted_trees
from lather.core.find.spots import blob_fit
from lather.core.threads import BACKGROUND

PLANES = blob_fit.CHANNELS + 2  # of L*, a*, b*, pigment what differs from around; L*; skin
STRIDE = 2  # pixels of a layer per cell of the answer
LEAST_LOG_ODDS = -4.5  # two to five flaws in a hundred are less likely, and twice as many places are
LARGEST_PX = 9.0  # across, in pixels of the layer on which a flaw is looked for
AROUND_PX = 12.0
_UNIT = np.array([6.0, 3.0, 3.0, 6.0], np.float32)  # of each channel: what a plain flaw changes it by
_CLIP = 4.0
_STRIP, _MARGIN = 216, 20  # pixels; the margin is as far as the net sees
_EVEN = 32  # pixels: widths of strips are multiples of it, and all corners of 4, as the net halves twice
_RIM = _MARGIN // STRIDE  # cells
_SKIN = 0.3
_held = local()


def level_of(sizes: np.ndarray, layers: int) -> np.ndarray:
    """The layer on which flaws of these sizes (px of the finest layer) are looked for."""
    return np.clip(np.ceil(np.log2(np.maximum(sizes, 1e-6) / LARGEST_PX)), 0, layers - 1).astype(int)


def planes(values: np.ndarray, skin: np.ndarray) -> np.ndarray:
    """(PLANES, h, w) float32 that the net looks at, of a layer's channels (h, w, 4) and skin (h, w)."""
    small = tuple(max(1, n // 4) for n in skin.shape[::-1])
    shape = skin.shape[::-1]
    held = cv2.resize(values * skin[..., None], small, interpolation=cv2.INTER_AREA)
    share = cv2.resize(skin, small, interpolation=cv2.INTER_AREA)
    around = cv2.GaussianBlur(held, (0, 0), AROUND_PX / 4)
    around /= np.maximum(cv2.GaussianBlur(share, (0, 0), AROUND_PX / 4), 1e-3)[..., None]
    out = np.empty((PLANES, *skin.shape), np.float32)
    for n in range(blob_fit.CHANNELS):
        mean = cv2.resize(around[..., n], shape, interpolation=cv2.INTER_LINEAR)
        np.subtract(values[..., n], mean, out=out[n])
        out[n] *= skin / _UNIT[n]
        np.clip(out[n], -_CLIP, _CLIP, out=out[n])
        if n == 0:
            np.multiply(mean, skin / 50, out=out[-2])
    out[-1] = skin
    return out


def heat(layer_planes: np.ndarray, folder: Path = boosted_trees.FOLDER) -> tuple[np.ndarray, np.ndarray]:
    """Log odds that a cell is in the middle of a flaw, and log2 of its size over LARGEST_PX; (h / 2, w / 2) each.

    -inf where there is no skin. folder: of the weights.
    """
    height, width = layer_planes.shape[1:]
    right = -(-width // _EVEN) * _EVEN
    strips = range(0, height, _STRIP)
    padded = np.zeros((PLANES, len(strips) * _STRIP + 2 * _MARGIN, right + 2 * _MARGIN), np.float32)
    padded[:, _MARGIN : _MARGIN + height, _MARGIN : _MARGIN + width] = layer_planes
    odds = np.full((len(strips) * _STRIP // STRIDE, right // STRIDE), -np.inf, np.float32)
    sizes = np.zeros(odds.shape, np.float32)

    def answer(top: int) -> None:
        columns = np.flatnonzero((layer_planes[-1, top : top + _STRIP] > _SKIN).any(0))
        if not len(columns):
            return
        x0, x1 = columns[0] // _EVEN * _EVEN, -(-(columns[-1] + 1) // _EVEN) * _EVEN
        net = _net_here(folder)
        net.setInput(padded[None, :, top : top + _STRIP + 2 * _MARGIN, x0 : x1 + 2 * _MARGIN].copy())
        middle, size = (part[_RIM:-_RIM, _RIM:-_RIM] for part in net.forward()[0])
        to = np.s_[top // STRIDE : (top + _STRIP) // STRIDE, x0 // STRIDE : x1 // STRIDE]
        odds[to], sizes[to] = middle, size

    list(BACKGROUND.map(answer, strips))
    shape = np.s_[: -(-height // STRIDE), : -(-width // STRIDE)]
    skin = cv2.resize(layer_planes[-1], odds[shape].shape[::-1], interpolation=cv2.INTER_AREA)
    return np.where(skin > _SKIN, odds[shape], -np.inf), sizes[shape]


def propose(layers, most: int, folder: Path = boosted_trees.FOLDER) -> np.ndarray:
    """(n, 4) x, y, size (px of the finest layer) and log odds of up to `most` places, likeliest first. folder: of the
    weights."""
    found = [np.empty((0, 4))]
    for level, (values, skin) in enumerate(layers):
        if min(skin.shape) < 8 or not (skin > 0.5).any():
            continue
        odds, size = heat(planes(values, skin), folder)
        peak = (odds >= cv2.dilate(odds, np.ones((3, 3), np.uint8))) & (odds > LEAST_LOG_ODDS)
        ys, xs = np.nonzero(peak)
        step = STRIDE << level
        across = LARGEST_PX * (1 << level) * np.exp2(np.clip(size[ys, xs], -1.6, 0.7))
        found.append(np.stack([(xs + 0.5) * step, (ys + 0.5) * step, across, odds[ys, xs]], 1))
    height, width = layers[0][1].shape
    seeds = np.concatenate(found).astype(np.float64)
    seeds[:, :2] = np.minimum(seeds[:, :2], (width - 0.5, height - 0.5))  # the last cell may reach beyond the picture
    return seeds[np.argsort(-seeds[:, 3], kind="stable")[:most]]


def _net_here(folder: Path) -> cv2.dnn.Net:
    """The net of this thread: OpenCV's nets hold their answer, so two threads cannot share one."""
    nets = _held.__dict__.setdefault("nets", {})
    if folder not in nets:
        nets[folder] = cv2.dnn.readNetFromONNX(_bytes(folder))
    return nets[folder]


@cache
def _bytes(folder: Path) -> np.ndarray:
    return np.frombuffer((folder / "proposals.onnx").read_bytes(), np.uint8)
