"""Fine hair parted from what it lies on: a small net gives, for each pixel, how far hairs thinner than three pixels
change its light and colour.

Pores, furrows of the skin and threads of cloth are as fine, and as strong; what tells a hair is that it goes on one way
with one width. The net (convolutions on two scales, after Ronneberger et al. 2015; fitted by benchmarks/fit_down.py
on made-up people) is run by OpenCV.
"""

from functools import cache
from pathlib import Path
from threading import Lock

import cv2
import numpy as np

from lather.core.types import Lab, Mask, Rect

FILE = Path(__file__).parents[2] / "data" / "strands" / "fine_hair.onnx"
REACH_PX = 36
"""How far around a pixel the net and its planes look."""
STEP_PX = 4
"""Of the net's coarse scale: what is read twice has to begin on the same of its steps to come out the same."""
RUN_PX = 25
"""Length that a hair is followed over, to tell a long one from a short one."""
_BROAD = 5.0  # px (sigma): what is broader than this is no fine hair
_UNIT = 4.0  # L*, a*, b* of one unit of the net
_MOST = 6.0
_WAYS = 8
_BLOCK_PX = 256
_SEEN_PX = _BLOCK_PX + 2 * REACH_PX  # a multiple of STEP_PX

_one_at_a_time = Lock()


@cache
def _net() -> cv2.dnn.Net:
    return cv2.dnn.readNetFromONNX(str(FILE))


def whole_steps(rect: Rect) -> Rect:
    """The rectangle made wider so that it begins on a step of the net, counted from the photo's corner."""
    return Rect(rect.x0 // STEP_PX * STEP_PX, rect.y0 // STEP_PX * STEP_PX, rect.x1, rect.y1)


def planes(lab: Lab) -> np.ndarray:
    """What the net sees of L*a*b* (h, w, 3): float32 (3, h, w), without what is broad."""
    fine = lab - cv2.GaussianBlur(lab, (0, 0), _BROAD, borderType=cv2.BORDER_REFLECT)
    return np.ascontiguousarray(np.clip(fine / np.float32(_UNIT), -_MOST, _MOST).transpose(2, 0, 1), np.float32)


def fine_hair(lab: Lab, where: np.ndarray | None = None) -> Lab:
    """What fine hairs add to L*a*b* (h, w, 3), float32 of the same shape; taken off, the ground is left.

    where: bool (h, w), the pixels that are asked for; elsewhere it is 0.
    """
    height, width = lab.shape[:2]
    out = np.zeros(lab.shape, np.float32)
    for top in range(0, height, _BLOCK_PX):
        for left in range(0, width, _BLOCK_PX):
            own = np.s_[top : top + _BLOCK_PX, left : left + _BLOCK_PX]
            if where is None or where[own].any():
                y0, x0 = max(0, top - REACH_PX), max(0, left - REACH_PX)
                hair = _of_block(lab[y0 : top + _BLOCK_PX + REACH_PX, x0 : left + _BLOCK_PX + REACH_PX])
                out[own] = hair[top - y0 :, left - x0 :][: out[own].shape[0], : out[own].shape[1]]
    return out if where is None else out * where[..., None]


def _of_block(lab: Lab) -> Lab:
    """Of a block with what is around it, always seen at one size: the net is laid out for it once."""
    height, width = lab.shape[:2]
    seen = np.zeros((3, _SEEN_PX, _SEEN_PX), np.float32)
    seen[:, :height, :width] = planes(lab)
    with _one_at_a_time:
        net = _net()
        net.setInput(seen[None], "seen")
        hair = net.forward()[0, :, :height, :width]
        return np.ascontiguousarray(hair.transpose(1, 2, 0)) * np.float32(_UNIT)


@cache
def _runs(length: int) -> tuple[np.ndarray, ...]:
    """Lines of a length through the middle, one for each way; each sums to 1."""
    kernels = []
    for turn in np.arange(_WAYS) * np.pi / _WAYS:
        kernel = np.zeros((length, length), np.uint8)
        middle, way = length // 2, (length // 2) * np.array([np.cos(turn), np.sin(turn)])
        ends = [tuple(round((middle + sign * one) * 16) for one in way) for sign in (-1, 1)]
        cv2.line(kernel, *ends, 255, 1, cv2.LINE_AA, 4)
        kernels.append(kernel.astype(np.float32) / max(int(kernel.sum()), 1))
    return tuple(kernels)


def prominence(hair_light: np.ndarray) -> Mask:
    """How long and strong the hair at each pixel is, L*: the mean of what it adds to the light along its way.

    hair_light: (h, w), the first channel of `fine_hair`. float32 of the same shape.
    """
    out = np.zeros(hair_light.shape, np.float32)
    for kernel in _runs(RUN_PX):
        np.maximum(out, np.abs(cv2.filter2D(hair_light, -1, kernel, borderType=cv2.BORDER_REFLECT)), out=out)
    return out
