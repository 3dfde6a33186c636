"""Single fine hairs on skin, across the hairline too, and fibres on cloth: traced one by one where they are few.

They are traced in what a net parts from pores, furrows and threads (`stages.strands.fine_hair`), so that what the skin
and the weave have of their own never stands in the way.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000
from lather.core.find.lines.ridges import Line, ridge_responses, trace_lines
from lather.core.find.lines.skin_lines import band
from lather.core.find.scene import FindScene
from lather.core.job.finds import Find
from lather.core.types import Mask

HAIR, FIBRE = "hair_on_skin", "fibre"
_SIGMAS_PX = (0.8, 1.4)
_LOW, _HIGH = 0.7, 1.8  # L* of the ridge: where a hair goes on, where it starts
_LEAST_MM = {HAIR: 3.2, FIBRE: 2.5}
_MOST = 160
_CROWD_MM = 5.0
_FEW, _CROWDED = 0.32, 0.5  # mm of hair to a square mm from which it is down; its own length counted too
_JOIN_GAP_MM, _JOIN_TURN = 1.6, 0.6
_LEAST_L, _STEADY = 1.0, 0.6  # L* of the hair itself on the mean; share of its length where it is half of that
_SURE_L, _SURE_MM = 5.0, 8.0
_SAYS = {HAIR: 0.6, FIBRE: 0.85}
"""Of what it would say: none is so sure that it goes unasked, before it was judged on photographs of real people."""
_AT_HAIR_MM = 2.5
_LONE, _LONE_MM, _WANDERS = 0.06, 3.0, 0.65
"""Of a hair on skin: fine lines beside its outer half as a share of its own light, and how far that is read (strands
of a hairdo's own rim, stubble and pores are among their like); radians that it turns to a mm: a hair bends, noise
wanders."""
_OUT_MM = 2.5  # of the hair: a hair that nowhere comes further out belongs to the rim
_MOST_IN_HAIR = 0.6


@dataclass(frozen=True, eq=False)
class FineLine:
    """points: (n, 2) in pixels of the scene. light: L* that it adds on the mean. crowd: mm of such lines to a square mm
    around it. beside: what fine lines add beside its half further from the hair, as a share of its own light. turns:
    radians a mm. out_mm: how far off the hair it comes.
    """

    points: np.ndarray
    width: float
    light: float
    steady: float
    crowd: float
    beside: float
    turns: float
    out_mm: float

    @property
    def length(self) -> float:
        """Along its points, px."""
        return float(np.hypot(*np.diff(self.points, axis=0).T).sum())


def find_fine_lines(scene: FindScene) -> list[Find]:
    """Hairs on skin and fibres on cloth, most certain first."""
    found = []
    for kind, where in ((HAIR, _hair_ground(scene)), (FIBRE, _cloth(scene))):
        if where.any():
            lines = measure_fine_lines(scene, where, _LEAST_MM[kind], _scalp_hair(scene))
            found += [_as_find(scene, line, kind) for line in lines
                      if line.crowd < _FEW and (kind != HAIR or _is_lone(scene, line))]
    return sorted(found, key=lambda find: -find.confidence)


def measure_fine_lines(scene: FindScene, where: Mask, least_mm: float, scalp_hair: Mask) -> list[FineLine]:
    """Fine lines over `where` (h, w, bool) of the scene's rectangle, longest and strongest first. scalp_hair: the
    hairdo, alike.
    """
    hair, per_mm = scene.fine_hair_light, scene.per_mm
    traced: list[Line] = []
    for response, angle, scale in ridge_responses(hair, _SIGMAS_PX, (True, False)):
        traced += trace_lines(response * where, angle, scale, low=_LOW, high=_HIGH,
                              least_length=0.5 * least_mm * per_mm)
    drawn = np.zeros(hair.shape, np.uint8)
    for line in traced:
        cv2.polylines(drawn, [np.round(line.points).astype(np.int32)], False, 1, 1)
    reach = 2 * int(_CROWD_MM * per_mm) + 1
    share = cv2.blur(where.astype(np.float32), (reach, reach))
    crowd = cv2.blur(drawn.astype(np.float32), (reach, reach)) / np.maximum(share, 0.05) * per_mm
    few = [line for line in traced if _median_at(crowd, line.points) < _CROWDED]
    off_hair = cv2.distanceTransform((~scalp_hair).astype(np.uint8), cv2.DIST_L2, 5) / per_mm
    found = []
    for points in _joined(_once(few, hair.shape)[: 2 * _MOST], per_mm):
        along = _strongest_beside(hair, points)
        light = float(np.mean(along))
        length = float(np.hypot(*np.diff(points, axis=0).T).sum())
        steady = float((np.sign(light) * along > 0.5 * abs(light)).mean())
        if length < least_mm * per_mm or abs(light) < _LEAST_L or steady < _STEADY:
            continue
        own = length / per_mm / (2 * _CROWD_MM) ** 2  # its own length is no crowd
        out = _values_at(off_hair, points)
        outer = points[np.sort(np.argsort(out)[len(points) // 2 :])]
        beside = _mean_beside(hair, points, outer, _LONE_MM * per_mm) / abs(light)
        found.append(FineLine(points, 2.0, light, steady, max(0.0, _median_at(crowd, points) - own), beside,
                              _turned(points) / (length / per_mm), float(out.max())))
    return sorted(found, key=lambda line: -abs(line.light) * np.sqrt(line.length))[:_MOST]


def _values_at(values: np.ndarray, points: np.ndarray) -> np.ndarray:
    at = np.clip(points.astype(int), 0, np.array(values.shape)[::-1] - 1)
    return values[at[:, 1], at[:, 0]]


def _median_at(values: np.ndarray, points: np.ndarray) -> float:
    return float(np.median(_values_at(values, points)))


def _mean_beside(hair: np.ndarray, points: np.ndarray, outer: np.ndarray, reach: float) -> float:
    """Mean of what fine lines add (L*, either way) within `reach` of the outer points of a line, without the line."""
    low, high = np.floor(outer.min(0) - reach).astype(int), np.ceil(outer.max(0) + reach).astype(int) + 1
    (x0, y0), (x1, y1) = np.maximum(low, 0), np.minimum(high, np.array(hair.shape)[::-1])
    near = np.zeros((y1 - y0, x1 - x0), np.uint8)
    cv2.polylines(near, [np.round(outer - (x0, y0)).astype(np.int32)], False, 1, max(3, 2 * int(reach)))
    cv2.polylines(near, [np.round(points - (x0, y0)).astype(np.int32)], False, 0, 5)
    return float(np.abs(hair[y0:y1, x0:x1][near > 0]).mean()) if near.any() else 0.0


def _turned(points: np.ndarray) -> float:
    """Radians that a line turns in all, either way."""
    steps = np.diff(points, axis=0)
    return float(np.abs(np.diff(np.unwrap(np.arctan2(steps[:, 1], steps[:, 0])))).sum())


def _strongest_beside(hair: np.ndarray, points: np.ndarray) -> np.ndarray:
    """What the hair adds at each point, read a pixel to both sides too: (n,)."""
    reach = np.array([(0, 0), (-1, 0), (1, 0), (0, -1), (0, 1)])
    at = np.clip(points.astype(int)[:, None] + reach, 0, np.array(hair.shape)[::-1] - 1)
    values = hair[at[..., 1], at[..., 0]]
    return np.take_along_axis(values, np.abs(values).argmax(1)[:, None], 1)[:, 0]


def _once(traced: list[Line], shape: tuple[int, ...]) -> list[np.ndarray]:
    """Their points; of two that lie on each other (its gloss and its rim) the stronger."""
    taken, kept = np.zeros(shape, np.uint8), []
    for line in sorted(traced, key=lambda one: -one.strength * np.sqrt(one.length)):
        at = np.clip(np.round(line.points).astype(int), 0, np.array(shape)[::-1] - 1)
        if taken[at[:, 1], at[:, 0]].mean() < 0.4:
            cv2.polylines(taken, [at.astype(np.int32)], False, 1, 5)
            kept.append(line.points)
    return kept


def _joined(pieces: list[np.ndarray], per_mm: float) -> list[np.ndarray]:
    """Pieces whose ends meet and go on the same way are one hair."""
    pieces, done = list(pieces), []
    while pieces:
        first = pieces.pop(0)
        for j, other in enumerate(pieces):
            one = _as_one(first, other, _JOIN_GAP_MM * per_mm)
            if one is not None:
                pieces[j] = one
                break
        else:
            done.append(first)
    return done


def _as_one(a: np.ndarray, b: np.ndarray, most_gap: float) -> np.ndarray | None:
    if np.hypot(*(a.mean(0) - b.mean(0))) > len(a) * 2 + len(b) * 2 + most_gap:
        return None  # a step is two pixels at the most
    ends = [(a, b), (a, b[::-1]), (a[::-1], b), (a[::-1], b[::-1])]
    gaps = [float(np.hypot(*(one[-1] - other[0]))) for one, other in ends]
    one, other = ends[int(np.argmin(gaps))]
    if min(gaps) > most_gap or min(len(one), len(other)) < 3:
        return None
    leaves, comes = one[-1] - one[-min(6, len(one))], other[min(5, len(other) - 1)] - other[0]
    turn = np.angle(complex(*leaves) * np.conj(complex(*comes)))
    return np.concatenate([one, other]) if abs(turn) < _JOIN_TURN else None


def _hair_ground(scene: FindScene) -> Mask:
    """Where single hairs are looked for: bare skin, and into the hair from it, so that roots are reached."""
    hair = _scalp_hair(scene)
    bare, side = scene.bare > 0.5, 2 * int(_AT_HAIR_MM * scene.per_mm) + 1
    return bare | (hair & (cv2.dilate(bare.astype(np.uint8), np.ones((side, side), np.uint8)) > 0))


def _scalp_hair(scene: FindScene) -> Mask:
    return scene.at_scale(scene.measures.people.small("scalp hair")) > 0.5


def _is_lone(scene: FindScene, line: FineLine) -> bool:
    """True of a single hair on skin; not of those among their like, of a brow, or of the hairdo and its rim."""
    return (line.beside < _LONE and line.turns < _WANDERS and line.out_mm > _OUT_MM
            and not _in_hair(scene, line) and not _at_a_brow(scene, line))


def _cloth(scene: FindScene) -> Mask:
    return scene.at_scale(scene.measures.people.small("cloth")) > 0.7


def _in_hair(scene: FindScene, line: FineLine) -> bool:
    """True of a line most of which lies in the hair: it belongs there."""
    at = np.clip(line.points.astype(int), 0, np.array(scene.bare.shape)[::-1] - 1)
    return float((scene.bare[at[:, 1], at[:, 0]] < 0.5).mean()) > _MOST_IN_HAIR


def _at_a_brow(scene: FindScene, line: FineLine) -> bool:
    """True of a line of a brow: of those `brow_hairs` tells the strays."""
    x, y = line.points[len(line.points) // 2]
    return scene.zone(*scene.to_source(float(x), float(y))).startswith("brow")


def _as_find(scene: FindScene, line: FineLine, kind: str) -> Find:
    points = line.points[:: max(1, len(line.points) // 40)]
    path = tuple(scene.to_source(float(x), float(y)) for x, y in points)
    x, y = path[len(path) // 2]
    length_mm = line.length / scene.per_mm
    sure = 0.5 + 0.45 * min(1.0, abs(line.light) / _SURE_L) * min(1.0, length_mm / _SURE_MM) ** 0.5
    sure *= min(1.0, line.steady / 0.8) * _SAYS[kind]
    width = line.width * scene.step
    zone = "cloth" if kind == FIBRE else _zone(scene, path)
    return Find(f"{kind}-{x:.0f}-{y:.0f}", kind, x, y, line.length * scene.step, _contrast(scene, line), sure, zone,
                outline=band(path, max(1.5, width)), path=path, width_px=width)


def _zone(scene: FindScene, path) -> str:
    """`hairline` of a hair that comes out of the hair, else where it lies."""
    ends = np.array([path[0], path[-1]]) / scene.measures.scale
    hair = scene.measures.people.small("scalp hair")
    reach = int(_AT_HAIR_MM * scene.measures.pixels_per_mm / scene.measures.scale) + 1
    for x, y in ends.astype(int):
        part = hair[max(0, y - reach) : y + reach + 1, max(0, x - reach) : x + reach + 1]
        if part.size and part.max() > 0.5:
            return "hairline"
    return scene.zone(*path[len(path) // 2])


def _contrast(scene: FindScene, line: FineLine) -> float:
    """ΔE00 of the hair against what lies beside it, at the scale of the scene."""
    at = np.clip(line.points.astype(int), 0, np.array(scene.bare.shape)[::-1] - 1)
    beside = scene.lab[at[:, 1], at[:, 0]]
    core = beside.copy()
    core[:, 0] += line.light
    return float(np.median(delta_e2000(core, beside)))
