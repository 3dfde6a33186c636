"""What a face that was seen from close by tells: how much of it is skin, and which of its eyes are closed."""

import cv2
import numpy as np

from lather.core.job.face_map import SIDES, FaceMap
from lather.core.job.face_mesh import EYE_CORNERS, EYES, OVAL
from lather.core.people.groups import numbers_of
from lather.core.people.sheets import Sheet

_CLOSED_AREA = 0.135  # of the square of an eye's width: white and iris that are seen of one that is open
_CLOSED_GAP = 0.2  # of an eye's width between the lids by the mesh: an open one has more


def oval_skin(face: FaceMap | None, near: Sheet | None) -> float | None:
    """Share of a face's oval that is skin, of what is not a feature of it."""
    if face is None or near is None or not face.mesh:
        return None
    inside = _filled(near, face, OVAL)
    features = near.share(numbers_of("features"))
    plain = inside & (features < 0.5)
    return float(near.share(numbers_of("skin"))[plain].mean()) if plain.any() else None


def closed_eyes(face: FaceMap | None, near: Sheet | None) -> tuple[str, ...]:
    """Sides of the eyes that are closed: hardly any white or iris between lids that the mesh sees near each other."""
    if face is None or near is None or not face.mesh:
        return ()
    seen = near.share(numbers_of("eyes"))
    px = float(np.hypot(*near.to_sheet[:, 0]))
    closed = []
    for side in SIDES:
        corners = face.mesh_px[list(EYE_CORNERS[side])]
        across = corners[1] - corners[0]
        width = float(np.hypot(*across))
        up = np.array([-across[1], across[0]]) / max(width, 1e-6)
        heights = (face.mesh_px[list(EYES[side])] - corners.mean(0)) @ up
        around = cv2.dilate(_filled(near, face, EYES[side]).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        area = float(seen[around].sum()) / max((width * px) ** 2, 1)
        if area < _CLOSED_AREA and np.ptp(heights) < _CLOSED_GAP * width:
            closed.append(side)
    return tuple(closed)


def _filled(near: Sheet, face: FaceMap, outline) -> np.ndarray:
    places = face.mesh_px[list(outline)] @ near.to_sheet[:, :2].T + near.to_sheet[:, 2]
    out = np.zeros(near.weight.shape, np.uint8)
    cv2.fillPoly(out, [np.round((places - 0.5) * 16).astype(np.int32)], 1, shift=4)
    return out > 0
