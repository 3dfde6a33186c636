"""Areas: blotches, redness and shine on skin; what came in from the frame's edge."""

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000
from lather.core.find.scene import FindScene
from lather.core.job.finds import Find

_INTRUDER_SHARE = (0.002, 0.06)
_SOFT_GRADIENT = 0.02


def find_intruders(scene: FindScene) -> list[Find]:
    """Skin-coloured, out-of-focus shapes that touch the frame and are apart from the person (a thumb)."""
    small, scale = scene.measures.small, scene.measures.scale
    lab = cv2.cvtColor(np.ascontiguousarray(cv2.GaussianBlur(small, (0, 0), 2.0)), cv2.COLOR_RGB2Lab)
    skin = scene.measures.skin > 0.5
    if not skin.any():
        return []
    hue = np.degrees(np.arctan2(lab[..., 2], lab[..., 1]))
    usual = np.median(lab[skin], axis=0)
    usual_hue = np.degrees(np.arctan2(usual[2], usual[1]))
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    rim = np.concatenate([lab[2], lab[-3], lab[:, 2], lab[:, -3]])
    ground = np.median(rim, axis=0)
    apart = delta_e2000(lab.reshape(-1, 3), ground[None]).reshape(lab.shape[:2])
    like = (np.abs(hue - usual_hue) < 22) & (chroma > 0.4 * np.hypot(usual[1], usual[2])) & (apart > 7) & ~skin
    like = cv2.morphologyEx(like.astype(np.uint8), cv2.MORPH_OPEN, np.ones((7, 7), np.uint8))
    count, labels, stats, centres = cv2.connectedComponentsWithStats(like)
    near_person = cv2.dilate(skin.astype(np.uint8), np.ones((15, 15), np.uint8)) > 0
    light = small.mean(-1)
    edge = np.hypot(cv2.Sobel(light, cv2.CV_32F, 1, 0), cv2.Sobel(light, cv2.CV_32F, 0, 1)) / 8
    found = []
    for i in range(1, count):
        x, y, w, h, area = stats[i]
        share = area / like.size
        touches = x <= 2 or y <= 2 or x + w >= like.shape[1] - 2 or y + h >= like.shape[0] - 2
        own = labels == i
        if not touches or not _INTRUDER_SHARE[0] < share < _INTRUDER_SHARE[1] or (own & near_person).any():
            continue
        if np.percentile(edge[own], 90) > _SOFT_GRADIENT or area < 0.45 * w * h:
            continue
        contour = max(cv2.findContours(own.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0], key=len)
        outline = tuple((float(a * scale), float(b * scale)) for a, b in contour[:: max(1, len(contour) // 32), 0])
        cx, cy = (float(v * scale) for v in centres[i])
        found.append(
            Find(
                f"intruder-{cx:.0f}-{cy:.0f}",
                "intruder",
                cx,
                cy,
                float(max(w, h) * scale),
                float(np.median(apart[own])),
                0.7,
                "frame",
                False,
                True,
                outline,
            )
        )
    return found
