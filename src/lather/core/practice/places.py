"""Free places for flaws: clear of the edges of what they lie on and of flaws already drawn."""

import cv2
import numpy as np

from lather.core.practice.sitters import Sitter

_TRIES = 6000


class Places:
    """Hands out places; `edge_margin_px` is how far flaws keep from the border of their zone."""

    def __init__(self, sitter: Sitter, rng: np.random.Generator, edge_margin_px: float):
        self._sitter, self._rng = sitter, rng
        self.edge_margin_px = edge_margin_px
        self._luminance = cv2.GaussianBlur(sitter.linear.mean(-1), (0, 0), 4)
        self._of_zone: dict[int, tuple[np.ndarray, np.ndarray]] = {}
        self._clear: dict[tuple, np.ndarray] = {}
        self._taken: dict[str, list[tuple[float, float, float]]] = {}

    def clear(self, *zones: int) -> np.ndarray:
        """Distance in px to the border of some zones, float32 (h, w)."""
        if zones not in self._clear:
            inside = np.isin(self._sitter.zones, zones).astype(np.uint8)
            pad = cv2.copyMakeBorder(inside, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)
            self._clear[zones] = cv2.distanceTransform(pad, cv2.DIST_L2, 5)[1:-1, 1:-1]
        return self._clear[zones]

    def free(self, x: float, y: float, radius: float, gap: float = 4.0, among: str = "flaws") -> bool:
        """True if a disc, with a gap around it, touches none that was claimed. among: which of them."""
        taken = np.array(self._taken.get(among, ()), float).reshape(-1, 3)
        return bool((np.hypot(taken[:, 0] - x, taken[:, 1] - y) > radius + gap + taken[:, 2]).all())

    def claim(self, x: float, y: float, radius: float, among: str = "flaws") -> None:
        """From now on this disc is taken."""
        self._taken.setdefault(among, []).append((x, y, radius))

    def propose(self, radius: float, zone: int, *, gap: float, where: np.ndarray | None = None,
                least_light: float = 0.02, among: str = "flaws") -> tuple[float, float] | None:
        """A free middle for a flaw of `radius` px in a zone (and in a mask), or None if it is full.

        among: only flaws of one group keep apart (spots may lie on a blotch).
        """
        margin = self.edge_margin_px if among == "flaws" else 0.0
        clear = self.clear(zone)
        ys, xs = self._pixels(zone)
        if len(ys) == 0:
            return None
        for i in self._rng.integers(len(ys), size=_TRIES):
            row, column = ys[i], xs[i]
            if clear[row, column] <= radius + margin or not least_light < self._luminance[row, column] < 0.85:
                continue  # at an edge; or in deep shadow or burnt out, where a flaw would not show
            x, y = float(column) + 0.5, float(row) + 0.5
            if (where is None or where[row, column]) and self.free(x, y, radius, gap, among):
                return x, y
        return None

    def _pixels(self, zone: int) -> tuple[np.ndarray, np.ndarray]:
        if zone not in self._of_zone:
            self._of_zone[zone] = np.nonzero(self._sitter.zones == zone)
        return self._of_zone[zone]

    def take(self, radius: float, zone: int, *, among: str = "flaws", **wanted) -> tuple[float, float] | None:
        """Like `propose`, and the place is claimed."""
        place = self.propose(radius, zone, among=among, **wanted)
        if place is not None:
            self.claim(*place, radius, among)
        return place

    def take_path(self, path: np.ndarray, radius: float, zone: int | None) -> bool:
        """Claim a line (n, 2) if all of it lies free in a zone."""
        height, width = self._sitter.zones.shape
        xs, ys = path[:, 0].astype(int), path[:, 1].astype(int)
        if (xs < 1).any() or (ys < 1).any() or (xs >= width - 1).any() or (ys >= height - 1).any():
            return False
        if zone is not None and (self.clear(zone)[ys, xs] < radius + 1).any():
            return False
        if not all(self.free(float(x), float(y), radius) for x, y in path):
            return False
        for x, y in path[:: max(1, int(radius))]:
            self.claim(float(x), float(y), radius)
        return True
