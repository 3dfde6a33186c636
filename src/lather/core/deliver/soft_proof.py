"""A picture as a profile will show it, and where its colours cannot be had there."""

from dataclasses import dataclass

import numpy as np

from lather.core.colour import profiles
from lather.core.colour.lab import delta_e2000
from lather.core.types import EncodedRGB

OUT_OF_GAMUT_DE = 2.5  # ΔE00 from which a colour counts as out of reach: it would be seen side by side


@dataclass(frozen=True)
class SoftProof:
    """shown: encoded sRGB (h, w, 3). away: ΔE00 by which each pixel misses its colour (h, w), black point seen to."""

    shown: EncodedRGB
    away: np.ndarray

    @property
    def out_share(self) -> float:
        """Share of pixels out of gamut, 0-1."""
        return float((self.away > OUT_OF_GAMUT_DE).mean())

    @property
    def largest(self) -> float:
        """ΔE00 that one pixel in a thousand is beyond."""
        return float(np.percentile(self.away, 99.9))

    def worst(self) -> tuple[int, int]:
        """(x, y) of the middle of the worst place."""
        y, x = np.unravel_index(int(np.argmax(self.away)), self.away.shape)
        return int(x), int(y)


def soft_proof(
    encoded: EncodedRGB, profile: bytes | None, target: bytes, *, intent: str = "relative", black_point: bool = True
) -> SoftProof:
    """encoded: (h, w, 3) 0-1 in `profile`. intent: relative or perceptual. The screen shows the target's own black."""
    screen = profiles.srgb_profile()
    there = profiles.convert(encoded, profile, target, intent=intent, black_point=black_point)
    shown = profiles.convert(there, target, screen, black_point=False)
    back = profiles.convert(there, target, screen, black_point=black_point)
    away = delta_e2000(profiles.to_lab(encoded, profile), profiles.to_lab(back, screen))
    return SoftProof(shown, away.astype(np.float32))

