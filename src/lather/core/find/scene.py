"""What all finders look at: the photo in Lab at a scale that suits flaws, skin, and where finds are natural."""

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import cv2
import numpy as np

from lather.core.colour import profiles, srgb
from lather.core.colour.gloss import usual_skin
from lather.core.find import boosted_trees
from lather.core.find.lines.ridges import Ridges, ridge_responses
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.people.contours import Contours
from lather.core.types import EncodedRGB, Lab, Mask, Rect, as_float32

SMALL_PER_MM = 3.2
"""Pixels to a millimetre of a face under which it is small."""
_FINEST_PER_MM = 8.5  # more pixels per mm than this show nothing that a retoucher mends
_MARGIN_MM = 8.0
_CORE_OF_NATURAL = 0.55
_LAYERS = 6
_STRIP = 128  # rows
_HAIR_WIDTHS_MM, _LEAST_SIGMA_PX = (0.2, 0.4), 0.8
_THEIRS = 0.5  # share of a pixel that is a person's
_FAR = 3.0  # radii from a natural place at which it counts no more


@dataclass(eq=False)
class FindScene:
    """`step`: source pixels per pixel here (a power of two). `rect`: the part looked at, in pixels of this scale."""

    measures: PhotoMeasures
    most_candidates: int = 3500
    """Places measured at the most, those that stand out most first."""
    most_proposed: int = 1200
    """The same, of places that are proposed by how they look."""
    smallest_px: float = 3.6
    largest_mm: float = 6.5
    """Across, of the blobs looked for; in pixels of this scale, and on the person."""
    least_per_mm: float = _FINEST_PER_MM / 2
    """Pixels per mm of this scale at the least; the coarsest scale that has them is taken."""
    least_contrast: float = 2.2
    """ΔE00 of a blob to the skin around it under which it is nothing."""

    @property
    def is_small(self) -> bool:
        """True where the face in hand has too few pixels for its pores to be seen."""
        return self.measures.pixels_per_mm < SMALL_PER_MM

    @property
    def weights(self) -> Path:
        """Folder of the weights that fit the scale."""
        return boosted_trees.SMALL if self.is_small else boosted_trees.FOLDER

    @cached_property
    def level(self) -> int:
        """The coarsest level at which a millimetre still has enough pixels."""
        level = 0
        while self.measures.pixels_per_mm / 2 ** (level + 1) >= self.least_per_mm:
            level += 1
        return level

    @property
    def step(self) -> int:
        """Photo pixels to one of this level."""
        return 1 << self.level

    @property
    def per_mm(self) -> float:
        """Pixels of this level to a millimetre of skin."""
        return self.measures.pixels_per_mm / self.step

    @cached_property
    def rect(self) -> Rect:
        """Around all skin; the whole picture where there is none."""
        bounds = self.measures.photo.level_bounds(self.level)
        skin = self.measures.skin > 0.5
        if not skin.any():
            return bounds
        ys, xs = np.flatnonzero(skin.any(1)), np.flatnonzero(skin.any(0))
        k = self.measures.scale / self.step
        margin = int(_MARGIN_MM * self.per_mm)
        found = Rect(int(xs[0] * k), int(ys[0] * k), int((xs[-1] + 1) * k) + 1, int((ys[-1] + 1) * k) + 1)
        return found.expand(margin).intersect(bounds)

    @cached_property
    def encoded(self) -> EncodedRGB:
        """`rect` in sRGB."""
        photo, rect = self.measures.photo, self.rect
        values = as_float32(photo.codes(self.level)[rect.y0 : rect.y1, rect.x0 : rect.x1])
        if not profiles.is_srgb(photo.profile):
            values = profiles.convert(values, photo.profile, profiles.srgb_profile())
        return np.ascontiguousarray(values)

    @cached_property
    def lab(self) -> Lab:
        """L*, a*, b* (D65 as OpenCV has it: only differences are used) of `rect`."""
        return cv2.cvtColor(self.encoded, cv2.COLOR_RGB2Lab)

    @cached_property
    def channels(self) -> np.ndarray:
        """L*, a*, b* and pigment of `rect`, float32 (h, w, 4).

        Pigment is the hue of the light less its white part, as a share in %: neither shading nor a highlight changes
        it (dichromatic reflection, Shafer 1985), so a red spot shows in it where pores glitter.
        """
        out = np.empty((*self.lab.shape[:2], 4), np.float32)
        out[..., :3] = self.lab
        linear = cv2.GaussianBlur(srgb.decode(self.encoded), (0, 0), 0.8)
        red, green, blue = cv2.split(linear)
        least = np.float32(0.01)
        out[..., 3] = 100 * (red - green) / (np.maximum(red - blue, 0) + np.abs(red - green) + least)
        return out

    @cached_property
    def usual_skin(self) -> tuple[float, float] | None:
        """(saturation, light) of bare skin without gloss, see `colour.gloss`; None where there is no skin."""
        skin = self.measures.skin > 0.5
        return usual_skin(self.measures.small[skin]) if skin.any() else None

    @cached_property
    def skin(self) -> Mask:
        """Skin of `rect`, 0-1."""
        return self.at_scale(self.measures.skin)

    def at_scale(self, small: np.ndarray) -> np.ndarray:
        """A map of the size of `measures.small` cut to `rect`, at this scale."""
        k = self.measures.scale / self.step
        rect = self.rect
        matrix = np.float32([[1 / k, 0, (rect.x0 + 0.5) / k - 0.5], [0, 1 / k, (rect.y0 + 0.5) / k - 0.5]])
        return cv2.warpAffine(
            small,
            matrix,
            (rect.width, rect.height),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REPLICATE,
        )

    @cached_property
    def bare(self) -> Mask:
        """Skin where a find would not be natural: eyes, lashes, brows, nostrils and lips are left out."""
        return self._less_natural(1.0)

    @cached_property
    def searched(self) -> Mask:
        """Where spots are looked for: nearer to eyes, brows and lips than `bare`; `natural_nearness` tells how near."""
        return self._less_natural(_CORE_OF_NATURAL)

    def _less_natural(self, size: float) -> Mask:
        """Skin less the natural places at some share of their size."""
        natural = np.zeros(self.skin.shape, np.uint8)
        for face in self.measures.faces:
            for points, axes, angle in natural_places(face, self.brow_rise):
                x, y = self.to_here(*points)
                half = tuple(max(1, round(size * a / self.step)) for a in axes)
                cv2.ellipse(natural, (round(x), round(y)), half, angle, 0, 360, 1, -1)
        people = self.measures.people
        for face in self.measures.faces:
            rim = [self.to_here(*place) for place in scalp(face)]
            above = cv2.fillPoly(np.zeros(natural.shape, np.uint8), [np.round(rim).astype(np.int32)], 1)
            person = people.person_of(face)
            if person is not None:  # what is above them may be another's face
                above[self.at_scale(people.mask_of(person.number)) < _THEIRS] = 0
            natural |= above
        return np.where(natural > 0, 0, self.skin).astype(np.float32)

    @cached_property
    def layers(self) -> list[tuple[np.ndarray, Mask]]:
        """(`channels`, `searched`) at this scale, a half, a quarter ... of it."""
        layers = [(self.channels, np.clip(self.searched, 0, 1))]
        while len(layers) < _LAYERS and min(layers[-1][1].shape) > 8:
            half = tuple(max(1, n // 2) for n in layers[-1][1].shape[::-1])
            layers.append(tuple(cv2.resize(part, half, interpolation=cv2.INTER_AREA) for part in layers[-1]))
        return layers

    def natural_nearness(self, places: np.ndarray) -> np.ndarray:
        """(n,) of places (n, 2) in px here: radius in the nearest natural place's own ellipse, 1 on its rim, most 3."""
        nearest = np.full(len(places), _FAR)
        natural = (place for face in self.measures.faces for place in natural_places(face, self.brow_rise))
        for points, axes, angle in natural:
            away = (places - self.to_here(*points)) * self.step
            cos, sin = np.cos(np.radians(angle)), np.sin(np.radians(angle))
            along, across = away[:, 0] * cos + away[:, 1] * sin, away[:, 1] * cos - away[:, 0] * sin
            nearest = np.minimum(nearest, np.hypot(along / axes[0], across / axes[1]))
        return nearest

    @property
    def contours(self) -> Contours:
        """Lines that belong to the people of the photo."""
        return self.measures.contours

    def contour_off(self, places: np.ndarray) -> np.ndarray:
        """(n,) how far places (n, 2) in px here are from a contour of somebody, in its widths."""
        return self.contours.off((places + np.array([self.rect.x0, self.rect.y0])) * self.step)

    @cached_property
    def brow_rise(self) -> float:
        """How far above the eyes the brows are, in eye distances: where it is darkest."""
        face, scale = self.measures.face, self.measures.scale
        origin, across, down = face.frame
        vs = np.arange(-0.42, -0.15, 0.01)
        us = np.concatenate([np.arange(-0.68, -0.32, 0.03), np.arange(0.32, 0.68, 0.03)])
        grid = origin + face.eye_distance_px * (us[None, :, None] * across + vs[:, None, None] * down)
        grid = (grid / scale).astype(np.float32)
        light = cv2.remap(self.measures.small.mean(-1), grid[..., 0].copy(), grid[..., 1].copy(), cv2.INTER_LINEAR)
        profile = cv2.GaussianBlur(light.mean(1)[:, None], (1, 7), 1.5)[:, 0]
        return float(-vs[int(np.argmin(profile + 0.25 * np.abs(vs + 0.27)))])

    @cached_property
    def whole_lab(self) -> Lab:
        """L*, a*, b* of the whole picture at this scale."""
        codes, own = self.measures.photo.codes(self.level), profiles.is_srgb(self.measures.photo.profile)
        lab = np.empty(codes.shape, np.float32)
        for y in range(0, len(codes), _STRIP):  # small pieces: memory that is new each time costs more than the sum
            values = as_float32(codes[y : y + _STRIP])
            if not own:
                values = profiles.convert(values, self.measures.photo.profile, profiles.srgb_profile())
            cv2.cvtColor(np.ascontiguousarray(values), cv2.COLOR_RGB2Lab, dst=lab[y : y + _STRIP])
        return lab

    @cached_property
    def whole_lightness(self) -> np.ndarray:
        """L* of the whole picture at this scale, float32."""
        return cv2.extractChannel(self.whole_lab, 0)

    @property
    def hair_sigmas(self) -> list[float]:
        """Scales, in pixels here, at which hairs against the background are looked for."""
        return sorted({max(_LEAST_SIGMA_PX, 0.5 * w * self.per_mm) for w in _HAIR_WIDTHS_MM})

    @cached_property
    def lightness_ridges(self) -> list[Ridges]:
        """Dark and bright lines of `whole_lightness` as wide as hairs."""
        return ridge_responses(self.whole_lightness, self.hair_sigmas, (True, False))

    @cached_property
    def ground(self) -> Mask:
        """Safe ground of the whole picture at this scale, uint8 0 or 1."""
        bounds = self.measures.photo.level_bounds(self.level)
        wide = cv2.resize(
            self.measures.ground.astype(np.float32), (bounds.x1, bounds.y1), interpolation=cv2.INTER_LINEAR
        )
        return (wide > 0.5).astype(np.uint8)

    def hair_zone(self, x: float, y: float) -> str:
        """Where a hair is rooted: brow, hairline (beside the face), or hair."""
        face = self.measures.face
        if face is None:
            return "hair"
        u, v = (float(n) for n in face.in_frame(x, y))
        _, hair_v = face.in_frame(*face.points["hairline"])
        return "hairline" if v > float(hair_v) - 0.6 and abs(u) < 2.2 else "hair"

    def to_here(self, x: float, y: float) -> tuple[float, float]:
        """Source px to pixels of `rect`."""
        return x / self.step - self.rect.x0, y / self.step - self.rect.y0

    def to_source(self, x: float, y: float) -> tuple[float, float]:
        """A place of this level, on the photo."""
        return (x + self.rect.x0) * self.step, (y + self.rect.y0) * self.step

    def zone(self, x: float, y: float) -> str:
        """Zone of a source place, in whichever face it lies."""
        faces = self.measures.faces
        at = next((face for face in faces if face.holds(x, y)), faces[0] if faces else None)
        return (at.zone_at(x, y) if at is not None else "") or "skin"


def scalp(face) -> list[tuple[float, float]]:
    """Polygon in source px around what lies above the hairline: a head is no skin to mend, cropped or bald."""
    _, hair_v = face.in_frame(*face.points["hairline"])
    middle, across, down = face.frame
    d = face.eye_distance_px
    us = np.linspace(-1.7, 1.7, 23)
    rim = [middle + d * (u * across + (float(hair_v) - 0.22 + 0.25 * u * u) * down) for u in us]
    top = [middle + d * (u * across - 4.0 * down) for u in (1.7, -1.7)]
    return [(float(x), float(y)) for x, y in (*rim, *top)]


def natural_places(face, brow_rise: float) -> list:
    """Ellipses ((x, y), (half width, half height), angle) in source px around features that look like flaws."""
    _, across, down = face.frame
    d = face.eye_distance_px
    angle = float(np.degrees(np.arctan2(across[1], across[0])))
    found = []
    for name in ("eye_left", "eye_right"):
        at = np.array(face.points[name])
        found.append((tuple(at - 0.03 * d * down), (0.34 * d, 0.165 * d), angle))
        found.append((tuple(at - brow_rise * d * down), (0.36 * d, 0.09 * d), angle))
    nose, mouth_l, mouth_r = (np.array(face.points[k]) for k in ("nose_tip", "mouth_left", "mouth_right"))
    for side in (-1, 1):
        found.append((tuple(nose + side * 0.15 * d * across + 0.06 * d * down), (0.10 * d, 0.065 * d), angle))
    half = float(np.hypot(*(mouth_r - mouth_l))) / 2
    found.append((tuple((mouth_l + mouth_r) / 2), (1.08 * half, 0.17 * d), angle))
    return found
