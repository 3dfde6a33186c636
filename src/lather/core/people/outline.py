"""Where people end: the outline of hair and body, and which way is inwards."""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
import scipy

from lather.core.people.reading import People
from lather.core.types import Mask

_LEAST_AREA = 0.004  # of the picture
_BORDER_PX = 2.5
_STEP_PX = 2.0
_PERSON = 0.5


def person_on_small(people: People) -> Mask:
    """Share of anybody 0-1 at the size of the reading, its border drawn to what is seen there."""
    sheet = people.wide
    return sheet.drawn(tuple(range(1, sheet.shares.shape[-1])))


@dataclass(eq=False)
class PersonOutline:
    """Closed or open lines around everybody, in source px."""

    people: People

    @cached_property
    def rings(self) -> list[np.ndarray]:
        """Outlines (n, 2) px, evenly spaced, the person on their right hand as seen."""
        scale = self.people.scale
        mask = person_on_small(self.people)
        inside = (mask > _PERSON).astype(np.uint8)
        found, _ = cv2.findContours(inside, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        rings = []
        for contour in found:
            if cv2.contourArea(contour) > _LEAST_AREA * inside.size:
                ring = contour[:, 0].astype(float) + 0.5
                area = 0.5 * float(np.sum(ring[:, 0] * np.roll(ring[:, 1], -1) - np.roll(ring[:, 0], -1) * ring[:, 1]))
                ring = ring if area > 0 else ring[::-1]
                ring = scipy.ndimage.gaussian_filter1d(ring, 1.5, axis=0, mode="wrap")
                rings.append(_evenly(ring, _STEP_PX) * scale)
        return rings

    def inwards(self, sigma_px: float) -> list[np.ndarray]:
        """Unit vectors (n, 2) into the person along each ring, of the outline as it runs over a length."""
        step = _STEP_PX * self.people.scale
        vectors = []
        for ring in self.rings:
            smooth = scipy.ndimage.gaussian_filter1d(ring, max(1.0, sigma_px / step), axis=0, mode="wrap")
            along = np.roll(smooth, -1, axis=0) - np.roll(smooth, 1, axis=0)
            along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
            vectors.append(np.column_stack([-along[:, 1], along[:, 0]]))
        return vectors

    def snapped(self, x: float, y: float, reach_px: float) -> tuple[np.ndarray, np.ndarray] | None:
        """(place on the outline, unit vector inwards) nearest to a place; None where none is within reach.

        Where the person leaves the picture there is no outline.
        """
        if self._tree is None:
            return None
        far, at = self._tree.query((x, y))
        if far > reach_px:
            return None
        ring, place = self._index[at]
        return self.rings[ring][place], self._inwards_at(round(reach_px / 2))[ring][place]

    def _inwards_at(self, sigma_px: int) -> list[np.ndarray]:
        if self._held[0] != sigma_px:
            self._held = (sigma_px, self.inwards(float(sigma_px)))
        return self._held[1]

    @cached_property
    def _held(self) -> tuple[int, list[np.ndarray]]:
        return (-1, [])

    @cached_property
    def _index(self) -> np.ndarray:
        """(ring, place) of each place that lies inside the frame."""
        return np.array([(n, k) for n, ring in enumerate(self.rings) for k in np.flatnonzero(self._in_frame(ring))])

    @cached_property
    def _tree(self) -> "scipy.spatial.cKDTree | None":
        if not len(self._index):
            return None
        return scipy.spatial.cKDTree(np.array([self.rings[n][k] for n, k in self._index]))

    def _in_frame(self, ring: np.ndarray) -> np.ndarray:
        edge = _BORDER_PX * self.people.scale
        photo = self.people.photo
        return ((ring > edge) & (ring < np.array([photo.width, photo.height]) - edge)).all(1)


def _evenly(ring: np.ndarray, step: float) -> np.ndarray:
    closed = np.vstack([ring, ring[:1]])
    lengths = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.arange(0, lengths[-1], step)
    return np.column_stack([np.interp(at, lengths, closed[:, n]) for n in (0, 1)])
