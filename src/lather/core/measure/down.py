"""Down measured as a field, by zone of the body: how much of the fine texture is hair, how it lies, how strong it is.

Read from skin at the photo's own pixels; fine hair is parted from pores by `stages.strands.fine_hair`.
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.job.face_map import FaceMap
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.phrases import worded
from lather.core.stages.strands.down import SHARES, bare_share
from lather.core.stages.strands.fine_hair import REACH_PX, fine_hair, planes, prominence
from lather.core.types import EncodedRGB, Lab, Mask, Rect

ZONES = {
    "forehead": "Forehead", "temple": "Temples", "cheek": "Cheeks", "upper lip": "Upper lip", "chin": "Chin and jaw",
    "neck": "Neck", "shoulder": "Shoulders and chest", "belly": "Belly", "limb": "Arms and legs", "skin": "Skin",
}
"""Where down is told apart; "skin" where no face says what is where."""
SEEN_FROM = 0.12
"""Share of the texture from which there is down to speak of: on bare skin the net takes less than that for hair."""
_CELL = 16  # px: what is told of a place is told of a cell
_TILE = 512
_LEAST_SKIN, _LEAST_CELLS = 0.9, 40
_MOST_TILES = 60
_BARE = 0.75  # of a cell, of skin where nothing else grows
_STRONG = 0.3  # L* (root of the mean square) of hairs in a cell, from which it belongs to a field
_WIDE_OF_HAIR = 2.0  # px that a fine hair covers
_COVERS_L, _SAMPLES = 1.0, 4000
_UNIT_LIGHT = 4.0  # L* of one unit of `planes`


@dataclass(frozen=True)
class DownZone:
    """One zone. share: 0-1 of the energy of the fine texture's light that is hair. way: angle it lies at, 0 to pi rad,
    from the picture's x axis, clockwise as seen. together: 0-1, how far all lie that way. strength: L*, root of the
    mean square where it grows. density: mm of hair to a square mm. area_px: skin looked at. energy: mean square of the
    hairs' light over it, L*². outline: of the largest piece
    where it grows, source px.
    """

    zone: str
    share: float
    way: float
    together: float
    strength: float
    density: float
    area_px: float
    energy: float
    outline: tuple[tuple[float, float], ...] = ()

    def __post_init__(self):
        worded(self, "label")

    @property
    def label(self) -> str:
        """What the zone is called."""
        return ZONES[self.zone]

    @property
    def seen(self) -> bool:
        """True where there is down to speak of."""
        return self.share >= SEEN_FROM and bool(self.outline)

    def to_json(self) -> dict:
        """Plain values."""
        return {
            "zone": self.zone,
            "percent": round(100 * self.share, 1),
            "way_degrees": round(float(np.degrees(self.way)), 1),
            "together": round(self.together, 2),
            "strength": round(self.strength, 2),
            "mm_per_mm2": round(self.density, 3),
            "area_px": round(self.area_px),
        }


@dataclass(frozen=True)
class Down:
    """zones: those with skin enough to tell, the most hairy first. prominences: L*, above which a hair goes where a
    share of `stages.strands.down.SHARES` is to stay; () where there is none.
    """

    zones: tuple[DownZone, ...]
    prominences: tuple[float, ...] = ()

    @property
    def share(self) -> float:
        """Of the texture of all skin that is hair, 0-1."""
        total = sum(zone.area_px for zone in self.zones)
        return sum(zone.area_px * zone.share for zone in self.zones) / total if total else 0.0


@dataclass
class _Cells:
    """What is told of each cell: (rows, columns) arrays. hair, rest: mean squares of L*."""

    hair: np.ndarray
    rest: np.ndarray
    skin: np.ndarray
    twice: np.ndarray  # complex: direction of the hairs, its angle doubled, weighted by their energy
    covered: np.ndarray

    def take(self, at: tuple[int, int], hair: np.ndarray, rest: np.ndarray, skin: Mask, side: int) -> None:
        """What is seen of a piece whose first cell is `at` (row, column), `side` pixels to a cell."""
        gx, gy = cv2.Sobel(hair, cv2.CV_32F, 1, 0), cv2.Sobel(hair, cv2.CV_32F, 0, 1)
        turned = (gy + 1j * gx) ** 2  # along the hair, across its gradient
        for name, of in (("skin", skin), ("hair", skin * hair**2), ("rest", skin * rest**2),
                         ("covered", skin * (np.abs(hair) > _COVERS_L)), ("twice", np.conj(turned) * skin)):
            kept = getattr(self, name)
            sums = _by_cell(of, side)[: kept.shape[0] - at[0], : kept.shape[1] - at[1]]
            kept[at[0] : at[0] + sums.shape[0], at[1] : at[1] + sums.shape[1]] = sums

    @classmethod
    def empty(cls, rows: int, columns: int) -> "_Cells":
        """Nothing seen yet."""
        return cls(*(np.zeros((rows, columns), np.float32) for _ in range(3)), np.zeros((rows, columns), np.complex64),
                   np.zeros((rows, columns), np.float32))


def measure_down(measures: PhotoMeasures, read: Callable[[Rect, int], EncodedRGB] | None = None, *,
                 most_tiles: int = _MOST_TILES, go_on: Callable[[], bool] = lambda: True) -> Down:
    """Down on the skin of everybody on a photo. read: another picture of it than the photo's own.

    most_tiles: of 512 px that are looked at; of more, evenly chosen ones. Nothing where go_on() turns False.
    """
    read = read or measures.photo.read
    bounds = measures.photo.bounds
    cells = _Cells.empty(-(-bounds.height // _CELL), -(-bounds.width // _CELL))
    strong: list[np.ndarray] = []
    for tile in _tiles_with_skin(measures, most_tiles):
        if not go_on():
            return Down(())
        _look_at(measures, read, tile, cells, strong)
    return Down(_by_zone(measures, cells), _prominences(strong))


def down_of_scene(measures: PhotoMeasures, lab: Lab, hair: np.ndarray, skin: Mask, rect: Rect, step: int) -> Down:
    """Down of what was looked at already. lab (h, w, 3), hair (h, w; L*), skin (h, w): of a rectangle of a level whose
    pixels are `step` of the photo's wide. How prominent hairs are is told of the photo's own pixels only.
    """
    side = max(1, _CELL // step)
    top, left = -rect.y0 % side, -rect.x0 % side
    own = np.s_[top:, left:]
    bounds = measures.photo.bounds
    cells = _Cells.empty(-(-bounds.height // _CELL), -(-bounds.width // _CELL))
    at = (rect.y0 + top) // side, (rect.x0 + left) // side
    rest = _UNIT_LIGHT * planes(lab)[0] - hair
    cells.take(at, *(np.ascontiguousarray(one[own]) for one in (hair, rest, np.clip((skin - 0.5) * 2, 0, 1))), side)
    strong: list[np.ndarray] = []
    if step == 1:
        _sample(prominence(hair), hair, skin, strong, rect.x0 + 7919 * rect.y0)
    return Down(_by_zone(measures, cells), _prominences(strong))


def _tiles_with_skin(measures: PhotoMeasures, most: int) -> list[Rect]:
    bounds, skin, k = measures.photo.bounds, measures.skin, measures.scale
    tiles = []
    for top in range(0, bounds.y1, _TILE):
        for left in range(0, bounds.x1, _TILE):
            part = skin[int(top / k) : int((top + _TILE) / k) + 1, int(left / k) : int((left + _TILE) / k) + 1]
            if part.size and (part > _LEAST_SKIN).mean() > 0.02:
                tiles.append(Rect(left, top, left + _TILE, top + _TILE).intersect(bounds))
    step = max(1.0, len(tiles) / max(1, most))
    return [tiles[int(n * step)] for n in range(min(len(tiles), most))]


def _look_at(measures: PhotoMeasures, read, tile: Rect, cells: _Cells, strong: list[np.ndarray]) -> None:
    bounds = measures.photo.bounds
    wide = tile.expand(REACH_PX).intersect(bounds)
    own = tile.slices(wide)
    lab = srgb_to_lab(read(wide, 0))
    hair = np.ascontiguousarray(fine_hair(lab)[..., 0])
    rest = _UNIT_LIGHT * planes(lab)[0] - hair
    skin = np.clip((_bare_skin(measures, tile) - 0.5) * 2, 0, 1)
    cells.take((tile.y0 // _CELL, tile.x0 // _CELL), np.ascontiguousarray(hair[own]), rest[own], skin, _CELL)
    _sample(prominence(hair)[own], hair[own], skin, strong, tile.x0 + 7919 * tile.y0)


def _sample(prominent: Mask, hair: np.ndarray, skin: Mask, strong: list[np.ndarray], seed: int) -> None:
    """Adds (prominence, energy) of some pixels of skin to a list."""
    chosen = np.flatnonzero((skin > 0.5).ravel())
    if len(chosen):
        chosen = chosen[np.random.default_rng(seed).integers(0, len(chosen), min(_SAMPLES, len(chosen)))]
        strong.append(np.stack([prominent.ravel()[chosen], hair.ravel()[chosen] ** 2]))


def _bare_skin(measures: PhotoMeasures, rect: Rect) -> Mask:
    """Share 0-1 of skin on which nothing grows by nature, over a rectangle of the photo."""
    bare = bare_share(measures.zones, measures.faces, rect, 0, measures.photo.bounds)
    return measures.people.share("skin", rect, 0) * bare


def _by_cell(values: np.ndarray, side: int) -> np.ndarray:
    """Means over cells of `side` pixels, what is cut off at the rims counted as nothing."""
    rows, columns = -(-values.shape[0] // side), -(-values.shape[1] // side)
    padded = np.zeros((rows * side, columns * side), values.dtype)
    padded[: values.shape[0], : values.shape[1]] = values
    return padded.reshape(rows, side, columns, side).mean((1, 3))


def _prominences(strong: list[np.ndarray]) -> tuple[float, ...]:
    """Where the energy of the hairs, from the most prominent down, reaches what is to go."""
    if not strong:
        return ()
    values, energy = np.concatenate(strong, 1)
    order = np.argsort(-values)
    gone = np.cumsum(energy[order]) / max(float(energy.sum()), 1e-9)
    at = np.searchsorted(gone, 1 - np.array(SHARES)).clip(0, len(order) - 1)
    return tuple(sorted(round(float(one), 3) for one in values[order][at]))


def _by_zone(measures: PhotoMeasures, cells: _Cells) -> tuple[DownZone, ...]:
    names = zone_of_cells(measures, cells.skin.shape)
    bare = cells.skin > _BARE
    found = []
    for number, zone in enumerate(ZONES):
        own = bare & (names == number)
        if own.sum() < _LEAST_CELLS:
            continue
        hair, rest = float(cells.hair[own].sum()), float(cells.rest[own].sum())
        grows = own & (cells.hair > _STRONG**2 * cells.skin)
        energy = float(np.abs(cells.twice[grows]).sum())
        twice = complex(cells.twice[grows].sum())
        covered = float(cells.covered[grows].sum() / max(float(cells.skin[grows].sum()), 1e-6))
        found.append(DownZone(
            zone, hair / max(hair + rest, 1e-9), float(np.angle(twice) / 2 % np.pi), abs(twice) / max(energy, 1e-9),
            float(np.sqrt(cells.hair[grows].mean())) if grows.any() else 0.0,
            covered / _WIDE_OF_HAIR * measures.pixels_per_mm, float(own.sum()) * _CELL**2, hair / float(own.sum()),
            _outline(grows, measures)))
    return tuple(sorted(found, key=lambda zone: -zone.share))


def _outline(grows: np.ndarray, measures: PhotoMeasures) -> tuple[tuple[float, float], ...]:
    """Rim of the largest piece where it grows, in source px; () where it is only here and there."""
    closed = cv2.morphologyEx(grows.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    opened = cv2.morphologyEx(closed, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    rims, _ = cv2.findContours(cv2.resize(opened, None, fx=2, fy=2, interpolation=cv2.INTER_NEAREST), cv2.RETR_EXTERNAL,
                               cv2.CHAIN_APPROX_SIMPLE)
    rim = max(rims, key=cv2.contourArea, default=None)
    if rim is None or cv2.contourArea(rim) / 4 < _LEAST_CELLS:
        return ()
    corners = (cv2.approxPolyDP(rim, 1.5, True)[:, 0] + 0.5) * (_CELL / 2)
    bounds = measures.photo.bounds
    return tuple((float(min(x, bounds.x1)), float(min(y, bounds.y1))) for x, y in corners)


def zone_of_cells(measures: PhotoMeasures, shape: tuple[int, int]) -> np.ndarray:
    """Number in ZONES of each cell, by the frame of the nearest face: uint8 of a shape (rows, columns)."""
    rows, columns = np.mgrid[: shape[0], : shape[1]]
    x, y = (columns + 0.5) * _CELL, (rows + 0.5) * _CELL
    faces = [face for face in measures.faces if face.mesh]
    names = list(ZONES)
    if not faces:
        return np.full(shape, names.index("skin"), np.uint8)
    away = np.stack([np.hypot(x - face.frame[0][0], y - face.frame[0][1]) / face.width_px for face in faces])
    nearest = away.argmin(0)
    out = np.zeros(shape, np.uint8)
    for number, face in enumerate(faces):
        own = nearest == number
        out[own] = _zone_numbers(face, x[own], y[own], names)
    return out


def _zone_numbers(face: FaceMap, x: np.ndarray, y: np.ndarray, names: list[str]) -> np.ndarray:
    """By where a place lies in a face's own frame, in eye distances across and down from between the eyes."""
    u, v = face.in_frame(x, y)
    marks = {name: tuple(float(n) for n in face.in_frame(*place)) for name, place in face.points.items()}
    nose, mouth, chin = (marks[name][1] for name in ("nose_tip", "mouth_left", "chin"))
    middle = (marks["mouth_left"][0] + marks["mouth_right"][0]) / 2
    half = 1.15 * abs(marks["mouth_right"][0] - marks["mouth_left"][0]) / 2
    wide = 0.5 * face.width_px / max(face.eye_distance_px, 1e-6)
    out = np.full(u.shape, names.index("limb"), np.uint8)
    trunk = np.abs(u - middle) < 2.2 * wide
    out[trunk & (v < chin + 6.5)] = names.index("belly")
    out[(np.abs(u - middle) < 2.6 * wide) & (v < chin + 3.6)] = names.index("shoulder")
    out[(np.abs(u - middle) < 1.15 * wide) & (v < chin + 0.9)] = names.index("neck")
    face_itself = v < chin + 0.12
    near = face_itself & (np.abs(u) < 1.3 * wide)
    out[near] = names.index("cheek")
    out[near & (v > mouth + 0.1)] = names.index("chin")
    out[near & (v > nose + 0.05) & (v <= mouth + 0.1) & (np.abs(u - middle) < half)] = names.index("upper lip")
    out[near & (v < 0.15) & (np.abs(u) > 0.72 * wide)] = names.index("temple")
    out[near & (v < -0.2) & (np.abs(u) <= 0.72 * wide)] = names.index("forehead")
    return out
