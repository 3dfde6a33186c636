"""Areas: redness and shine on skin; what came in from the frame's edge."""

from dataclasses import dataclass, replace

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000
from lather.core.find.scene import FindScene
from lather.core.find.spots import spots
from lather.core.job.finds import Find

_INTRUDER_SHARE = (0.002, 0.06)
_SOFT_GRADIENT = 0.02
LEAST_CONFIDENCE = 0.5
_MIRROR_SIGMA_PX = 2.0  # of a layer; a coarser layer is taken for wider ones
_MIRROR_BLURS_MM = (1.2, 2.0, 3.3, 5.5)
MIRROR_FEATURES = ("mirror_known", "mirror_alike", "mirror_l", "mirror_a", "mirror_b", "mirror_pigment")


@dataclass(eq=False)
class AreaScene(FindScene):
    """Skin seen so coarsely that pores are gone: what is wide and soft remains."""

    most_candidates: int = 300
    smallest_px: float = 8.0
    largest_mm: float = 20.0
    least_per_mm: float = 2.0
    least_contrast: float = 1.2


def find_areas(scene: FindScene) -> list[Find]:
    """Redness and shine on skin, most certain first. Listed, not mended: that is for later stages. Blotches are told
    from the form of a face by the light that they need (`blotches.py`).
    """
    wide = AreaScene(scene.measures)
    finds = spots.name_blobs(wide, measure_areas(wide), "areas", LEAST_CONFIDENCE)
    return [find for find in finds if find.kind != "blotch"]


def measure_areas(scene: AreaScene) -> list[spots.Blob]:
    """Wide soft places, measured as blobs are, and beside them the same place on the other side of the face.

    What a face has by its form it has on both sides; a blotch or a red place it has on one.
    """
    blobs = spots.measure_blobs(scene)
    if not blobs:
        return []
    places = np.array([(blob.x, blob.y) for blob in blobs])
    beside = _beside_mirror(scene, places, np.array([blob.size for blob in blobs]) / scene.per_mm)
    return [replace(b, features=(*b.features, *own)) for b, own in zip(blobs, beside.tolist())]


def _beside_mirror(scene: AreaScene, places: np.ndarray, sizes_mm: np.ndarray) -> np.ndarray:
    """(n, MIRROR_FEATURES): whether the mirrored place is known skin, how alike, and the difference by channel."""
    out = np.zeros((len(places), len(MIRROR_FEATURES)))
    face = scene.measures.face
    if face is None:
        return out
    origin, across, _ = face.frame
    corner = np.array([scene.rect.x0, scene.rect.y0])
    source = (places + corner) * scene.step
    mirrored = source - 2 * ((source - origin) @ across)[:, None] * across
    there = mirrored / scene.step - corner
    maps = [_off_surroundings(scene, blur * scene.per_mm) for blur in _MIRROR_BLURS_MM]
    number = np.abs(np.log(0.3 * sizes_mm[:, None]) - np.log(_MIRROR_BLURS_MM)).argmin(1)
    for n, blur in enumerate(number):
        own, other = (_at(*maps[blur], at) for at in (places[n], there[n]))
        if own is None or other is None:
            continue
        out[n, 0] = 1
        out[n, 1] = np.clip(own[:4] @ other[:4] / max(float(own[:4] @ own[:4]), 1e-3), -1, 2)
        out[n, 2:] = own[:4] - other[:4]
    return out


def _off_surroundings(scene: AreaScene, sigma: float) -> tuple[np.ndarray, int]:
    """(h, w, 5): each channel at a scale against its surroundings on skin, and how much skin there is; and the step in
    pixels of the scene it is kept at."""
    level = int(np.clip(np.log2(sigma / _MIRROR_SIGMA_PX), 0, len(scene.layers) - 1))
    values, mask = scene.layers[level]
    held = np.dstack([values * mask[..., None], mask])
    near, wide = (cv2.GaussianBlur(held, (0, 0), s * sigma / (1 << level)) for s in (1.0, 2.2))
    off = near[..., :4] / np.maximum(near[..., 4:], 1e-3) - wide[..., :4] / np.maximum(wide[..., 4:], 1e-3)
    return np.dstack([off, near[..., 4]]), 1 << level


def _at(values: np.ndarray, step: int, place: np.ndarray) -> np.ndarray | None:
    """Values of a place; None off the picture or off skin."""
    x, y = int(place[0] // step), int(place[1] // step)
    if not (0 <= x < values.shape[1] and 0 <= y < values.shape[0]):
        return None
    found = values[y, x].astype(float)
    return found if found[4] > 0.4 else None


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
    like = (np.abs(hue - usual_hue) < 22) & (chroma > 0.4 * np.hypot(usual[1], usual[2])) & ~skin
    apart = np.zeros(lab.shape[:2], np.float32)
    apart[like] = delta_e2000(lab[like], ground[None])
    like &= apart > 7
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
