"""What is measured of a photo before the work begins, each fact with what it means for the work."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.people.told import how_many, notes
from lather.core.phrases import phrase
from lather.core.types import Rect

_LOW, _HIGH = 1.5 / 255, 253.5 / 255
_FACE_SEEN_PX, _LEAST_TEETH = 300.0, 0.002  # px; of the width of the face squared
_BAND = (0.02, 0.08)  # of the face's width: where blotches lie
_FROM_THE_SIDE = 4.0  # L* from one side of the face to the other, under which the light comes from the front


@dataclass(frozen=True)
class PhotoFacts:
    """Lengths in source px; shares in percent. face_px: None without a face. skin_faces: skin in squares of the face's
    width. split_px: None where texture could not be measured. grain: (percent, px). light_from: words, as seen on the
    picture. uneven: spread of the skin's light between 2 and 8 % of the face's width, L*. teeth_seen: the mouth of the
    face in hand is open. people: how many, and whose skin is seen; people_notes: on faces that need a look.
    """

    width: int
    height: int
    bits: int
    profile: str
    face_px: float | None
    feature_px: float
    faces: int
    skin_percent: float
    skin_faces: float
    split_px: float | None
    grain: tuple[float, float]
    clipped_percent: float
    light_from: str
    uneven: float
    teeth_seen: bool = True
    people: str = ""
    people_notes: tuple[str, ...] = ()

    @property
    def long_edge(self) -> int:
        """Pixels."""
        return max(self.width, self.height)

    def to_json(self) -> dict:
        """As `lather plan --json` prints it."""
        return {
            "width": self.width, "height": self.height, "bits": self.bits, "profile": self.profile,
            "face_width_px": None if self.face_px is None else round(self.face_px, 1), "faces": self.faces,
            "skin_percent": round(self.skin_percent, 2), "texture_scale_px": self.split_px,
            "grain_percent": round(self.grain[0], 2), "grain_px": round(self.grain[1], 2),
            "clipped_percent": round(self.clipped_percent, 3), "light_from": self.light_from,
            "uneven_dl": round(self.uneven, 2), "people": str(self.people),
            "people_notes": [str(note) for note in self.people_notes],
        }


def photo_facts(measures: PhotoMeasures) -> PhotoFacts:
    """All of it; what was measured already is not measured again."""
    photo, feature = measures.photo, measures.face_width_px
    levels, texture = measures.grain.level_percent, measures.texture_scale
    skin_px = measures.skin_share * photo.width * photo.height
    return PhotoFacts(
        photo.width, photo.height, photo.picture.bits, profiles.name(photo.profile),
        measures.face.width_px if measures.face is not None else None, feature, len(measures.faces),
        100 * measures.skin_share, skin_px / feature**2, round(texture.split_px, 1) if texture else None,
        (float(levels[len(levels) // 2][1]) if levels else 0.0, float(measures.grain.size_px)),
        _clipped(measures), _light_from(measures), _uneven(measures),
        _teeth_seen(measures), how_many(measures.people), tuple(notes(measures.people)),
    )


def _teeth_seen(measures: PhotoMeasures) -> bool:
    """True where more of teeth is seen than the noise between closed lips."""
    face, photo = measures.face, measures.photo
    if face is None:
        return False
    level = max(0, int(np.log2(max(1.0, face.width_px / _FACE_SEEN_PX))))
    x, y = np.mean([face.points["mouth_left"], face.points["mouth_right"]], axis=0)
    half = 0.5 * face.width_px
    mouth = Rect(int(x - half), int(y - half), int(x + half), int(y + half)).intersect(photo.bounds).at_level(level)
    if mouth.empty:
        return False
    teeth = measures.zones.mask("teeth", (face,), mouth, level)
    return bool((teeth > 0.5).sum() * 4.0**level > _LEAST_TEETH * face.width_px**2)


def _clipped(measures: PhotoMeasures) -> float:
    """Percent of the skin that is burnt or black on the photo as it came."""
    photo, level = measures.photo, 0
    while max(photo.level_bounds(level)[2:]) > 2000:
        level += 1
    pixels = photo.read(photo.level_bounds(level), level)
    skin = cv2.resize(measures.skin, pixels.shape[1::-1], interpolation=cv2.INTER_LINEAR) > 0.5
    if not skin.any():
        return 0.0
    return 100 * float((((pixels <= _LOW) | (pixels >= _HIGH)).any(-1))[skin].mean())


def _light_from(measures: PhotoMeasures) -> str:
    """From which side the light falls on the face: the slope of L* over its skin, by least squares."""
    face = measures.face
    if face is None:
        return "unknown"
    places = (face.mesh_px if face.mesh else np.array(list(face.points.values()), float)) / measures.scale
    (x0, y0), (x1, y1) = np.maximum(places.min(0).astype(int), 0), places.max(0).astype(int) + 1
    skin, lab = measures.own_skin[y0:y1, x0:x1], measures.small_lab[y0:y1, x0:x1]
    ys, xs = np.nonzero(skin > 0.5)
    if len(xs) < 100:
        return "unknown"
    across = max(1.0, x1 - x0)
    grid = np.stack([xs / across, ys / across, np.ones(len(xs))], 1)
    (right, down, _), *_ = np.linalg.lstsq(grid, lab[ys, xs, 0].astype(float), rcond=None)
    words = ["above" if down < -_FROM_THE_SIDE else "below" if down > _FROM_THE_SIDE else "",
             "right" if right > _FROM_THE_SIDE else "left" if right < -_FROM_THE_SIDE else ""]
    said = [word for word in words if word]
    if not said:
        return "the front"
    return said[0] if len(said) == 1 and said[0] in ("above", "below") else (
        phrase("the %1", said[0]) if len(said) == 1 else f"{said[0]}, {said[1]}")


def _uneven(measures: PhotoMeasures) -> float:
    """Robust spread of the skin's light in the band of blotches, L*."""
    skin, width = measures.skin, measures.face_width_px / measures.scale
    if not (skin > 0.5).any():
        return 0.0
    light, weight = measures.small_lab[..., 0] * skin, np.maximum(skin, 1e-4)

    def low(sigma: float) -> np.ndarray:
        return cv2.GaussianBlur(light, (0, 0), sigma) / np.maximum(cv2.GaussianBlur(weight, (0, 0), sigma), 1e-3)

    band = (low(_BAND[0] * width) - low(_BAND[1] * width))[cv2.erode(skin, np.ones((5, 5))) > 0.9]
    return 1.4826 * float(np.median(np.abs(band - np.median(band)))) if band.size else 0.0


def meanings(facts: PhotoFacts) -> list[tuple[str, str, str]]:
    """(what, value, what it means for the work), for the job sheet and the command line."""
    percent, grain_px = facts.grain
    rows = [
        ("Face", phrase("%1 px wide", f"{facts.face_px:.0f}") if facts.face_px else "none found",
         phrase("1 mm of skin is %1 px", f"{facts.face_px / 130:.1f}") if facts.face_px else "sizes go by the picture"),
        *([("People", facts.people, "each is worked on by their own skin")] if facts.people else []),
        *(("", "", note) for note in facts.people_notes),
        ("Skin", phrase("%1 % of the photo", f"{facts.skin_percent:.0f}"),
         phrase("%1 faces’ worth to go over", f"{facts.skin_faces:.1f}")),
        ("Texture scale", phrase("%1 px", f"{facts.split_px:.1f}") if facts.split_px else "not told",
         "Split starts at this width" if facts.split_px else "Split starts at a usual width"),
        ("Grain", phrase("%1 %, %2 px", f"{percent:.1f}", f"{grain_px:.1f}"),
         "put back where smoothing takes it" if percent >= 0.1 else "none to match"),
        ("Clipped skin", f"{facts.clipped_percent:.1f} %", "nothing there to mend from: develop it darker if you can"
         if facts.clipped_percent > 0.5 else "all skin holds detail"),
        ("Light", phrase("from %1", facts.light_from) if facts.light_from != "unknown" else "not told",
         "Sculpt strengthens what it shows" if facts.light_from not in ("the front", "unknown") else
         "flat: Sculpt has little to follow"),
        ("File", phrase("%1, %2 bit", facts.profile, facts.bits),
         "8 bits: strong curves may band" if facts.bits == 8 else "room for strong curves"),
    ]
    return rows
