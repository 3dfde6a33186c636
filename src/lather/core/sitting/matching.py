"""Which find of one frame is which on another: by place, kind and size; and looked for in the pixels where none is."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from lather.core.colour.lab import srgb_lightness
from lather.core.engine.photo import Photo
from lather.core.job.finds import Find
from lather.core.job.model import new_id
from lather.core.sitting.frame_map import FrameMap, scale_of
from lather.core.sitting.moved_edits import moved_find
from lather.core.types import Rect

_SPOTS = ("blemish_dark", "blemish_red", "blemish_bright", "flake", "mole", "freckle", "blotch_dark", "blotch_bright")
_LINES = ("scar", "crease", "hair_on_skin", "jewellery_mark", "vein_nose", "makeup_fold")
_BY_ZONE = ("under_eye", "crease", "vein_eye")
_SURE_SHARE, _UNSURE_SHARE = 0.018, 0.075  # of the face's width: how far from where the map says it may lie
_MAP_HOLDS = 0.5  # trust from which the map alone says where a mark lies
_MARKS_REACH = 0.13  # of the face's width: how far marks speak for others
_SIZES = 2.5  # times as large or small, at the most
_WINDOW, _LEAST_ALIKE = 2.4, 0.55  # sizes of a find around it that are compared; correlation
_LARGEST_SHARE, _LEAST_SPREAD = 0.2, 0.4  # of the face's width that is compared; L* in it
_PLACE_TELLS = 0.75  # alike by place alone, from which nothing else is asked


@dataclass(frozen=True)
class Match:
    """find: on the other frame. alike: 0-1, how sure it is. seen: found there by the finder, not by its picture."""

    find: Find
    alike: float
    seen: bool = True


class Matcher:
    """Finds of one frame, looked for on another."""

    def __init__(self, first: Photo, second: Photo, frames: FrameMap, finds: Iterable[Find], face_px: float):
        self._first, self._second, self._frames, self._face = first, second, frames, face_px
        self._finds = list(finds)
        self._taken: set[str] = set()
        self._known = np.zeros((0, 4))  # place of a mark on the first frame, and how far from the map its match lies

    def in_order(self, finds: Sequence[Find]) -> Iterator[Find]:
        """The surest first; then, of those that the map says little of, always the one nearest to what is known: marks
        that were found tell where the next one lies.
        """
        sure = {find.id: self._sure(find) for find in finds}
        yield from sorted((f for f in finds if sure[f.id] >= _MAP_HOLDS), key=lambda f: -sure[f.id])
        rest = [f for f in finds if sure[f.id] < _MAP_HOLDS]
        while rest:
            find = min(rest, key=self._away)
            rest.remove(find)
            yield find

    def _sure(self, find: Find) -> float:
        return float(self._frames.sure(np.array([[find.x, find.y]]))[0])

    def _away(self, find: Find) -> float:
        """Px from the nearest mark that was found."""
        return float(np.hypot(*(self._known[:, :2] - (find.x, find.y)).T).min()) if len(self._known) else 0.0

    def place(self, find: Find) -> tuple[Find, float, float]:
        """The find where the map and the marks around lead it, how far it may be off (px), and how sure that is (0-1).
        """
        sure = self._sure(find)
        moved = moved_find(find, self._frames)
        reach = self._face * (_UNSURE_SHARE + sure * (_SURE_SHARE - _UNSURE_SHARE))
        if sure < _MAP_HOLDS and len(self._known):
            away = np.hypot(*(self._known[:, :2] - (find.x, find.y)).T) / (_MARKS_REACH * self._face)
            weight = np.exp(-0.5 * away**2)
            if weight.sum() > 1e-3:
                shift = (weight[:, None] * self._known[:, 2:]).sum(0) / weight.sum()
                moved = shifted(moved, *shift)
        return moved, reach, sure

    def _keep(self, find: Find, other: Find) -> None:
        (x, y), = self._frames.places(np.array([[find.x, find.y]]))
        self._known = np.vstack([self._known, (find.x, find.y, other.x - x, other.y - y)])

    def match(self, find: Find, *, of: Iterable[Find] | None = None) -> Match | None:
        """The same mark on the other frame; None where it is not seen. Each find there is given once."""
        moved, reach, sure = self.place(find)
        best: tuple[float, Find] | None = None
        for other in self._finds if of is None else of:
            if other.id in self._taken or not _same_family(find.kind, other.kind):
                continue
            if find.kind in _BY_ZONE and other.kind == find.kind and find.zone == other.zone:
                score = 0.9
            else:
                away = float(np.hypot(other.x - moved.x, other.y - moved.y))
                size = max(other.size_px, moved.size_px) / max(1.0, min(other.size_px, moved.size_px))
                if away > reach + 0.35 * moved.size_px or size > _SIZES:
                    continue
                score = 0.5 + 0.5 * sure - 0.35 * away / (reach + 0.35 * moved.size_px) - 0.1 * (size - 1)
                score -= 0.1 * (other.kind != find.kind)
            if best is None or score > best[0]:
                best = (score, other)
        if best is not None:
            self._taken.add(best[1].id)
            self._keep(find, best[1])
            score = best[0] if best[0] > _PLACE_TELLS else max(best[0], self._alike_at(find, best[1]))
            return Match(best[1], float(np.clip(score, 0.05, 1.0)))
        return self._by_picture(find, moved, reach)

    def give_back(self, match: Match) -> None:
        """It was another mark after all: it can be matched again, and says nothing of others."""
        self._taken.discard(match.find.id)
        self._known = self._known[:-1]

    def _alike_at(self, find: Find, other: Find) -> float:
        """Correlation of the skin around two finds, that may lie a few px off."""
        seen = self._looked_for(find, other.x, other.y, 0.4 * other.size_px + 4)
        return seen[0] if seen is not None else 0.0

    def _by_picture(self, find: Find, moved: Find, reach: float) -> Match | None:
        """Where the skin around looks as on the first frame, mark and all."""
        if find.path is not None and _WINDOW * find.size_px / 2 > _LARGEST_SHARE * self._face:
            return None
        seen = self._looked_for(find, moved.x, moved.y, reach)
        if seen is None or seen[0] < _LEAST_ALIKE:
            return None
        best, x, y = seen
        if any(np.hypot(other.x - x, other.y - y) < 0.5 * max(other.size_px, moved.size_px) for other in self._finds
               if other.id in self._taken):
            return None
        found = replace(shifted(moved, x - moved.x, y - moved.y), id=f"{moved.kind}-{new_id()}", confidence=best)
        self._keep(find, found)
        return Match(found, best, seen=False)

    def _looked_for(self, find: Find, x: float, y: float, reach: float) -> tuple[float, float, float] | None:
        """(correlation, x, y) of the place within reach of (x, y) that looks most like a find and the skin around it;
        None where one of them is cut off, or shows nothing to compare.
        """
        linear = self._frames.linear(find.x, find.y)
        half = int(max(6, _WINDOW * find.size_px / 2))
        here = _window(self._first, find.x, find.y, half)
        size = max(7, round(2 * half * scale_of(linear)) | 1)
        there = _window(self._second, x, y, int(size / 2 + reach) + 2)
        if here is None or there is None:
            return None
        to_here = cv2.invertAffineTransform(np.column_stack([linear, np.zeros(2)]))
        to_here[:, 2] = np.array([half, half]) - to_here[:, :2] @ (size / 2, size / 2)
        template = cv2.warpAffine(here, to_here, (size, size), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
                                  borderMode=cv2.BORDER_REPLICATE)
        if float(template.std()) < _LEAST_SPREAD:
            return None
        _, best, _, (i, j) = cv2.minMaxLoc(cv2.matchTemplate(there, template, cv2.TM_CCOEFF_NORMED))
        shift = np.array([i, j]) + size / 2 - there.shape[0] / 2
        return float(best), x + float(shift[0]), y + float(shift[1])


def shifted(find: Find, dx: float, dy: float) -> Find:
    """A find a little further on."""
    def along(places) -> tuple[tuple[float, float], ...]:
        return tuple((a + float(dx), b + float(dy)) for a, b in places)

    return replace(find, x=find.x + float(dx), y=find.y + float(dy), outline=along(find.outline),
                   path=along(find.path) if find.path is not None else None)


def _same_family(a: str, b: str) -> bool:
    return a == b or (a in _SPOTS and b in _SPOTS) or (a in _LINES and b in _LINES)


def _window(photo: Photo, x: float, y: float, half: int) -> np.ndarray | None:
    """Lightness (2·half, 2·half) around a place; None where it is cut off by more than half."""
    rect = Rect(int(x) - half, int(y) - half, int(x) + half, int(y) + half)
    inside = rect.intersect(photo.bounds)
    if inside.empty or inside.width * inside.height < 0.6 * rect.width * rect.height:
        return None
    light = srgb_lightness(photo.read(inside))
    return cv2.copyMakeBorder(light, inside.y0 - rect.y0, rect.y1 - inside.y1, inside.x0 - rect.x0, rect.x1 - inside.x1,
                              cv2.BORDER_REPLICATE).astype(np.float32)
