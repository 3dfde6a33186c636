"""All that is measured of a photo once, when it is opened: face map, skin, grain, texture scale."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, partial

import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.photo import Photo
from lather.core.job.face_map import FaceMap
from lather.core.job.grain_model import GrainModel
from lather.core.job.model import Job
from lather.core.job.part_strokes import PartStroke
from lather.core.measure.grain import measure_grain
from lather.core.measure.grey_mix import most_telling_mix
from lather.core.measure.ground import safe_ground
from lather.core.measure.texture_scale import TextureScale, measure_texture_scale
from lather.core.people.contours import Contours
from lather.core.people.reading import People, people_for
from lather.core.people.small_picture import small_picture
from lather.core.people.zone_masks import ZoneMasks
from lather.core.stages.light.cells import SKIN_READ
from lather.core.types import EncodedRGB, Lab, Mask, Rect

_NO_FACE_WIDTH = 0.35  # of the shorter side: what sizes relate to where there is no face


@dataclass(eq=False)
class PhotoMeasures:
    """Lazy: each value is computed when first asked for. `face` given by the person takes the place of the guess.

    part_strokes: what the person corrected of the parts that are read.
    """

    photo: Photo
    given_face: FaceMap | None = None
    part_strokes: tuple[PartStroke, ...] = ()

    @classmethod
    def of_job(cls, photo: Photo, job: Job) -> "PhotoMeasures":
        """As a job has them: its face in hand, the parts that were corrected."""
        return cls(photo, job.face_map, job.part_strokes)

    @cached_property
    def zones(self) -> ZoneMasks:
        """Parts of the faces at the photo's own pixels."""
        return ZoneMasks(self.photo, self.part_strokes)

    @cached_property
    def small(self) -> EncodedRGB:
        """The photo in sRGB, long side about 1000 px."""
        return small_picture(self.photo)

    @cached_property
    def small_lab(self) -> Lab:
        """`small` in Lab."""
        return srgb_to_lab(self.small)

    @property
    def scale(self) -> float:
        """Source pixels per pixel of `small` and `skin`."""
        return self.photo.width / self.small.shape[1]

    @cached_property
    def people(self) -> People:
        """Who is there, and what each pixel is: the same whatever face is in hand."""
        given = (self.given_face,) if self.given_face is not None else ()
        return people_for(self.photo, given, self.part_strokes)

    @cached_property
    def contours(self) -> Contours:
        """Lines that belong to the people of the photo, which are never mended away."""
        return Contours.of(self.people)

    @cached_property
    def faces(self) -> tuple[FaceMap, ...]:
        """All faces, the one in hand first: the one given, else the largest."""
        found = self.people.faces
        given = self.given_face
        if given is None:
            return found
        middle = given.frame[0]
        return (given, *(face for face in found if not face.holds(*middle) and not given.holds(*face.frame[0])))

    @property
    def face(self) -> FaceMap | None:
        """The face in hand."""
        if self.given_face is not None:
            return self.given_face
        return self.faces[0] if self.faces else None

    @cached_property
    def person(self) -> Mask:
        """Share of anybody 0-1 at the size of `small`."""
        return self.people.small("person")

    @cached_property
    def skin(self) -> Mask:
        """Skin of everybody 0-1 at the size of `small`; where nobody is seen, what is of skin's commonest colour."""
        return self.people.small("skin")

    @property
    def skin_read(self) -> tuple[Callable[[Rect, int], Mask], bytes]:
        """`skin` and `skin_key` of a picture in cells (`stages.light.cells.Seen`)."""
        people, strokes = self.people, self.part_strokes
        return partial(people.share, "skin"), SKIN_READ + (repr(strokes).encode() if strokes else b"")

    @cached_property
    def own_skin(self) -> Mask:
        """Skin of the person in hand alone; of everybody where it is not known whose face that is."""
        person = self.people.person_of(self.face)
        if person is None or len(self.people.persons) == 1:
            return self.skin
        return self.skin * self.people.mask_of(person.number)

    @cached_property
    def ground(self) -> Mask:
        """Safe ground, 0 or 1, at the size of `small`: hair may lie before it, no body does."""
        people = self.people
        body = people.small("person") - people.small("scalp hair") if people.persons else self.skin
        return safe_ground(self.small, body, self.pixels_per_mm / self.scale)

    @cached_property
    def skin_lab(self) -> tuple[float, float, float] | None:
        """Usual (median) colour of the skin of the person in hand; None where there is hardly any."""
        colours = self.small_lab[self.own_skin > 0.5]
        return tuple(map(float, np.median(colours, axis=0))) if len(colours) > 100 else None

    @cached_property
    def grey_mix(self) -> float:
        """Where between red (0), green (0.5) and blue (1) the blotches of this skin show most (see lamps/grey.py)."""
        return most_telling_mix(self.small, self.own_skin, self.face_width_px / self.scale)

    @cached_property
    def skin_box(self) -> Rect:
        """Pixels of the photo around all skin; all of it where there is none."""
        skin = self.skin > 0.5
        if not skin.any():
            return self.photo.bounds
        (y0, *_, y1), (x0, *_, x1) = (np.flatnonzero(np.pad(skin.any(way), 1)) - 1 for way in (1, 0))
        x0, y0, x1, y1 = (int(n * self.scale) for n in (x0, y0, x1 + 2, y1 + 2))
        return Rect(x0, y0, x1, y1).intersect(self.photo.bounds)

    @property
    def skin_share(self) -> float:
        """Share 0-1 of the photo that is skin."""
        return float((self.skin > 0.5).mean())

    @property
    def face_width_px(self) -> float:
        """Of the face in hand; guessed from the picture's size where there is none."""
        if self.face is not None:
            return self.face.width_px
        return _NO_FACE_WIDTH * min(self.photo.width, self.photo.height)

    @property
    def pixels_per_mm(self) -> float:
        """Of the face; without one, taken from the feature width (a face is about 130 mm wide)."""
        return self.face.pixels_per_mm if self.face is not None else self.face_width_px / 130

    @cached_property
    def grain(self) -> GrainModel:
        """Level by luminance, size and colour share of the photo's grain."""
        return measure_grain(self.photo)

    @cached_property
    def texture_scale(self) -> TextureScale | None:
        """At which width the pores of this skin have left the tone; None where there is too little skin."""
        return measure_texture_scale(self.photo, self.own_skin, self.scale, self.face_width_px)

    def to_json(self) -> dict:
        """As `lather info --json` prints it."""
        face = self.face
        return {
            "grain": self.grain.to_json(),
            "texture_scale_px": round(self.texture_scale.split_px, 2) if self.texture_scale else None,
            "face": None if face is None else {
                "width_px": round(face.width_px, 1),
                "points": {k: [round(x, 1), round(y, 1)] for k, (x, y) in face.points.items()},
            },
            "faces": len(self.faces),
            "people": self.people.to_json()["persons"],
            "person_share": round(float((self.person > 0.5).mean()), 4),
            "skin_share": round(self.skin_share, 4),
            "skin_px": int(np.round(self.skin_share * self.photo.width * self.photo.height)),
        }
