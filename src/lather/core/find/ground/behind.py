"""What draws the eye behind the person: lights, and stains or dark things, on a ground that is otherwise calm."""

import cv2
import numpy as np

from lather.core.find.scene import FindScene
from lather.core.job.finds import Find
from lather.core.types import Lab, Mask

LIGHT, STAIN = "light_behind", "stain_behind"
_ALL_GROUND = 0.9
_OFF_PERSON, _WIDE, _FINE = 0.012, 0.06, 0.0025  # of the longer side: kept off; the ground's own tone; what is no dot
_SEEN_DE, _HELD_DE, _RIM_DE = 7.0, 3.5, 14.0  # off the ground: where one starts, goes on; starts at the frame's rim
_SHARES = (0.0002, 0.04)  # of the picture
_CALM, _MOST = 0.12, 8  # share of the ground, and number of them, over which it is a busy place and not a backdrop
_FILLED = 0.45  # of its box
_ROOM = 1.3  # of its own outline
_SURE = 0.8


def find_behind(scene: FindScene) -> list[Find]:
    """Lights and stains behind the people of a photo, the strongest first; none where nobody is seen or the ground is
    busy."""
    people = scene.measures.people
    if not people.persons:
        return []
    lab, side = scene.measures.small_lab, max(scene.measures.small.shape[:2])
    ground = people.small("ground") > _ALL_GROUND
    reach = 2 * max(1, round(_OFF_PERSON * side)) + 1
    behind = cv2.erode(ground.astype(np.uint8), np.ones((reach, reach), np.uint8), borderValue=1) > 0
    if behind.mean() < _SHARES[1]:
        return []
    off = _off_the_ground(lab, behind, side)
    far = np.sqrt((off**2).sum(-1)) * behind
    if (far > _SEEN_DE).sum() > _CALM * behind.sum():
        return []
    count, labels = cv2.connectedComponents((far > _HELD_DE).astype(np.uint8))
    found = [find for number in range(1, count) if (find := _as_find(scene, labels == number, off, far)) is not None]
    return sorted(found, key=lambda find: -find.contrast_de) if len(found) <= _MOST else []


def _off_the_ground(lab: Lab, behind: Mask, side: int) -> Lab:
    """Lab off the ground's own tone, which is read twice: the second time without what stands off it."""
    weight = behind.astype(np.float32)
    seen = cv2.GaussianBlur(lab, (0, 0), max(0.8, _FINE * side))
    off = np.zeros_like(seen)
    for _ in range(3):
        share = cv2.GaussianBlur(weight, (0, 0), _WIDE * side)
        tone = cv2.GaussianBlur(seen * weight[..., None], (0, 0), _WIDE * side) / np.maximum(share, 1e-3)[..., None]
        off = seen - tone
        weight = behind * (np.sqrt((off**2).sum(-1)) < _HELD_DE).astype(np.float32)
        if weight.sum() < 0.3 * behind.sum():
            break
    return off


def _as_find(scene: FindScene, own: np.ndarray, off: Lab, far: np.ndarray) -> Find | None:
    at_rim = own[0].any() or own[-1].any() or own[:, 0].any() or own[:, -1].any()  # corners are darker by the lens
    if far[own].max() < (_RIM_DE if at_rim else _SEEN_DE) or not _SHARES[0] < own.mean() < _SHARES[1]:
        return None
    rims, _ = cv2.findContours(own.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    rim = max(rims, key=cv2.contourArea)
    box = cv2.boundingRect(rim)
    if cv2.contourArea(cv2.convexHull(rim)) < _FILLED * box[2] * box[3]:
        return None
    scale = scene.measures.scale
    hull = cv2.convexHull(rim)[:, 0].astype(float) + 0.5
    middle = hull.mean(0)
    corners = (middle + _ROOM * (hull - middle)) * scale
    bounds = scene.measures.photo.bounds
    outline = tuple((float(np.clip(x, 0, bounds.x1)), float(np.clip(y, 0, bounds.y1))) for x, y in corners)
    strong = far > 0.7 * far[own].max()
    kind = LIGHT if float(off[own & strong][:, 0].mean()) > 0 else STAIN
    x, y = (float(v) for v in middle * scale)
    size = float(np.sqrt(own.sum())) * scale
    contrast = float(np.median(far[own & strong]))
    return Find(f"{kind}-{x:.0f}-{y:.0f}", kind, x, y, size, contrast, _SURE, "ground", outline=outline)
