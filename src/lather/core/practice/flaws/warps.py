"""Forms that are off: a cheek pushed out, a bump in the outline of the hair, a gap between two teeth.

Each says how to undo it: `move` is what was moved outwards at its middle, fading to nothing at `reach_px`:
photo(q) = truth(q - move · (1 - (|q - middle| / reach)²)²).
"""

import cv2
import numpy as np

from lather.core.colour import srgb
from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.practice.flaws.base import Flaw, Scene
from lather.core.practice.sitters import HAIR, SKIN, TEETH
from lather.core.types import Rect

_CHEEK_REACH, _CHEEK_MOVE = 0.30, 0.045  # face widths
_BUMP_REACH, _BUMP_MOVE = 0.10, 0.030
_GAP_MM, _TOOTH_MM = (0.8, 1.3), 8.3
_TRIES = 60


def make_warp_cheek(scene: Scene) -> Flaw | None:
    """One side of the face widened between nose and mouth."""
    sitter, rng = scene.sitter, scene.rng
    marks, width = sitter.landmarks, sitter.face_width_px
    if not {"nose_tip", "mouth_left", "mouth_right", "eye_left", "eye_right"} <= set(marks):
        return None
    across = np.subtract(marks["eye_right"], marks["eye_left"])
    across = across / np.hypot(*across) * rng.choice([-1, 1])
    mouth = (np.array(marks["mouth_left"]) + marks["mouth_right"]) / 2
    at = np.array(marks["nose_tip"], float) + rng.uniform(0.2, 0.7) * (mouth - marks["nose_tip"])
    edge = _last_of(scene, at, across, SKIN, 0.8 * width)
    return None if edge is None else _pushed_out(scene, "warp_cheek", edge, across * _CHEEK_MOVE * width,
                                                 _CHEEK_REACH * width)


def make_hair_bump(scene: Scene) -> Flaw | None:
    """A bump where the hair meets the ground."""
    zones, width = scene.sitter.zones, scene.sitter.face_width_px
    hair = (zones == HAIR).astype(np.uint8)
    wide = cv2.blur(hair.astype(np.float32), (2 * int(0.05 * width) + 1,) * 2)
    outline = cv2.dilate((zones == 0).astype(np.uint8), np.ones((3, 3), np.uint8)) & hair
    ys, xs = np.nonzero(outline & (wide > 0.3) & (wide < 0.7))
    gy, gx = np.gradient(cv2.GaussianBlur(hair.astype(np.float32), (0, 0), 0.05 * width))
    reach = _BUMP_REACH * width
    for _ in range(_TRIES if len(xs) else 0):
        n = scene.rng.integers(len(xs))
        x, y = float(xs[n]), float(ys[n])
        inside = min(x, y, scene.whole.width - x, scene.whole.height - y) > 1.3 * reach
        outwards = -np.array([gx[ys[n], xs[n]], gy[ys[n], xs[n]]])
        if inside and np.hypot(*outwards) > 1e-4 and scene.places.free(x, y, reach):
            outwards /= np.hypot(*outwards)
            scene.places.claim(x, y, reach)
            return _pushed_out(scene, "hair_bump", np.array([x, y]), outwards * _BUMP_MOVE * width, reach)
    return None


def make_tooth_gap(scene: Scene) -> Flaw | None:
    """One of the middle front teeth narrowed, so that a dark gap opens beside it."""
    teeth = scene.sitter.zones == TEETH
    ys, xs = np.nonzero(teeth)
    if len(xs) < 200:
        return None
    x0, gap, tooth = float(np.median(xs)), scene.rng.uniform(*_GAP_MM) * scene.per_mm, _TOOTH_MM * scene.per_mm
    x0 = _seam(scene, teeth, x0, tooth)
    rows = ys[(xs > x0) & (xs < x0 + 0.6 * tooth)]
    if not len(rows):
        return None
    rect = Rect(int(x0) - 4, int(rows.min()) - 2, int(x0 + tooth) + 4, int(rows.max()) + 3).intersect(scene.whole)
    before = scene.read(rect)
    at = np.arange(rect.x0, rect.x1) + 0.5
    source = np.where((at > x0) & (at < x0 + tooth), x0 + tooth - (x0 + tooth - at) * tooth / (tooth - gap), at)
    grid = np.tile(np.clip(source - rect.x0 - 0.5, 0, None).astype(np.float32), (rect.height, 1))
    lines = np.tile(np.arange(rect.height, dtype=np.float32)[:, None], (1, rect.width))
    moved = cv2.remap(before, grid, lines, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    open_share = np.clip((np.minimum(at - x0, x0 + gap - at) + 0.8) / 1.8, 0, 1)
    on_teeth = cv2.GaussianBlur(teeth[rect.slices(scene.whole)].astype(np.float32), (0, 0), 0.8)
    dark = np.percentile(before.reshape(-1, 3), 3, axis=0) * 0.5
    after = moved + (0.94 * open_share * on_teeth)[..., None] * (dark - moved)
    share = on_teeth[..., None]
    after = (before + share * (after - before)).astype(np.float32)
    scene.write(rect, after)
    y0, y1 = float(rows.min()), float(rows.max())
    corners = [(x0, y0), (x0 + gap, y0), (x0 + gap, y1), (x0, y1)]
    facts = {"tooth": [x0 + gap, y0, x0 + tooth, y1], "gap_px": round(gap, 2)}
    return Flaw("tooth_gap", x0 + gap / 2, (y0 + y1) / 2, gap, _contrast(before, after), False, corners,
                extra=facts)


def _seam(scene: Scene, teeth: np.ndarray, x0: float, tooth: float) -> float:
    """Where two teeth meet: the darkest column near a place."""
    columns = np.arange(int(x0 - 0.7 * tooth), int(x0 + 0.7 * tooth))
    light = [scene.linear[teeth[:, x], x].mean() if teeth[:, x].sum() > 3 else np.inf for x in columns]
    return float(columns[int(np.argmin(light))])


def _last_of(scene: Scene, start: np.ndarray, way: np.ndarray, label: int, most: float) -> np.ndarray | None:
    """The last place of a zone on the way from a place."""
    last = None
    for step in range(int(most)):
        x, y = start + step * way
        if not (0 <= x < scene.whole.width and 0 <= y < scene.whole.height):
            break
        zone = scene.sitter.zones[int(y), int(x)]
        if zone == label:
            last = np.array([x, y])
        elif zone in (0, HAIR) and last is not None:
            break
    return last


def _pushed_out(scene: Scene, kind: str, middle: np.ndarray, move: np.ndarray, reach: float) -> Flaw:
    rect = scene.window(middle[0], middle[1], reach + 2)
    wide = rect.expand(int(np.hypot(*move)) + 4).intersect(scene.whole)
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32) + np.float32(0.5)
    share = np.clip(((xs - middle[0]) ** 2 + (ys - middle[1]) ** 2) / reach**2, 0, 1)
    share = (1 - share) ** 2
    grid_x, grid_y = (at - share * by - low - 0.5 for at, by, low in ((xs, move[0], wide.x0), (ys, move[1], wide.y0)))
    before = scene.read(wide)
    moved = cv2.remap(before, grid_x.astype(np.float32), grid_y.astype(np.float32), cv2.INTER_CUBIC,
                      borderMode=cv2.BORDER_REPLICATE)
    scene.write(rect, np.maximum(moved, 0))
    around = np.linspace(0, 2 * np.pi, 37)[:-1]
    outline = [(float(middle[0] + 0.6 * reach * np.cos(a)), float(middle[1] + 0.6 * reach * np.sin(a))) for a in around]
    facts = {"move": [round(float(v), 2) for v in move], "reach_px": round(reach, 1)}
    return Flaw(kind, float(middle[0]), float(middle[1]), 1.2 * reach,
                _contrast(before[rect.slices(wide)], moved), False, outline, extra=facts)


def _contrast(before: np.ndarray, after: np.ndarray) -> float:
    """CIEDE2000 between the two where they differ most (95th percentile)."""
    labs = [srgb_to_lab(srgb.encode(np.clip(pixels, 0, 1)).astype(np.float32)) for pixels in (before, after)]
    return float(np.percentile(delta_e2000(*labs), 95))


def planted_move(flaw: dict, places: np.ndarray) -> np.ndarray:
    """(…, 2) px by which what lies at places of the photo was moved there from the truth."""
    share = np.clip(((places - (flaw["x"], flaw["y"])) ** 2).sum(-1) / flaw["reach_px"] ** 2, 0, 1)
    return ((1 - share) ** 2)[..., None] * np.array(flaw["move"])
