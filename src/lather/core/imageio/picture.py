"""A picture as read from a file: upright RGB codes, profile, metadata."""

from dataclasses import dataclass, field

import numpy as np

MAX_PIXELS = 400_000_000


@dataclass(frozen=True, eq=False)
class Picture:
    """`pixels`: uint8 or uint16 (h, w, 3), upright. `profile`: ICC bytes, or None (taken as sRGB).

    `exif`: raw Exif block or None. `notes`: what was changed on reading, one sentence each. `ppi`: resolution the file
    states, None if it states none. `grey`: the file holds one channel of grey.
    """

    pixels: np.ndarray
    profile: bytes | None = None
    exif: bytes | None = None
    format: str = ""
    notes: tuple[str, ...] = field(default=())
    ppi: float | None = None
    grey: bool = False

    @property
    def width(self) -> int:
        """Pixels."""
        return self.pixels.shape[1]

    @property
    def height(self) -> int:
        """Pixels."""
        return self.pixels.shape[0]

    @property
    def bits(self) -> int:
        """Of one channel: 8 or 16."""
        return self.pixels.dtype.itemsize * 8
