"""What a careless hand does, done on purpose: skin copied from elsewhere."""

import cv2
import numpy as np


def copied_disc(
    picture: np.ndarray, source: tuple[int, int], target: tuple[int, int], radius: int, *, turn: float = 0.0,
    mirror: bool = False,
) -> np.ndarray:
    """A copy of a picture (h, w, 3) in which a disc around `source` (x, y) lies over `target` too, with a soft rim of
    4 px. radius: px; both discs lie inside the picture. turn: degrees.
    """
    def part(place: tuple[int, int]) -> tuple[slice, slice]:
        return np.s_[place[1] - radius : place[1] + radius, place[0] - radius : place[0] + radius]

    result = picture.astype(np.float32)
    patch = result[part(source)].copy()
    patch = np.ascontiguousarray(patch[:, ::-1] if mirror else patch)
    matrix = cv2.getRotationMatrix2D((radius - 0.5, radius - 0.5), turn, 1)
    patch = cv2.warpAffine(patch, matrix, (2 * radius,) * 2, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    v, u = np.mgrid[-radius:radius, -radius:radius]
    share = np.clip((radius - np.hypot(u, v)) / 4, 0, 1)[..., None]
    result[part(target)] = share * patch + (1 - share) * result[part(target)]
    return result
