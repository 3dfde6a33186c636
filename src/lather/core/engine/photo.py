"""The photo under a job: its codes, levels and profile. Never written to."""

import hashlib
import threading
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from lather.core.imageio.jpeg_blocks import Blocks, blocks_of
from lather.core.imageio.picture import Picture
from lather.core.job.model import Source
from lather.core.levels import halve_codes
from lather.core.types import EncodedRGB, Rect, as_float32, level_size

_STRIP_ROWS = 32


@dataclass(eq=False)
class Photo:
    """`file_bytes` are the photo's file as it came; `picture` its decoded pixels."""

    picture: Picture
    file_bytes: bytes
    name: str
    _levels: dict[int, np.ndarray] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    @cached_property
    def sha256(self) -> str:
        """Of the file's bytes, in hex."""
        return hashlib.sha256(self.file_bytes).hexdigest()

    @property
    def width(self) -> int:
        """Pixels of level 0."""
        return self.picture.width

    @property
    def height(self) -> int:
        """Pixels of level 0."""
        return self.picture.height

    @property
    def profile(self) -> bytes | None:
        """The ICC profile its codes are in; None means sRGB."""
        return self.picture.profile

    @cached_property
    def bounds(self) -> Rect:
        """All of level 0."""
        return Rect(0, 0, self.width, self.height)

    @cached_property
    def blocks(self) -> Blocks | None:
        """Blocks that JPEG left in it; None where there are none."""
        return blocks_of(self.picture.pixels)

    @property
    def source(self) -> Source:
        """What a job keeps of it to know it again."""
        return Source(self.name, self.width, self.height, self.sha256)

    def level_bounds(self, level: int) -> Rect:
        """All of a level, in its own pixels."""
        return Rect(0, 0, *level_size(self.width, self.height, level))

    def codes(self, level: int) -> np.ndarray:
        """Integer codes of a level; made once, from the nearest one below that is there."""
        if level == 0:
            return self.picture.pixels
        with self._lock:
            if level not in self._levels:
                below = max((one for one in self._levels if one < level), default=0)
                codes = self._levels[below] if below else self.picture.pixels
                self._levels[level] = _halved(codes, level - below)
            return self._levels[level]

    def read(self, rect: Rect, level: int = 0) -> EncodedRGB:
        """float32 (h, w, 3) of a rectangle inside the level."""
        return as_float32(self.codes(level)[rect.y0 : rect.y1, rect.x0 : rect.x1])


def _halved(codes: np.ndarray, times: int) -> np.ndarray:
    """Halved again and again, strip by strip: what lies between takes no memory. To have the first picture of a large
    photo on the screen, fresh memory costs more than the arithmetic.
    """
    if times == 1:
        return halve_codes(codes)
    width, height = level_size(codes.shape[1], codes.shape[0], times)
    out = np.empty((height, width, 3), np.uint16)
    rows = _STRIP_ROWS << times
    for y in range(0, codes.shape[0], rows):
        strip = codes[y : y + rows]
        for _ in range(times):
            strip = halve_codes(strip)
        out[y >> times : (y >> times) + len(strip)] = strip
    return out
