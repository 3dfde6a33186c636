"""Two states of one picture, and what gauges share of measuring them.

Fine bands (texture, grain) are read from tiles at full size, all else from a picture of about 1000 px.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.colour.lab import delta_e2000
from lather.core.job.finds import Find
from lather.core.job.model import Job
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.stages.base import Warp, Zones
from lather.core.stages.light.cells import Seen
from lather.core.stages.light.needed import NeededLight
from lather.core.types import EncodedRGB, Lab, Mask, Rect

_WORK_SIDE, _FACE_SIDE = 1000, 500


@dataclass(frozen=True)
class Compared:
    """before, after: pixels of a rectangle of a level, as the engine gives them. finds, keepers: of the photo.

    zones: labels of a practice plate, full size (without it skin is measured, and teeth cannot be). most_tiles: read
    the fine bands from no more tiles than that, evenly spread. after_fingerprint, needed: what names the pixels after,
    and where light that skin needs is kept; without them it is worked out anew. warp: what the retouch moves, None
    where only the pixels can tell; `before` and `after` are both as they were before it, so that what was moved is not
    taken for touched. masks: where teeth and eye whites are, where there are no labels. job: what was done, where that
    is known; skin_work: pixels with only that of it whose business is skin. pores: look for copied skin by its pores,
    which takes a few seconds, where the job is not known. quick: somebody works meanwhile.
    """

    bounds: Rect
    profile: bytes | None
    before: Callable[[Rect, int], EncodedRGB]
    after: Callable[[Rect, int], EncodedRGB]
    measures: PhotoMeasures
    finds: Sequence[Find] = ()
    keepers: Sequence[Find] = ()
    zones: Mask | None = None
    most_tiles: int | None = None
    after_fingerprint: Callable[[Rect], bytes] = lambda rect: b"after"
    needed: NeededLight | None = None
    warp: Warp | None = None
    masks: Zones | None = None
    job: Job | None = None
    pores: bool = True
    skin_work: Callable[[Rect, int], EncodedRGB] | None = None
    quick: bool = False
    _once: dict = field(default_factory=dict)

    def once(self, work: Callable[["Compared"], object]) -> object:
        """What several gauges share is worked out by the first that asks for it."""
        if work not in self._once:
            self._once[work] = work(self)
        return self._once[work]

    @cached_property
    def small(self) -> tuple[Lab, Lab]:
        """Both in Lab, at the size of `measures.small`."""
        return self.small_lab(self.before), self.small_lab(self.after)

    @cached_property
    def whole(self) -> tuple[Rect, int]:
        """The whole picture, at the level next above the small size."""
        level, photo = 0, self.measures.photo
        while max(photo.level_bounds(level + 1)[2:]) >= _WORK_SIDE:
            level += 1
        return photo.level_bounds(level), level

    def small_lab(self, read: Callable[[Rect, int], EncodedRGB]) -> Lab:
        """The whole picture in Lab, at the size of `measures.small`."""
        pixels = cv2.resize(read(*self.whole), self.measures.small.shape[1::-1], interpolation=cv2.INTER_AREA)
        return profiles.to_lab(pixels, self.profile).astype(np.float32)

    @cached_property
    def change(self) -> np.ndarray:
        """ΔE00 between the two at the small size."""
        return delta_e2000(*self.small)

    @cached_property
    def skin(self) -> Mask:
        """Skin 0-1 at the small size: of the plate's zones where there are any, else as measured."""
        own = self.measures.skin
        if self.zones is None:
            return own
        return cv2.resize((self.zones == 1).astype(np.float32), own.shape[::-1], interpolation=cv2.INTER_AREA)

    @cached_property
    def _face_area(self) -> tuple[Rect, int] | None:
        """A rectangle of a level around the face in hand, at which its small parts are seen well."""
        face = self.measures.face
        if face is None:
            return None
        level = 0
        while face.width_px / (1 << (level + 1)) >= _FACE_SIDE:
            level += 1
        places = face.mesh_px if face.mesh else np.array(list(face.points.values()), float)
        low, high = (places.min(0).astype(int) >> level), (places.max(0).astype(int) >> level)
        rect = Rect(int(low[0]), int(low[1]), int(high[0]) + 2, int(high[1]) + 2)
        rect = rect.intersect(self.measures.photo.level_bounds(level))
        return None if rect.empty else (rect, level)

    @cached_property
    def close_to_the_face(self) -> tuple[Lab, Lab] | None:
        """Both in Lab, closely; None without a face."""
        area = self._face_area
        if area is None:
            return None
        before, after = (profiles.to_lab(read(*area), self.profile) for read in (self.before, self.after))
        return before, after

    def zone_close(self, zone: str, label: int) -> Mask | None:
        """Share of a zone over `close_to_the_face`: by the labels of the plate, else by the masks."""
        rect, level = self._face_area
        if self.zones is not None:
            part = rect.from_level(level).intersect(self.bounds)
            own = (self.zones[part.slices(self.bounds)] == label).astype(np.float32)
            return cv2.resize(own, (rect.width, rect.height), interpolation=cv2.INTER_AREA)
        if self.masks is None:
            return None
        return self.masks.mask(zone, (self.measures.face,), rect, level)

    @property
    def seen_before(self) -> Seen:
        """The photo, as it is read coarsely."""
        return Seen(self.before, lambda rect: b"photo", self.before, self.bounds, tuple(self.measures.faces),
                    *self.measures.skin_read, self.measures.photo.blocks)

    @property
    def seen_after(self) -> Seen:
        """The picture after, as it is read coarsely."""
        return Seen(self.after, self.after_fingerprint, self.before, self.bounds, tuple(self.measures.faces),
                    *self.measures.skin_read, self.measures.photo.blocks)

    @property
    def face_small_px(self) -> float:
        """Width of the face in pixels of `measures.small`."""
        return self.measures.face_width_px / self.measures.scale

    def reads(self) -> tuple[Callable[[Rect], EncodedRGB], Callable[[Rect], EncodedRGB]]:
        """before and after at full size."""
        return lambda rect: self.before(rect, 0), lambda rect: self.after(rect, 0)
