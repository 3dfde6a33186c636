"""Hands and other skin in the picture that is neither face nor neck, of everybody."""

import cv2
import numpy as np

from lather.core.people.reading import People

_LEAST_SHARE = 0.004  # of the picture
_FACE_TIMES, _NECK_TIMES = 0.85, 1.1  # face widths around the face, and below the chin
_SKIN = 0.5


def hand_outlines(people: People) -> list[np.ndarray]:
    """Outlines (n, 2) px on the photo; [] where there is no face, or no other skin."""
    if not people.faces:
        return []
    scale = people.scale
    skin = (people.small("skin") > _SKIN).astype(np.uint8)
    skin[people.whose == 0] = 0
    ys, xs = np.mgrid[: skin.shape[0], : skin.shape[1]].astype(np.float32)
    for face in people.faces:
        u, v = face.in_frame((xs + 0.5) * scale, (ys + 0.5) * scale)
        wide = face.width_px / face.eye_distance_px
        _, chin = (float(n) for n in face.in_frame(*face.points["chin"]))
        on_face = (u / (_FACE_TIMES * wide)) ** 2 + ((v - chin / 2) / (1.3 * wide)) ** 2 < 1
        on_neck = (np.abs(u) < _NECK_TIMES * wide) & (v > chin / 2) & (v < chin + _NECK_TIMES * wide)
        skin[on_face | on_neck] = 0
    side = 2 * int(0.01 * max(skin.shape)) + 1
    whole = cv2.morphologyEx(skin, cv2.MORPH_OPEN, np.ones((side, side), np.uint8))
    found, _ = cv2.findContours(whole, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    return [(contour[:, 0].astype(float) + 0.5) * scale for contour in found
            if cv2.contourArea(contour) > _LEAST_SHARE * skin.size]
