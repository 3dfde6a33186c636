"""Where each place of one photo lies in another."""

from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import cv2
import numpy as np
import scipy


class FrameMap(Protocol):
    """From the photo a retouch was made on to the one it is carried to. Places are source px of each."""

    def places(self, xy: np.ndarray) -> np.ndarray:
        """Places (…, 2) of the first photo, in the second."""

    def linear(self, x: float, y: float) -> np.ndarray:
        """(2, 2) of directions around a place."""

    def sure(self, xy: np.ndarray) -> np.ndarray:
        """How far places (…, 2) are to be trusted, 0-1: 0 where nothing was found to hold on to."""


@dataclass(frozen=True)
class Affine:
    """The whole picture moved, turned, enlarged. matrix: (2, 3)."""

    matrix: np.ndarray

    def places(self, xy: np.ndarray) -> np.ndarray:
        """Places (…, 2) of one photo, on the other."""
        return np.asarray(xy, float) @ self.matrix[:, :2].T + self.matrix[:, 2]

    def linear(self, x: float, y: float) -> np.ndarray:
        """The map around a place, (2, 2)."""
        return self.matrix[:, :2]

    def sure(self, xy: np.ndarray) -> np.ndarray:
        """1 everywhere: one map holds for the whole shot."""
        return np.ones(np.asarray(xy).shape[:-1])


@dataclass(frozen=True)
class Field:
    """A smooth field over the first photo: to (h, w, 2) px of the second photo, trust (h, w), at places `step` px apart
    from `start` (x, y) on. Beyond its rim it goes on as it ends there.
    """

    to: np.ndarray
    trust: np.ndarray
    start: tuple[float, float]
    step: float

    def _at(self, xy: np.ndarray) -> np.ndarray:
        """Rows and columns (2, …) of the field, fractions and all."""
        at = (np.asarray(xy, float) - self.start) / self.step
        return np.stack([at[..., 1], at[..., 0]])

    def places(self, xy: np.ndarray) -> np.ndarray:
        """Places (…, 2) of one photo, on the other."""
        at = self._at(xy)
        rows, columns = self.trust.shape
        inside = np.stack([np.clip(at[0], 0, rows - 1), np.clip(at[1], 0, columns - 1)])
        found = np.stack([scipy.ndimage.map_coordinates(self.to[..., k], inside, order=1) for k in (0, 1)], -1)
        beyond = np.stack([at[1] - inside[1], at[0] - inside[0]], -1) * self.step
        return found + beyond @ self._usual.T

    @cached_property
    def _usual(self) -> np.ndarray:
        """(2, 2): the turn and scale of the whole, for what lies beyond."""
        rows, columns = self.trust.shape
        ys, xs = np.mgrid[0:rows, 0:columns].reshape(2, -1) * self.step
        here, there = (np.array(v, np.float32, order="C") for v in (np.array([xs, ys]).T[::29],
                                                                    self.to.reshape(-1, 2)[::29]))
        matrix, _ = cv2.estimateAffinePartial2D(here, there)
        return matrix[:, :2] if matrix is not None else np.eye(2)

    def linear(self, x: float, y: float) -> np.ndarray:
        """The map around a place, (2, 2), by differences."""
        h = self.step
        around = self.places(np.array([[x + h, y], [x - h, y], [x, y + h], [x, y - h]]))
        return np.column_stack([around[0] - around[1], around[2] - around[3]]) / (2 * h)

    def sure(self, xy: np.ndarray) -> np.ndarray:
        """How near squares of pores are that tell it, 0-1, for places (…, 2)."""
        return scipy.ndimage.map_coordinates(self.trust, self._at(xy), order=1, cval=0.0)


def scale_of(linear: np.ndarray) -> float:
    """By how much lengths grow, of a (2, 2)."""
    return float(np.sqrt(abs(np.linalg.det(linear))))
