"""Exposure in stops, in linear light."""

import numpy as np

from lather.core.loops import loop
from lather.core.types import EncodedRGB

_KNEE, _LINEAR_KNEE = np.float32(0.04045), np.float32(0.0031308)
_ENCODED = np.float32(np.log(2) / 2.4)  # of a stop, in the logarithm of an encoded value
_ROOM_TAKEN = np.float32(0.5)  # of what is left up to white: a lift never clips what was not clipped


def exposed(pixels: EncodedRGB, stops: np.ndarray) -> EncodedRGB:
    """Pixels (h, w, 3) with an exposure (h, w): a new array. Hue is kept: all channels get the same factor.

    sRGB's curve is a power but for its darkest part, so that a factor in linear light is one in encoded values too
    (IEC 61966-2-1: 1.055 v^(1/2.4) − 0.055). Other profiles' curves are near enough to be taken for it.
    """
    out = np.empty_like(pixels)
    _expose(pixels, np.ascontiguousarray(stops, np.float32), out)
    return out


@loop("f4[:, :, ::1], f4[:, ::1], f4[:, :, ::1]", fastmath=True)
def _expose(pixels, stops, out):  # pragma: no cover - compiled
    off, one = np.float32(0.055), np.float32(1)
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            stop = stops[y, x]
            if stop == 0:
                for c in range(3):
                    out[y, x, c] = pixels[y, x, c]
                continue
            factor = np.exp(stop * _ENCODED)
            if stop > 0:
                most = max(pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2])
                room = max(np.float32(0), one - most)
                factor = min(factor, one + _ROOM_TAKEN * room / (most + off))
            linear = np.float32(0)  # worked out where a channel is in the straight part of the curve
            for c in range(3):
                value = pixels[y, x, c]
                if value > _KNEE:
                    value = (value + off) * factor - off
                    if value < _KNEE:  # it came down into the straight part
                        value = np.float32(12.92) * ((value + off) / np.float32(1.055)) ** np.float32(2.4)
                else:
                    if linear == 0:
                        linear = factor ** np.float32(2.4)
                    light = value / np.float32(12.92) * linear
                    value = light * np.float32(12.92)
                    if light > _LINEAR_KNEE:
                        value = np.float32(1.055) * light ** np.float32(1 / 2.4) - off
                out[y, x, c] = value
