"""Face maps of all faces in a photo."""

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.photo import Photo
from lather.core.face.closer import Close, look_closer
from lather.core.face.detector import Box, find_faces
from lather.core.face.eyes import find_eye_parts
from lather.core.face.lips import Mouth, find_mouth
from lather.core.face.mesh import find_mesh
from lather.core.job.face_map import SIDES, FaceMap
from lather.core.job.face_mesh import CHIN, JAW_CORNERS, MOUTH_CORNERS, NOSE_TIP
from lather.core.log import timed
from lather.core.types import EncodedRGB

_MOST_FACES = 24
_PIXELS_TELL = 0.6  # of a mouth's corner: how much the lips' own pixels count beside the mesh


@timed("faces", len)
def find_boxes_and_maps(photo: Photo, small: EncodedRGB) -> list[tuple[Box, FaceMap | None]]:
    """The largest first; box in source px, None where it shows no face from close by (a profile).

    small: the photo, sRGB-like 0-1, about 1000 px.
    """
    scale, found = photo.width / small.shape[1], []
    for box in find_faces(small)[:_MOST_FACES]:
        box = box.scaled(scale)
        close = look_closer(photo, box.x0, box.y0, box.x1, box.y1)
        found.append((box, _face_map(close, box.scaled(1 / close.scale, close.origin / close.scale))))
    return found


def find_face_maps(photo: Photo, small: EncodedRGB) -> tuple[FaceMap, ...]:
    """Those that show a face from close by, the largest first; see `find_boxes_and_maps`."""
    return tuple(face for _, face in find_boxes_and_maps(photo, small) if face is not None)


def _face_map(close: Close, box: Box) -> FaceMap | None:
    mesh = find_mesh(close.pixels, box)
    if mesh is None:
        return None
    irises = {}
    for side in SIDES:
        eye = find_eye_parts(close.pixels, mesh, side)
        irises[side] = (*close.to_source(np.array(eye.middle)), eye.radius * close.scale)
    corners = _mouth_corners(mesh, find_mouth(close.pixels, mesh))
    hairline = _hairline(close.pixels, [close.from_source(iris[:2]) for iris in irises.values()])
    places = {
        "nose_tip": mesh[NOSE_TIP], "mouth_left": corners[0], "mouth_right": corners[1], "chin": mesh[CHIN],
        "jaw_left": mesh[JAW_CORNERS["left"]], "jaw_right": mesh[JAW_CORNERS["right"]], "hairline": hairline,
    }
    points = {f"eye_{side}": (float(x), float(y)) for side, (x, y, _) in irises.items()}
    points |= {name: _pair(close.to_source(place)) for name, place in places.items()}
    return FaceMap(points, mesh=tuple(_pair(place) for place in close.to_source(mesh)),
                   irises={side: tuple(float(v) for v in iris) for side, iris in irises.items()})


def _pair(place) -> tuple[float, float]:
    return float(place[0]), float(place[1])


def _mouth_corners(mesh: np.ndarray, mouth: Mouth) -> np.ndarray:
    """(2, 2): between the mesh's corners and the ends of what is lip by its pixels."""
    of_mesh = mesh[[MOUTH_CORNERS[side] for side in SIDES]]
    whole = np.maximum(mouth.lips, np.maximum(mouth.teeth, mouth.mouth)) > 0.5
    ys, xs = np.nonzero(whole)
    if len(xs) < 50:
        return of_mesh
    ends = [(x, float(ys[near].mean())) for x, near in ((xs.min(), xs <= xs.min() + 3), (xs.max(), xs >= xs.max() - 3))]
    return of_mesh + _PIXELS_TELL * (mouth.crop.to_picture(np.array(ends) + 0.5) - of_mesh)


_STEPS = np.arange(0.5, 2.1, 0.02)  # distances between the eyes, up from them
_FAR_FROM_SKIN, _LEAST_RISE, _USUAL_RISE = 14.0, 0.6, 1.3


def _hairline(pixels: EncodedRGB, eyes: list[np.ndarray]) -> np.ndarray:
    """Up the forehead to where skin ends."""
    way = eyes[1] - eyes[0]
    apart = float(np.hypot(*way))
    down = np.array([-way[1], way[0]]) / max(apart, 1e-6)
    middle = (eyes[0] + eyes[1]) / 2
    line = (middle - apart * _STEPS[:, None] * down).astype(np.float32)
    sigma = max(0.8, 0.02 * apart)
    x0, y0 = (max(0, int(v - 4 * sigma)) for v in line.min(0))
    x1, y1 = (int(v + 4 * sigma) + 2 for v in line.max(0))
    part = pixels[y0:y1, x0:x1]
    if min(part.shape[:2]) < 2:
        return middle - apart * _USUAL_RISE * down
    lab = srgb_to_lab(cv2.GaussianBlur(np.ascontiguousarray(part), (0, 0), sigma))
    at = line[None] - np.float32([x0, y0])
    values = cv2.remap(lab, at[..., 0].copy(), at[..., 1].copy(), cv2.INTER_LINEAR,
                       borderMode=cv2.BORDER_REPLICATE)[0]
    usual = np.median(values[:20], axis=0)
    away = np.linalg.norm((values - usual) * [0.7, 1, 1], axis=-1)
    out = np.flatnonzero((away > _FAR_FROM_SKIN) & (_STEPS > _LEAST_RISE))
    return middle - apart * (_STEPS[out[0]] if len(out) else _USUAL_RISE) * down
