"""Bare skin as a fence: what tone work keeps inside of, so that lips, eyes, brows, hair and cloth stay as they are."""

from collections.abc import Sequence

import cv2
import numpy as np

from lather.core.find.scene import FindScene
from lather.core.job.drawn_marks import Ring
from lather.core.job.fence import Fence
from lather.core.measure.photo_measures import PhotoMeasures

_SIDE = 700
_LEAST_SHARE = 0.0015
_FEATHER_SHARE = 0.012  # of the face width


def skin_fence(measures: PhotoMeasures, without: Sequence[Ring] = ()) -> Fence | None:
    """Fence around the photo's bare skin, None where there is none. without: outlines (source px) that are left out."""
    scene = FindScene(measures)
    bare = (scene.bare > 0.5).astype(np.uint8)
    for ring in without:
        corners = np.array([scene.to_here(x, y) for x, y in ring])
        cv2.fillPoly(bare, [np.round(corners).astype(np.int32)], 0)
    shrink = min(1.0, _SIDE / max(bare.shape))
    small = cv2.resize(bare, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    contours, _ = cv2.findContours(small, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    rings = []
    for contour in contours:
        if cv2.contourArea(contour) < _LEAST_SHARE * small.size:
            continue
        simple = cv2.approxPolyDP(contour, 0.9, True)[:, 0]
        if len(simple) > 2:
            rings.append(tuple(
                tuple(round(v, 1) for v in scene.to_source((x + 0.5) / shrink, (y + 0.5) / shrink)) for x, y in simple
            ))
    return Fence(tuple(rings), _FEATHER_SHARE * measures.face_width_px) if rings else None
