"""A turned square cut out of a picture, and places carried between the two."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.types import EncodedRGB


@dataclass(frozen=True)
class Crop:
    """A square of `side` picture px around `middle`, whose upper edge runs along `angle` (radians); `out` px across.

    mirrored: left and right are changed.
    """

    middle: tuple[float, float]
    side: float
    angle: float
    out: int
    mirrored: bool = False

    @property
    def to_crop_matrix(self) -> np.ndarray:
        """(2, 3): picture px to crop px, pixel corners at whole numbers."""
        scale = self.out / self.side
        cos, sin = np.cos(self.angle) * scale, np.sin(self.angle) * scale
        x, y = self.middle
        matrix = np.array([[cos, sin, self.out / 2 - cos * x - sin * y], [-sin, cos, self.out / 2 + sin * x - cos * y]])
        if self.mirrored:
            matrix[0] = -matrix[0]
            matrix[0, 2] += self.out
        return matrix

    def cut(self, picture: EncodedRGB) -> EncodedRGB:
        """float32 (out, out, 3), by area where it is made smaller; black outside."""
        shrink = min(1.0, 2 * self.out / self.side)
        if shrink < 0.75:  # what is thrown away is averaged first
            reach = 0.75 * self.side
            x0, y0 = (max(0, int(v - reach)) for v in self.middle)
            part = picture[y0 : int(self.middle[1] + reach) + 1, x0 : int(self.middle[0] + reach) + 1]
            if not part.size:
                return np.zeros((self.out, self.out, 3), np.float32)
            small = cv2.resize(part, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
            fx, fy = small.shape[1] / part.shape[1], small.shape[0] / part.shape[0]
            to_small = np.array([[fx, 0, -fx * x0], [0, fy, -fy * y0], [0, 0, 1.0]])
            matrix = np.vstack([self.to_crop_matrix, [0, 0, 1]]) @ np.linalg.inv(to_small)
            return self._warped(small, matrix[:2])
        return self._warped(picture, self.to_crop_matrix)

    def _warped(self, picture: EncodedRGB, matrix: np.ndarray) -> EncodedRGB:
        shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])  # pixel centres lie at halves
        centred = np.linalg.inv(shift) @ np.vstack([matrix, [0, 0, 1]]) @ shift
        return cv2.warpAffine(picture, centred[:2], (self.out, self.out), flags=cv2.INTER_LINEAR)

    def to_crop(self, places: np.ndarray) -> np.ndarray:
        """Places (n, 2) in picture px, in crop px."""
        matrix = self.to_crop_matrix
        return np.asarray(places, float) @ matrix[:, :2].T + matrix[:, 2]

    def to_picture(self, places: np.ndarray) -> np.ndarray:
        """Places (n, 2) in crop px, in picture px."""
        matrix = np.vstack([self.to_crop_matrix, [0, 0, 1]])
        back = np.linalg.inv(matrix)
        return places @ back[:2, :2].T + back[:2, 2]

    def laid(self, values: np.ndarray, origin: tuple[float, float], scale: float, shape: tuple[int, int]) -> np.ndarray:
        """Values (out, out) of the crop on a grid of `shape` whose pixel is `scale` picture px, from `origin` on."""
        matrix = np.vstack([self.to_crop_matrix, [0, 0, 1]])
        to_picture = np.array([[scale, 0, origin[0]], [0, scale, origin[1]], [0, 0, 1.0]])
        shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
        whole = np.linalg.inv(shift) @ matrix @ to_picture @ shift
        return cv2.warpAffine(np.ascontiguousarray(values), whole[:2], shape[::-1],
                              flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
