"""Skin of one person by the rules of colour: a model fitted to their face, grown from it, kept inside edges."""

import cv2
import numpy as np

from lather.core.job.face_map import FaceMap
from lather.core.people.skin_alone import grown, mahalanobis, ratios_of, robust_gaussian
from lather.core.types import EncodedRGB, Lab, Mask

_SEEDS = ((-0.55, 0.62), (0.55, 0.62), (-0.3, 0.55), (0.3, 0.55), (0.0, -0.5), (-0.3, -0.48), (0.3, -0.48), (0.0, 0.25))
_SEED_RADIUS = 0.11  # eye distances
_NEAR, _FAR = 2.2, 4.6  # Mahalanobis distances at which skin is sure, and out of the question
_TOO_DARK, _TOO_DARK_ON_FACE = 0.22, 0.12  # shares of the face's usual L*
_PLAIN, _INTO_SHADE = 0.2, 0.12
"""Local spread of log luminance under which nothing but skin is so smooth on a face; eye distances that skin goes on in
it beyond the edge where shade begins."""
_ROUGH = 0.30  # local spread of log luminance at which it is hair or cloth, not skin
_NECK_UNLIKE = 8.0  # a*, b* from the face's at which the place under the chin is cloth
_HULL_IN = 0.1  # how far inside the face's corners its hull is believed to be face
_HULL_DARK = 0.45  # share of the face's L* under which it may be hair all the same
_SURE_IN_FACE = 0.12
_SHADE_LOSES = 2.5  # of the distance, in the deepest shade of a face
_SHINE_WIDTH = 0.3  # eye distances: shine off the face is narrower
_SHADE_HUE, _SURE_IN_SHADE = 22.0, 0.7  # degrees from the face's hue
_RIM_REACH, _RIM_GAP, _RIM_CHROMA, _RIM_LIGHT, _RIM_OVER = 0.17, 0.05, 0.8, 0.75, 6.0
"""Of a strip in the light's own colour: eye distances from skin at its far and near side, shares of skin's chroma and
L*, L* over what follows."""
_STRANDS_FROM, _STRAND_CLIP, _STRAND_BAND, _STRAND_WIDTH = 0.045, 0.2, 2.5, 0.2
"""Coherence times spread of fine log luminance from which it is strands, what a spread counts at the most; pixels; the
least width of a lock in eye distances (what is narrower is an edge or a wrinkle)."""
_STRANDS_SEEN_PX, _STRANDS_DOWN_TO = 90.0, 2.8  # least eye distance at which hair shows strands; in eye distances


def skin_of_face(small: EncodedRGB, lab: Lab, face: FaceMap, scale: float) -> Mask:
    """Skin 0-1, float32 (h, w), of a picture reduced to about 1000 px; `lab`: the same in Lab.

    A Gaussian in log colour ratios is fitted robustly (median, then three trimmed rounds) to seeds on the face.
    scale: source pixels per pixel of `small`.
    """
    ratios = ratios_of(cv2.GaussianBlur(small, (0, 0), 1.0))
    seeds = _face_seeds(small.shape[:2], face, scale)
    if seeds.sum() < 50:
        return np.zeros(small.shape[:2], np.float32)
    values = ratios[seeds]
    middle, inverse = robust_gaussian(values)
    distance = mahalanobis(ratios, middle, inverse)
    lightness = lab[..., 0]
    usual = float(np.median(lightness[seeds]))
    # highlights lose their colour, deep shade its certainty
    shine = np.clip((lightness - usual - 12) / 20, 0, 1)
    frame = _in_frame(face, small.shape[:2], scale)
    on_face = _on_face(frame, float(face.in_frame(*face.points["chin"])[1]))
    shine[~on_face & _too_wide_for_shine(shine, face.eye_distance_px / scale)] = 0
    distance = distance - _SHADE_LOSES * on_face * np.clip((0.45 * usual - lightness) / (0.2 * usual), 0, 1)
    distance = distance - 2.0 * shine
    sure = np.clip((_FAR - distance) / (_FAR - _NEAR), 0, 1)
    dark = np.where(on_face, np.float32(_TOO_DARK_ON_FACE * usual), np.float32(_TOO_DARK * usual))
    sure *= np.clip((lightness - dark) / (0.8 * dark), 0, 1)
    log_light = np.log(np.maximum(small.mean(-1), 0.01))
    spread = np.sqrt(np.maximum(cv2.blur(log_light**2, (7, 7)) - cv2.blur(log_light, (7, 7)) ** 2, 0))
    sure *= np.clip((_ROUGH - cv2.GaussianBlur(spread, (0, 0), 1.5)) / (0.5 * _ROUGH), 0, 1)
    sure = cv2.GaussianBlur(sure.astype(np.float32), (0, 0), 1.2)
    sure[_strands(log_light, face, frame, scale)] = 0
    sure[_shade_under_chin(lab, seeds, face, frame)] = _SURE_IN_SHADE
    plain = sure * (on_face & (spread < _PLAIN))
    sure *= _inside_edges(small, lab, sure, seeds, face, scale)
    mask = _grown(sure, seeds, face, frame, scale)
    mask = _grown_into_shade(mask, plain, face.eye_distance_px / scale)
    return _with_rim_light(mask, lab, seeds, face, frame, scale)


def _grown_into_shade(mask: Mask, plain: Mask, eye_distance: float) -> Mask:
    """The mask with what is plain skin just beyond it: where a face turns from the light, an edge ends it too early."""
    reach = 2 * max(1, round(_INTO_SHADE * eye_distance)) + 1
    near = cv2.dilate((mask > 0.5).astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (reach, reach)))
    return np.maximum(mask, cv2.morphologyEx(plain * near, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)))


def _too_wide_for_shine(shine: np.ndarray, eye_distance: float) -> np.ndarray:
    """True where what is lighter than skin reaches too far to be shine on it: a white shirt beside dark skin."""
    width = max(3, round(_SHINE_WIDTH * eye_distance)) | 1
    middle = cv2.erode((shine > 0.5).astype(np.uint8), np.ones((width, width), np.uint8))
    return cv2.dilate(middle, np.ones((2 * width + 1,) * 2, np.uint8)) > 0


def _on_face(frame, chin: float) -> np.ndarray:
    """True where a face is, of whatever shape, and right below its chin: what is dark there is shade, not hair."""
    u, v = frame
    return (u / 0.95) ** 2 + ((v - 0.4) / np.where(v < 0.4, 1.3, max(1.3, chin - 0.2))) ** 2 < 1


def _in_frame(face: FaceMap, shape: tuple[int, int], scale: float) -> tuple[np.ndarray, np.ndarray]:
    """Each pixel's place in the face's frame, in eye distances: across, and down; float32 (h, w) each."""
    (u0, v0), (u1, v1), (u2, v2) = (
        tuple(float(n) for n in face.in_frame(x * scale, y * scale)) for x, y in ((0.5, 0.5), (1.5, 0.5), (0.5, 1.5))
    )
    xs, ys = np.arange(shape[1], dtype=np.float32), np.arange(shape[0], dtype=np.float32)[:, None]
    return tuple(
        np.float32(start) + np.float32(over - start) * xs + np.float32(under - start) * ys
        for start, over, under in ((u0, u1, u2), (v0, v1, v2))
    )


def _strands(log_light: np.ndarray, face: FaceMap, frame, scale: float) -> np.ndarray:
    """True in locks of hair outside the middle of the face: fine, and all running one way (structure tensor, Bigün and
    Granlund 1987), which hair keeps where light gives it skin's colour. None on faces too small to show them."""
    if face.eye_distance_px < _STRANDS_SEEN_PX * scale:
        return np.zeros(log_light.shape, bool)
    fine = log_light - cv2.GaussianBlur(log_light, (0, 0), _STRAND_BAND)
    fine = np.clip(fine, -_STRAND_CLIP, _STRAND_CLIP).astype(np.float32)
    gx, gy = cv2.Sobel(fine, cv2.CV_32F, 1, 0), cv2.Sobel(fine, cv2.CV_32F, 0, 1)
    xx, yy, xy, energy = (cv2.GaussianBlur(v, (0, 0), 2 * _STRAND_BAND) for v in (gx * gx, gy * gy, gx * gy, fine**2))
    coherence = np.sqrt((xx - yy) ** 2 + 4 * xy**2) / (xx + yy + 1e-9)
    strands = (coherence * np.sqrt(energy) > _STRANDS_FROM).astype(np.uint8)
    width = max(5, round(_STRAND_WIDTH * face.eye_distance_px / scale)) | 1
    strands = cv2.morphologyEx(
        strands, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (width, width))
    )
    u, v = frame
    return (strands > 0) & ((u / 0.8) ** 2 + ((v - 0.47) / 1.05) ** 2 > 1) & (np.abs(u) < 2.2) & (v < _STRANDS_DOWN_TO)


def _with_rim_light(mask: Mask, lab: np.ndarray, seeds: np.ndarray, face: FaceMap, frame, scale: float) -> Mask:
    """The mask with the strips along its outline where light from behind glances off the skin in its own colour.

    Such a strip is pale, runs along skin, ends near it, and is brighter than the ground or hair that follows.
    """
    d = face.eye_distance_px / scale
    usual = np.median(lab[seeds], axis=0)
    skin = (mask > 0.5).astype(np.uint8)
    away = cv2.distanceTransform(1 - skin, cv2.DIST_L2, 5)
    u, v = frame
    inner = (u / 0.62) ** 2 + ((v - 0.47) / 0.95) ** 2 < 1  # the white of eyes and teeth
    soft = cv2.GaussianBlur(lab, (0, 0), 1.2)
    pale = np.hypot(soft[..., 1], soft[..., 2]) < _RIM_CHROMA * np.hypot(usual[1], usual[2])
    pale &= (soft[..., 0] > _RIM_LIGHT * usual[0]) & (skin == 0) & ~inner & (away < _RIM_REACH * d)
    pale = cv2.morphologyEx(pale.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(pale, connectivity=4)
    out = np.zeros(skin.shape, np.uint8)
    for n in range(1, count):
        x, y, w, h, area = stats[n]
        part = np.s_[max(0, y - 9) : y + h + 9, max(0, x - 9) : x + w + 9]
        own = labels[part] == n
        if area < 0.01 * d * d or not (own & (away[part] < _RIM_GAP * d)).any():
            continue
        ring = cv2.dilate(own.astype(np.uint8), np.ones((9, 9), np.uint8)).astype(bool) & ~own
        beyond = ring & (away[part] > _RIM_GAP * d)
        if np.percentile(away[part][own], 90) > 0.85 * _RIM_REACH * d or (ring & ~beyond).sum() < 0.25 * ring.sum():
            continue
        if beyond.any() and soft[part][own][:, 0].mean() > soft[part][beyond][:, 0].mean() + _RIM_OVER:
            out[part][own] = 1
    if not out.any():
        return mask
    gap = np.ones(2 * (round(_RIM_GAP * d) // 2 + 2) + 1, np.uint8)
    gap = np.outer(gap, gap)
    joint = cv2.morphologyEx(skin | out, cv2.MORPH_CLOSE, gap) & ~skin & cv2.dilate(out, gap)
    return np.maximum(mask, cv2.GaussianBlur((joint | out).astype(np.float32), (0, 0), 0.8))


def _inside_edges(small, lab, sure, seeds, face: FaceMap, scale: float) -> Mask:
    """0 where the wall or hair of skin's colour begins: flooded from their own seeds up to the strongest edge.

    Watershed (Meyer 1992) from the face, from the frame above the chin, from hair above the hairline, and from
    whatever cannot be skin by its colour.
    """
    skin, other = 1, 2
    height, width = sure.shape
    markers = np.zeros(sure.shape, np.int32)
    markers[sure < 0.08] = other
    strip = max(2, round(0.015 * min(height, width)))
    chin = int(np.clip(face.points["chin"][1] / scale, strip, height))
    frame = np.zeros(sure.shape, np.uint8)
    frame[:strip] = frame[:chin, :strip] = frame[:chin, -strip:] = 1
    markers[frame > 0] = other
    core = cv2.erode((sure > 0.9).astype(np.uint8), np.ones((9, 9), np.uint8))
    _, pieces = cv2.connectedComponents((sure > 0.5).astype(np.uint8))
    by_frame = np.unique(pieces[frame > 0])
    markers[(core > 0) & ~np.isin(pieces, by_frame)] = skin
    markers[_hair_seeds(lab, seeds, face, scale)] = other
    markers[(seeds | _face_middle(face, lab, seeds, scale)) & (sure > 0.3)] = skin
    picture = cv2.bilateralFilter((np.clip(small, 0, 1) * 255).astype(np.uint8), 5, 18, 3)
    cv2.watershed(np.ascontiguousarray(picture), markers)
    return cv2.GaussianBlur((markers == skin).astype(np.float32), (0, 0), 0.8)


def _face_middle(face: FaceMap, lab: np.ndarray, seeds: np.ndarray, scale: float) -> np.ndarray:
    """The ellipse that is face on anybody, and a disc on the neck if no collar is there."""
    out = np.zeros(seeds.shape, np.uint8)
    origin, across, down = face.frame
    d = face.eye_distance_px / scale
    angle = float(np.degrees(np.arctan2(across[1], across[0])))
    x, y = origin / scale + 0.47 * d * down
    cv2.ellipse(out, (round(float(x)), round(float(y))), (round(0.7 * d), round(1.03 * d)), angle, 0, 360, 1, -1)
    jaws = [np.array(face.points[name]) / scale for name in ("jaw_left", "jaw_right", "chin", "hairline")]
    temples = [origin / scale + d * (u * across - 0.45 * down) for u in (-0.85, 0.85)]
    rim = np.array([*jaws, *temples])
    rim = rim + _HULL_IN * ((origin / scale + 0.4 * d * down) - rim)
    hull = cv2.convexHull(rim.astype(np.float32)).astype(np.int32)
    inside = cv2.fillConvexPoly(np.zeros_like(out), hull, 1) > 0
    out[inside & (lab[..., 0] > _HULL_DARK * np.median(lab[seeds][:, 0]))] = 1
    x, y = np.array(face.points["chin"]) / scale + 0.33 * d * down
    neck = cv2.circle(np.zeros_like(out), (round(float(x)), round(float(y))), round(0.13 * d), 1, -1) > 0
    if neck.any():
        off = np.median(lab[neck], axis=0) - np.median(lab[seeds], axis=0)
        out[neck & bool(np.hypot(off[1], off[2]) < _NECK_UNLIKE)] = 1
    return out > 0


def _hair_seeds(lab, seeds, face: FaceMap, scale: float) -> np.ndarray:
    """Discs above the hairline, where what is there is not like the face's skin."""
    out = np.zeros(seeds.shape, np.uint8)
    origin, across, down = face.frame
    d = face.eye_distance_px / scale
    usual = np.median(lab[seeds], axis=0)
    _, hair_v = face.in_frame(*face.points["hairline"])
    for u in np.linspace(-1.0, 1.0, 9):
        for rise in (0.22, 0.4, 0.6):
            x, y = origin / scale + d * (u * across + (float(hair_v) - rise + 0.25 * u * u) * down)
            x, y, radius = round(float(x)), round(float(y)), max(2, round(0.07 * d))
            near = np.s_[max(0, y - radius) : max(0, y + radius + 1), max(0, x - radius) : max(0, x + radius + 1)]
            disc = cv2.circle(np.zeros(seeds.shape, np.uint8), (x, y), radius, 1, -1)[near]
            part = lab[near][disc > 0]
            if len(part) and (usual[0] - np.median(part[:, 0]) > 14 or part[:, 0].std() > 9):
                out[near] |= disc
    return out > 0


def _shade_under_chin(lab: np.ndarray, seeds: np.ndarray, face: FaceMap, frame) -> np.ndarray:
    """True where it is darker and redder than the face, of the same hue: light that came through skin, not cloth."""
    usual = np.median(lab[seeds], axis=0)
    u, v = frame
    chin = float(face.in_frame(*face.points["chin"])[1])
    near = (np.abs(u) < 1.1) & (v > chin - 0.2) & (v < chin + 0.45)
    hue = np.degrees(np.arctan2(lab[..., 2], lab[..., 1]) - np.arctan2(usual[2], usual[1]))
    darker = (lab[..., 0] < usual[0]) & (lab[..., 0] > 0.5 * usual[0])
    return near & darker & (lab[..., 1] > usual[1]) & (np.abs(hue) < _SHADE_HUE)


def _face_seeds(shape, face: FaceMap, scale: float) -> np.ndarray:
    seeds = np.zeros(shape, np.uint8)
    origin, across, down = face.frame
    d = face.eye_distance_px
    for u, v in _SEEDS:
        x, y = (origin + d * (u * across + v * down)) / scale
        cv2.circle(seeds, (round(float(x)), round(float(y))), max(2, round(_SEED_RADIUS * d / scale)), 1, -1)
    return seeds > 0


def _grown(sure: np.ndarray, seeds: np.ndarray, face: FaceMap, frame, scale: float) -> Mask:
    """Pieces that hold seeds or are large; shade and shine inside the face are skin all the same."""
    whole = grown(sure, seeds, max(3, round(0.10 * face.eye_distance_px / scale) | 1))
    u, v = frame
    inner = ((u / 0.8) ** 2 + ((v - 0.5) / 1.1) ** 2 < 1) & (sure > _SURE_IN_FACE)
    return np.maximum(whole, inner).astype(np.float32)
