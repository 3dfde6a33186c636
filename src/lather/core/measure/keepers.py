"""Keepers: marks that must stay. Whether the retouch left them as they were."""

from collections.abc import Callable, Sequence

import numpy as np

from lather.core.colour import profiles
from lather.core.colour.lab import delta_e2000
from lather.core.job.finds import Find
from lather.core.types import EncodedRGB, Rect

CHANGED_DE = 1.5
_AROUND = 0.4  # of a mark's size: skin around it that says what light was laid there
_KNEE = np.float32(0.055)  # of sRGB's curve: a factor in light is one in encoded values with it


def find_box(find: Find, margin: float = 0.0) -> Rect:
    """Pixels around a find's outline (or its size, where it has none)."""
    if find.outline:
        points = np.array(find.outline)
        low, high = points.min(0) - margin, points.max(0) + margin
        return Rect(int(np.floor(low[0])), int(np.floor(low[1])), int(np.ceil(high[0])) + 1, int(np.ceil(high[1])) + 1)
    half = find.size_px / 2 + margin
    return Rect(int(find.x - half), int(find.y - half), int(find.x + half) + 1, int(find.y + half) + 1)


def is_intact(find: Find, before: EncodedRGB, after: EncodedRGB, profile: bytes | None) -> bool:
    """True if the mean change inside the keeper's box stays under 1.5 ΔE00."""
    if before.size == 0:
        return True
    change = delta_e2000(profiles.to_lab(before, profile), profiles.to_lab(after, profile))
    return float(change.mean()) < CHANGED_DE


def intact_keepers(
    keepers: Sequence[Find], before: Callable[[Rect], EncodedRGB], after: Callable[[Rect], EncodedRGB], bounds: Rect,
    profile: bytes | None,
) -> list[Find]:
    """Those of the keepers that are as they were: light or a tint on a mark and all around it leaves the mark."""
    kept = []
    for find in keepers:
        rect = find_box(find).intersect(bounds)
        if rect.empty:
            kept.append(find)
            continue
        wide = find_box(find, 2 + _AROUND * find.size_px).intersect(bounds)
        was, now = before(wide), after(wide)
        around = np.ones(was.shape[:2], bool)
        own = rect.slices(wide)
        around[own] = False
        if around.any():
            light = np.median((now[around] + _KNEE) / (was[around] + _KNEE), axis=0)  # and its tint
            was = np.clip((was + _KNEE) * light - _KNEE, 0, None)
        if is_intact(find, was[own], now[own], profile):
            kept.append(find)
    return kept
