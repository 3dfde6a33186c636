"""What is known of the made-up people of a crowd: parts of each pixel, the person's alpha, their face map and mask.

Files of one: NAME.jpg, NAME-zones.png, NAME-alpha.png, NAME.json. What this program sees in the picture itself (face
map and mask) is kept as NAME-seen.npz in a folder of its own.
"""

import json
import os
import re
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.face.find_faces import find_face_maps
from lather.core.imageio.picture import Picture
from lather.core.job.face_mesh import OVAL
from lather.core.people.heads import Head
from lather.core.people.parsing import PARTS
from lather.core.people.persons import person_mask

_OF_ZONE = {0: "ground", 1: "skin", 2: "lips", 3: "teeth", 4: "eye white", 5: "iris", 6: "hair", 7: "brows", 8: "cloth",
            9: "mouth"}
_CROPPED, _OTHERWISE = 0.13, 0.4  # density of hairs from where the scalp between them is hair
_BROW = 0.3  # the same in a brow
_BODIES_FROM = 1500
_SEEN = Path(os.environ.get("LATHER_SEEN", "/tmp/lather-seen"))


def held_out() -> list[str]:
    """Names of those who are judged on, and never fitted on."""
    return [f"p{number:04d}" for number in range(47, 62)]


@dataclass
class Truth:
    """parts: number in PARTS (h, w). levels: colour without the ground, and alpha, uint8 (h, w, 4), each half the one
    before. mesh: (468, 2) px or None. mask: of the pose network, at its own size, or None."""

    name: str
    picture: np.ndarray
    parts: np.ndarray
    levels: list[np.ndarray]
    head: Head
    mesh: np.ndarray | None
    mask: np.ndarray | None
    is_body: bool


def load_truth(path: Path, crowd=None) -> Truth:
    """path: the files' common start. crowd: the module that drew them, which knows who has a beard."""
    picture = cv2.imread(f"{path}.jpg")[..., ::-1]
    zones = cv2.imread(f"{path}-zones.png", cv2.IMREAD_UNCHANGED)
    alpha_file = Path(f"{path}-alpha.png")
    alpha = cv2.imread(str(alpha_file), cv2.IMREAD_UNCHANGED) if alpha_file.exists() else np.uint8(255) * (zones > 0)
    number = int(path.name[1:]) if re.fullmatch(r"p\d+", path.name) else None
    looks = crowd.sitter(number)["hair"] if crowd is not None and number is not None else []
    landmarks = json.loads(Path(f"{path}.json").read_text())["landmarks"]
    head, mesh, mask = _seen(path, picture, landmarks)
    cropped = bool(looks) and looks[0]["kind"] == "short"
    bearded = any(one.get("mask") == "beard" for one in looks) or path.name == "ambrose"
    beard = _beard_region(mesh, zones.shape) if bearded and mesh is not None else None
    parts = parts_of(zones, head.size, cropped, beard)
    levels = [np.dstack([_without_ground(picture, alpha), alpha])]
    for _ in range(3):
        levels.append(cv2.resize(levels[-1], None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA))
    return Truth(path.name, picture, parts, levels, head, mesh, mask, (number or 0) >= _BODIES_FROM)


def parts_of(zones: np.ndarray, face_px: float, cropped: bool, beard: np.ndarray | None) -> np.ndarray:
    """Numbers in PARTS from a zone map; scalp that shows between hairs is hair."""
    table = np.zeros(256, np.uint8)
    for zone, name in _OF_ZONE.items():
        table[zone] = PARTS.index(name)
    parts = table[zones]
    hairs = (zones == 6).astype(np.float32)
    dense = cv2.GaussianBlur(hairs, (0, 0), max(0.8, 0.015 * face_px))
    parts[(zones == 1) & (dense > (_CROPPED if cropped or beard is not None else _OTHERWISE))] = PARTS.index("hair")
    brows = cv2.GaussianBlur((zones == 7).astype(np.float32), (0, 0), max(0.6, 0.007 * face_px))
    parts[(zones == 1) & (brows > _BROW)] = PARTS.index("brows")
    if beard is not None:
        parts[(parts == PARTS.index("hair")) & beard] = PARTS.index("beard")
    return parts


def _beard_region(mesh: np.ndarray, shape) -> np.ndarray:
    """Below the nose, on the face and under its jaw."""
    eyes, chin, nose = (mesh[33] + mesh[263]) / 2, mesh[152], mesh[2]
    down = (chin - eyes) / np.hypot(*(chin - eyes))
    rim = mesh[list(OVAL)]
    below = rim + 0.25 * np.hypot(*(chin - eyes)) * down
    hull = cv2.convexHull(np.float32(np.vstack([rim, below])))[:, 0]
    region = np.zeros(shape, np.uint8)
    cv2.fillPoly(region, [np.round(hull).astype(np.int32)], 1)
    ys, xs = np.mgrid[: shape[0], : shape[1]]
    along = (xs - nose[0]) * down[0] + (ys - nose[1]) * down[1]
    return (region > 0) & (along > -0.35 * np.hypot(*(chin - nose)))


def _without_ground(picture: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    """Colours of the person alone: at the rim those of what is wholly the person nearby."""
    whole = (alpha > 240).astype(np.float32)
    colour = picture.astype(np.float32)
    out, missing = colour.copy(), whole < 1
    for sigma in (1.5, 4, 12):
        weight = cv2.GaussianBlur(whole, (0, 0), sigma)
        near = cv2.GaussianBlur(colour * whole[..., None], (0, 0), sigma) / np.maximum(weight, 1e-4)[..., None]
        fill = missing & (weight > 0.02)
        out[fill] = near[fill]
        missing &= ~fill
    return np.clip(out, 0, 255).astype(np.uint8)


def _seen(path: Path, picture: np.ndarray, landmarks: dict) -> tuple[Head, np.ndarray | None, np.ndarray | None]:
    marks = {name: np.array(place, float) for name, place in landmarks.items()}
    eyes = (marks["eye_left"] + marks["eye_right"]) / 2
    middle = (eyes + (marks["mouth_left"] + marks["mouth_right"]) / 2) / 2
    width = float(np.hypot(*(marks["jaw_right"] - marks["jaw_left"])))
    way = marks["eye_right"] - marks["eye_left"]
    size = max(width, 1.15 * float(np.hypot(*(marks["chin"] - eyes))))
    head = Head((float(middle[0]), float(middle[1])), size, float(np.arctan2(way[1], way[0])))
    _SEEN.mkdir(parents=True, exist_ok=True)
    file = _SEEN / f"{path.name}-seen.npz"
    if not file.exists():
        photo = Photo(Picture(np.uint16(257) * picture), b"", path.name)
        small = picture.astype(np.float32) / 255
        shrink = min(1.0, 1000 / max(small.shape[:2]))
        small = cv2.resize(small, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
        faces = [face for face in find_face_maps(photo, small) if face.holds(*middle)]
        here = Head(tuple(v * shrink for v in head.middle), head.size * shrink, head.angle)
        mask = person_mask(small, here)
        np.savez_compressed(file, mesh=faces[0].mesh_px if faces else np.zeros((0, 2)),
                            mask=np.zeros((0, 0)) if mask is None else cv2.resize(mask, None, fx=0.5, fy=0.5))
    held = np.load(file)
    mesh, mask = held["mesh"], held["mask"]
    return head, mesh if len(mesh) else None, mask.astype(np.float32) if mask.size else None
