"""View arithmetic: where source pixels fall on the screen. No widget, no Qt."""

import math
from dataclasses import dataclass, replace

from lather.core.types import Rect

LEAST_SCALE, MOST_SCALE = 1 / 64, 32.0
_STEPS = (0.0625, 0.125, 0.25, 0.333, 0.5, 0.667, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0, 8.0, 12.0, 16.0, 24.0, 32.0)


@dataclass(frozen=True)
class View:
    """scale: device pixels per source pixel. x, y: source place at the top-left corner of the canvas.

    width, height: canvas in device pixels. mirrored: left and right are changed round, about the middle of the canvas.
    All methods give new views.
    """

    scale: float = 1.0
    x: float = 0.0
    y: float = 0.0
    width: int = 1
    height: int = 1
    mirrored: bool = False

    def across(self, sx: float) -> float:
        """A column of the canvas as it would be in a view that is not mirrored; and back."""
        return self.width - sx if self.mirrored else sx

    def to_source(self, sx: float, sy: float) -> tuple[float, float]:
        return self.x + self.across(sx) / self.scale, self.y + sy / self.scale

    def to_screen(self, px: float, py: float) -> tuple[float, float]:
        return self.across((px - self.x) * self.scale), (py - self.y) * self.scale

    def level(self, top: int) -> int:
        """The coarsest level that still has a pixel for every device pixel, at most `top`."""
        return max(0, min(top, math.floor(math.log2(1 / self.scale) + 1e-6)))

    def visible(self, picture: Rect, level: int = 0) -> Rect:
        """Pixels of a level that can be seen."""
        seen = Rect(
            math.floor(self.x), math.floor(self.y),
            math.ceil(self.x + self.width / self.scale), math.ceil(self.y + self.height / self.scale),
        )
        return seen.intersect(picture).at_level(level)

    def zoomed(self, factor: float, sx: float, sy: float) -> "View":
        """Scaled with the place under (sx, sy) staying where it is."""
        return self.at_scale(self.scale * factor, sx, sy)

    def at_scale(self, scale: float, sx: float, sy: float) -> "View":
        scale = min(MOST_SCALE, max(LEAST_SCALE, scale))
        px, py = self.to_source(sx, sy)
        return replace(self, scale=scale, x=px - self.across(sx) / scale, y=py - sy / scale)

    def stepped(self, direction: int, sx: float, sy: float) -> "View":
        """The next scale up (+1) or down (−1) in a row of round ones."""
        if direction > 0:
            scale = next((s for s in _STEPS if s > self.scale * 1.01), MOST_SCALE)
        else:
            scale = next((s for s in reversed(_STEPS) if s < self.scale * 0.99), LEAST_SCALE)
        return self.at_scale(scale, sx, sy)

    def moved(self, dx: float, dy: float) -> "View":
        """The picture moved by device pixels."""
        dx = -dx if self.mirrored else dx
        return replace(self, x=self.x - dx / self.scale, y=self.y - dy / self.scale)

    def centred(self, px: float, py: float) -> "View":
        return replace(self, x=px - self.width / self.scale / 2, y=py - self.height / self.scale / 2)

    def fitted(self, picture: Rect, margin: int = 12) -> "View":
        """The whole picture in the middle, never over 100 %."""
        room_w, room_h = max(1, self.width - 2 * margin), max(1, self.height - 2 * margin)
        scale = min(room_w / max(1, picture.width), room_h / max(1, picture.height), 1.0)
        return replace(self, scale=max(LEAST_SCALE, scale)).centred(picture.width / 2, picture.height / 2)

    def resized(self, width: int, height: int) -> "View":
        """Another canvas size; the middle stays in the middle."""
        cx, cy = self.to_source(self.width / 2, self.height / 2)
        return replace(self, width=max(1, width), height=max(1, height)).centred(cx, cy)

    def kept_near(self, picture: Rect) -> "View":
        """Moved back if the picture would leave the canvas: a quarter of it always stays in sight."""
        room_w, room_h = self.width / self.scale, self.height / self.scale
        keep_w, keep_h = min(picture.width, room_w) / 4, min(picture.height, room_h) / 4
        x = min(max(self.x, keep_w - room_w), picture.width - keep_w)
        y = min(max(self.y, keep_h - room_h), picture.height - keep_h)
        return replace(self, x=x, y=y)
