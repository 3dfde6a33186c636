"""Needed light: how much light bare skin misses to be of one pigment, as a network sees it that was trained on made
faces and the same faces with even pigment (benchmarks/fit_even.py). Coarse, and cached by what lies beneath.
"""

import threading
from collections.abc import Callable
from functools import cache
from pathlib import Path

import cv2
import numpy as np

from lather.core.colour import srgb
from lather.core.job.face_map import SIDES, FaceMap
from lather.core.job.face_mesh import BROWS, LIDS, LIPS_OUTER, NOSTRILS, OVAL
from lather.core.memory import Budget
from lather.core.recent import Recent
from lather.core.stages.light.cells import (
    MARGIN_UNITS,
    UNIT,
    UNIT_POINTS,
    Field,
    Grid,
    Seen,
    as_field,
    assembled,
    log_light,
    read_units,
    skin_of_units,
)
from lather.core.types import Rect

_DATA = Path(__file__).parents[2] / "data" / "light"
NETWORK, SMALL_NETWORK = _DATA / "needed.onnx", _DATA / "needed_small.onnx"
"""Fitted on the large faces of the plates, and on faces of many skins as small as a camera's picture shows them."""
METHOD = b"needed-3"
NEEDED, BARE, LIGHT, SKIN = 0, 1, 2, 3
"""Channels of the field: light that is missing (natural logarithm), share of bare skin that may be evened, log
luminance, share of skin."""
LIGHTNESS_SLOPE = np.float32(116 / 3)  # of L* by the logarithm of the luminance, times its cube root
_MOST = 0.22  # natural logarithm, a third of a stop: what is further off is no blotch
_BLACK = np.float32(0.02)
_BANDS, _BAND_GAIN = (1.0, 10.0, 28.0), 8  # pixels of the fine grid
_SURE, _UNSURE = 0.9, 0.5  # chance of bare skin from which all that is needed is laid down, and nothing
_NO_SKIN, _SKIN = 0.25, 0.7  # share of skin as the photo was read, from where it may be evened, and wholly
_FACE_SEEN_PX = 64
_LEAST_SKIN = 30  # pixels
_RIM = 5  # points: half of it is left out along hair, lips and cloth
_SOFT = 1.2  # points over which what is fenced off fades
_LIPS_ROOM, _SMALL_ROOM = 1.5, 1.0  # points more around lips, and around lids, brows and nostrils
_ROOM_UNITS = 1  # around units, so that the rim of skin is one on both sides of a border between them
_SMALL = 1.15  # px of the photo to one of the fine grid under which a face is small: nothing of it is averaged away
_lock = threading.Lock()  # the network works on one picture at a time


@cache
def _network(path: Path) -> cv2.dnn.Net:
    return cv2.dnn.readNetFromONNX(str(path))


def new_cells() -> Recent:
    """An empty store for cells."""
    return Recent(Budget.usual().share("cells"), lambda cell: cell.nbytes + 200)


def needed_lightness(field: Field) -> np.ndarray:
    """ΔL* that is missing at each point of a field of `NeededLight.over`."""
    return LIGHTNESS_SLOPE * np.exp(field.values[..., LIGHT] / 3) * field.values[..., NEEDED]


class NeededLight:
    """Cells of the field, kept by what they are made from. cells: shared by all that look at the same photo.

    network: that is asked at any size of face; without, the one that was fitted on faces of that size.
    """

    def __init__(self, cells: Recent, network: Path | None = None):
        self._cells, self._network = cells, network

    def network_for(self, grid: Grid) -> Path:
        """The network that is asked where cells lie so."""
        small = grid.level == 0 and grid.unit < _SMALL * UNIT
        return self._network or (SMALL_NETWORK if small else NETWORK)

    def over(self, seen: Seen, rect: Rect) -> Field:
        """Channels NEEDED, BARE, LIGHT and SKIN around a level-0 rectangle."""
        return assembled(seen, rect, lambda column, row: self._cell(seen, column, row))

    def at_once(self, seen: Seen, rect: Rect) -> Field:
        """The same worked out in one go, which is sooner there, and not kept."""
        units = seen.grid.units(rect.intersect(seen.bounds))
        side = seen.grid.unit << seen.grid.level
        return as_field(seen.grid, self._worked_out(seen, units), (units.x0 * side, units.y0 * side))

    def knows(self, seen: Seen, rect: Rect) -> bool:
        """True if `over` would only look up what was worked out before."""
        cells = seen.grid.cells(rect)
        return all(self._key(seen, column, row) in self._cells
                   for column in range(cells.x0, cells.x1) for row in range(cells.y0, cells.y1))

    def light(self, seen: Seen, rect: Rect) -> Field:
        """The log luminance alone, (h, w, 1): no network is run."""
        return assembled(seen, rect, lambda column, row: self._light(seen, column, row))

    def kept(self, key: tuple, work: Callable[[], np.ndarray]) -> np.ndarray:
        """What was worked out for a key, read-only: all that is coarse is kept here, within one limit."""
        held = self._cells.get(key)
        if held is None:
            held = work()
            held.setflags(write=False)
            self._cells.put(key, held)
        return held

    def _key(self, seen: Seen, column: int, row: int) -> tuple:
        made_from = seen.fingerprint(seen.grid.reads(seen.grid.cell_units(column, row))), faces_key(seen.faces)
        return ("needed", self.network_for(seen.grid), seen.grid, *made_from, seen.skin_key, column, row)

    def _cell(self, seen: Seen, column: int, row: int) -> np.ndarray:
        units = seen.grid.cell_units(column, row)
        return self.kept(self._key(seen, column, row), lambda: self._worked_out(seen, units))

    def _light(self, seen: Seen, column: int, row: int) -> np.ndarray:
        units = seen.grid.cell_units(column, row)
        key = ("light", seen.grid, seen.fingerprint(seen.grid.reads(units)), column, row)
        return self.kept(key, lambda: log_light(read_units(seen, units))[..., None])

    def _worked_out(self, seen: Seen, units: Rect) -> np.ndarray:
        linear = read_units(seen, units, MARGIN_UNITS)
        usual = self.kept(("usual", faces_key(seen.faces), _nearest(seen, units), seen.grid),
                           lambda: _usual(seen, units))
        said, guess = _answer(self.network_for(seen.grid), np.log(linear / usual + _BLACK))
        rim, inner = MARGIN_UNITS * UNIT_POINTS, MARGIN_UNITS * UNIT
        own = np.s_[rim:-rim, rim:-rim]
        skin, bare = _bare(seen, units, guess)
        light = log_light(linear[inner:-inner, inner:-inner])
        return np.stack([np.clip(said[own], -_MOST, _MOST) * bare, bare, light, skin], -1)


def _answer(path: Path, seen: np.ndarray) -> np.ndarray:
    """(2, h, w) that the network says of log light (h, w, 3): light that is missing, and how surely it is skin."""
    looked_at = _looked_at(seen)
    with _lock:
        network = _network(path)
        network.setInput(looked_at[None])
        return network.forward()[0]


def _looked_at(seen: np.ndarray) -> np.ndarray:
    """(8, h, w) of log light (h, w, 3): itself, its bands, and bands of its colour, where pigment shows."""
    colour = np.stack([seen.mean(-1), seen[..., 0] - seen[..., 1], seen[..., 1] - seen[..., 2]], -1)
    near, wide, wider = (cv2.GaussianBlur(colour, (0, 0), sigma) for sigma in _BANDS)
    bands = _BAND_GAIN * np.concatenate([near - wide, (near - wider)[..., 1:]], -1)
    return np.ascontiguousarray(np.concatenate([seen, bands], -1).transpose(2, 0, 1), np.float32)


def _bare(seen: Seen, units: Rect, guess: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(share of skin, share of bare skin that may be evened) at the points of units. Even goes by the reading of the
    photo, and where nobody read it by what the network guesses (log odds, with the margin). Skin along whose rim Sculpt
    stops is what both take for skin: beside lips the guess fades where a reading is in or out.
    """
    more = (MARGIN_UNITS - _ROOM_UNITS) * UNIT_POINTS
    sure = 1 / (1 + np.exp(-guess[more:-more, more:-more]))
    guessed = read = np.clip((sure - _UNSURE) / (_SURE - _UNSURE), 0, 1)
    if seen.skin is not None:
        read = np.clip((skin_of_units(seen, units.expand(_ROOM_UNITS)) - _NO_SKIN) / (_SKIN - _NO_SKIN), 0, 1)
    rim = _ROOM_UNITS * UNIT_POINTS
    own = np.s_[rim:-rim, rim:-rim]
    bare = cv2.GaussianBlur(cv2.erode(read, np.ones((_RIM, _RIM))), (0, 0), _SOFT)[own] * _open(seen, units)
    return np.minimum(guessed, read)[own], bare


def faces_key(faces: tuple[FaceMap, ...]) -> bytes:
    """What of the faces the field goes by."""
    return b"".join(face.digest for face in faces)


def _nearest(seen: Seen, units: Rect) -> int:
    """Number of the face that is nearest to the middle of some units; -1 where there is none."""
    side = seen.grid.unit << seen.grid.level
    middle = np.array([units.x0 + units.x1, units.y0 + units.y1]) * side / 2
    away = [np.hypot(*(face.frame[0] - middle)) for face in seen.faces]
    return int(np.argmin(away)) if away else -1


def _usual(seen: Seen, units: Rect) -> np.ndarray:
    """Median linear light (3,) of the nearest face; of the photo as a whole where there is none. Read from the photo,
    so that a mend does not move it; by it another development of the photo looks the same to the network.
    """
    number = _nearest(seen, units)
    face = seen.faces[number] if number >= 0 else None
    if face is not None and face.mesh:
        low, high = face.mesh_px.min(0), face.mesh_px.max(0)
        area = Rect(*np.floor(low).astype(int), *np.ceil(high).astype(int)).intersect(seen.bounds)
    elif face is not None:
        (x, y), reach = face.frame[0], face.eye_distance_px
        area = Rect(int(x - reach), int(y - reach), int(x + reach), int(y + 1.5 * reach)).intersect(seen.bounds)
    else:
        area = seen.bounds
    level = max(0, int(np.log2(max(1, max(area.width, area.height) / _FACE_SEEN_PX))))
    rect = area.at_level(level).intersect(seen.bounds.at_level(level))
    linear = srgb.decode(np.clip(seen.photo(rect, level), 0, 1))
    inside = np.ones(linear.shape[:2], bool)
    if face is not None and face.mesh:
        outline = np.round(face.mesh_px[list(OVAL)] / (1 << level) - rect[:2]).astype(np.int32)
        inside = cv2.fillPoly(np.zeros(linear.shape[:2], np.uint8), [outline], 1) > 0
        if inside.sum() < _LEAST_SKIN:
            inside[:] = True
    return np.maximum(np.median(linear[inside], axis=0), 1e-3).astype(np.float32)


def _open(seen: Seen, units: Rect) -> np.ndarray:
    """0 over lips, lids, brows and nostrils, 1 elsewhere, soft in between: at the points of some units."""
    wide = units.expand(1)
    closed = np.zeros((wide.height * UNIT_POINTS, wide.width * UNIT_POINTS), np.uint8)
    for face in seen.faces:
        if face.mesh:
            outlines = [(LIPS_OUTER, _LIPS_ROOM), *((part[side], _SMALL_ROOM) for part in (LIDS, BROWS, NOSTRILS)
                                                     for side in SIDES)]
            for outline, room in outlines:
                _fill(closed, seen.grid, face, outline, wide, room)
    own = np.s_[UNIT_POINTS:-UNIT_POINTS, UNIT_POINTS:-UNIT_POINTS]
    return 1 - cv2.GaussianBlur(closed.astype(np.float32), (0, 0), _SOFT)[own]


def _fill(plane: np.ndarray, grid: Grid, face: FaceMap, outline, units: Rect, room: float) -> None:
    """Fill an outline of the mesh on the points of some units, `room` points wider."""
    side = grid.unit << grid.level
    places = (face.mesh_px[list(outline)] - (units.x0 * side, units.y0 * side)) / grid.px - 0.5
    if (places.max(0) < -4).any() or (places.min(0) > np.array(plane.shape[::-1]) + 4).any():
        return
    fixed = np.round(places * 16).astype(np.int32)
    cv2.fillPoly(plane, [fixed], 1, shift=4)
    cv2.polylines(plane, [fixed], True, 1, max(1, round(2 * room)), shift=4)
