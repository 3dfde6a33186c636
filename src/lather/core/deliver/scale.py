"""A picture at another size: in linear light, by a filter that rings little."""

import numpy as np
from PIL import Image

from lather.core.colour import transfer
from lather.core.types import EncodedRGB


def scale_in_linear_light(encoded: EncodedRGB, size: tuple[int, int], profile: bytes | None) -> EncodedRGB:
    """(h, w, 3) float 0-1 to (width, height) `size`. Made smaller by Lanczos' filter of three lobes, widened by the
    factor; made larger by Catmull and Rom's cubic (both as Pillow has them).

    Channel by channel: not more than two planes of light are held beside the picture.
    """
    height, width = encoded.shape[:2]
    if (width, height) == tuple(size):
        return encoded
    smaller = size[0] * size[1] < width * height
    method = Image.Resampling.LANCZOS if smaller else Image.Resampling.BICUBIC
    out = np.empty((size[1], size[0], 3), np.float32)
    for channel in range(3):
        light = transfer.decode(np.clip(np.ascontiguousarray(encoded[..., channel], np.float32), 0, 1), profile)
        scaled = np.asarray(Image.fromarray(light).resize(size, method))
        out[..., channel] = transfer.encode(np.clip(scaled, 0, 1), profile)
    return out
