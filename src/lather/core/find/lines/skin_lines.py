"""Lines on skin: creases, hairs, veins, scars, make-up in a fold, marks of straps and chains."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000
from lather.core.find import boosted_trees
from lather.core.find.lines.ridges import Line, ridge_response, trace_lines
from lather.core.find.scene import FindScene
from lather.core.job.finds import Find

# channel of Lab, dark or bright, widths (mm) and least widths (px) of the ridges looked for, starting response
_LOOKS = (
    (0, True, (0.16, 0.26), 0.9, 2.2),
    (0, True, (0.45, 0.8), 1.4, 1.3),
    (1, False, (0.22, 0.4, 0.75), 1.1, 0.75),
    (1, False, (1.6,), 2.5, 0.9),
    (0, False, (0.3, 0.5, 0.9), 1.2, 1.4),
)
_LEAST_MM = 3.5
_MOST_PER_LOOK, _MOST_TRACED, _MOST_LINES = 500, 420, 260
LEAST_CONFIDENCE = 0.45
_OFFSETS = np.linspace(-3.2, 3.2, 33)
FEATURES = (
    "log_length",
    "log_width",
    "d_l",
    "d_a",
    "d_b",
    "contrast",
    "step",
    "steady",
    "straight",
    "crowd",
    "skin_share",
    "off_axis",
    "down_face",
    "slant",
    "roughness",
    "lightness",
    "flank",
    "beads",
    "look",
    "on_contour",
    "on_fold",
)
_CONTRAST, _OF_CONTOURS = FEATURES.index("contrast"), FEATURES.index("on_contour")
_STRAP_MM, _ODD_SHARE, _BESIDE_SHARE = (1.5, 6.5), 0.2, 0.5
"""Of two pressed edges that make one strap: mm between them, how far this may vary along them, least share of the
shorter that runs beside the longer."""
_EDGES_IN_STRAP = 0.88  # a strap's edges are pressed deepest a little inside its rim
_OF_A_STRAP, _ON_STRAP = ("strap_mark", "jewellery_mark", "vein_nose"), 0.65  # what its weave and edges look like
_REDDER = 0.4  # a* between the edges, over beside them
_STILL_RED, _LED_ON, _STEP_ON = 0.4, 0.8, 0.35
"""Share of its redness with which a strap goes on; of its length, at most; of its width, at a time."""
_BENDS, _BEND_COSTS = np.linspace(-0.3, 0.3, 7), 1.0  # radians tried at each step; share of `enough` a radian costs


@dataclass(frozen=True)
class MeasuredLine:
    """A line in pixels of the scene's scale, with what tells its kind. width: at half height of its profile."""

    points: np.ndarray
    width: float
    contrast_de: float
    features: tuple[float, ...]


def find_lines(scene: FindScene) -> list[Find]:
    """Lines on bare skin, most certain first; pieces of one line are joined."""
    lines = measure_lines(scene)
    if not lines:
        return []
    model = boosted_trees.model("lines", scene.weights)
    measured = np.array([line.features for line in lines])
    shares, kinds = model.shares(measured if scene.is_small else measured[:, :_OF_CONTOURS]), model.kinds
    told = [
        (line, kinds[1 + int(np.argmax(s[1:]))] if s[0] < 1 - LEAST_CONFIDENCE else "none", 1 - float(s[0]))
        for line, s in zip(lines, shares)
    ]
    pieces = _whole_straps(scene, _joined(told))
    finds = [_as_find(scene, line, kind, sure) for line, kind, sure in pieces if kind != "none"]
    return sorted(finds, key=lambda f: -f.confidence)


def _as_find(scene: FindScene, line: MeasuredLine, kind: str, confidence: float) -> Find:
    path = tuple(scene.to_source(float(x), float(y)) for x, y in line.points[:: max(1, len(line.points) // 40)])
    length = float(np.hypot(*np.diff(line.points, axis=0).T).sum()) * scene.step
    x, y = path[len(path) // 2]
    width = line.width * scene.step
    return Find(
        f"{kind}-{x:.0f}-{y:.0f}",
        kind,
        x,
        y,
        length,
        line.contrast_de,
        confidence,
        scene.zone(x, y),
        False,
        True,
        band(path, 0.65 * width if kind == "strap_mark" else max(1.5, width)),
        path,
        width,
    )


def band(path, half: float) -> tuple[tuple[float, float], ...]:
    """Polygon of a path widened by `half` to both sides."""
    p = np.array(path, float)
    side = _beside(_headings(p))
    step = max(1, len(p) // 14)
    both = np.concatenate([(p + side * half)[::step], (p - side * half)[::-1][::step]])
    return tuple((float(a), float(b)) for a, b in both)


def _headings(points: np.ndarray) -> np.ndarray:
    """Unit vectors (n, 2) along a path (n, 2)."""
    heading = np.gradient(points, axis=0)
    return heading / np.maximum(np.hypot(*heading.T), 1e-6)[:, None]


def _beside(heading: np.ndarray) -> np.ndarray:
    """Unit vectors (..., 2) at right angles to headings."""
    return np.stack([-heading[..., 1], heading[..., 0]], -1)


def _apart(a: MeasuredLine, b: MeasuredLine) -> np.ndarray:
    """Distances (n, m) of the points of one line from those of another."""
    gaps = a.points[:, None] - b.points
    return np.hypot(gaps[..., 0], gaps[..., 1])


def measure_lines(scene: FindScene) -> list[MeasuredLine]:
    """All line-like places, each measured; a line seen in several looks counts once, the strongest."""
    bare = (scene.bare > 0.5).astype(np.uint8)
    traced: list[tuple[Line, int]] = []
    for number, (channel, dark, widths_mm, least_px, start) in enumerate(_LOOKS):
        sigmas = sorted({max(least_px, 0.5 * w * scene.per_mm) for w in widths_mm})
        step = max(1, int(sigmas[0] / 1.6))
        values = np.ascontiguousarray(scene.lab[..., channel])
        mask = bare
        if step > 1:
            shape = (values.shape[1] // step, values.shape[0] // step)
            values = cv2.resize(values, shape, interpolation=cv2.INTER_AREA)
            mask = cv2.resize(bare, shape, interpolation=cv2.INTER_AREA)
        response, angle, scale = ridge_response(values, [s / step for s in sigmas], dark=dark)
        response = response * (mask > 0)
        k = 2 * int(5 * scene.per_mm / step) + 1
        usual = cv2.blur(response, (k, k)) / np.maximum(cv2.blur(mask.astype(np.float32), (k, k)), 0.05)
        lines = trace_lines(
            response,
            angle,
            scale,
            low=np.maximum(0.35 * start, 1.6 * usual),
            high=np.maximum(start, 3.2 * usual),
            least_length=_LEAST_MM * scene.per_mm / step,
            most=_MOST_PER_LOOK,
        )
        traced += [(Line(line.points * step, line.width * step, line.strength), number) for line in lines]
    crowd = np.zeros(bare.shape, np.float32)
    for line, _ in traced:
        cv2.polylines(crowd, [np.round(line.points).astype(np.int32)], False, 1.0, 1)
    crowd = cv2.blur(crowd, (2 * int(7 * scene.per_mm) + 1,) * 2) * scene.per_mm
    ranked = sorted(traced, key=lambda t: -t[0].strength * np.sqrt(t[0].length))
    chosen = _once(scene, ranked)[:_MOST_TRACED]
    measured = [m for m in (_measure(scene, line, number, crowd) for line, number in chosen) if m is not None]
    if not measured:
        return []
    contrasts = delta_e2000(*(np.array([m[side] for m in measured]) for side in (2, 3)))
    lines = []
    for (line, width, _, _, features), contrast in zip(measured, contrasts.tolist()):
        features[_CONTRAST] = contrast
        lines.append((-contrast * np.sqrt(line.length), MeasuredLine(line.points, width, contrast, tuple(features))))
    return [line for _, line in sorted(lines, key=lambda pair: pair[0])][:_MOST_LINES]


def _once(scene: FindScene, ranked: list[tuple[Line, int]]) -> list[tuple[Line, int]]:
    """Leave out lines most of which lies on a stronger one."""
    taken = np.zeros(scene.bare.shape, np.uint8)
    kept = []
    for line, number in ranked:
        at = np.clip(np.round(line.points).astype(int), 0, np.array(taken.shape)[::-1] - 1)
        if taken[at[:, 1], at[:, 0]].mean() < 0.4:
            thick = max(3, int(2.2 * line.width))
            cv2.polylines(taken, [at.astype(np.int32)], False, 1, thick)
            kept.append((line, number))
    return kept


def _measure(scene: FindScene, line: Line, number: int, crowd) -> tuple | None:
    """(line, width, Lab inside, Lab beside, features but for the contrast), or None where nothing is there."""
    points = line.points[:: max(1, len(line.points) // 48)]
    side = _beside(_headings(points))
    reach = max(1.6, line.width)
    grid = (points[:, None] + side[:, None] * (_OFFSETS[None, :, None] * reach) - 0.5).astype(np.float32)
    profile = cv2.remap(
        scene.lab, grid[..., 0].copy(), grid[..., 1].copy(), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    skin = cv2.remap(scene.bare, grid[..., 0].copy(), grid[..., 1].copy(), cv2.INTER_LINEAR)
    far = np.abs(_OFFSETS)
    left, right = (_OFFSETS < -1.6), (_OFFSETS > 1.6)
    sides = np.stack([profile[:, left].mean(1), profile[:, right].mean(1)])
    core = profile[:, far < 0.35].mean(1) - sides.mean(0)
    change = core.mean(0)
    size = float(np.linalg.norm(change))
    if size < 0.8:
        return None
    along = core @ change / size
    mean = profile.mean(0)
    slope = (mean[right].mean(0) - mean[left].mean(0)) / 4.8
    level = (mean - mean[right | left].mean(0) - _OFFSETS[:, None] * slope) @ change / size
    half = level > 0.5 * max(level[far < 0.5].max(), 1e-3)
    centre = len(_OFFSETS) // 2
    low, high = centre, centre
    while low > 0 and half[low - 1]:
        low -= 1
    while high < len(half) - 1 and half[high + 1]:
        high += 1
    width = float((high - low + 1) * (_OFFSETS[1] - _OFFSETS[0]) * reach)
    length = line.length
    chord = float(np.hypot(*(points[-1] - points[0])))
    beads = along - cv2.blur(along[:, None], (1, 5))[:, 0]
    x, y = points[len(points) // 2]
    face = scene.measures.face
    u, v = face.in_frame(*scene.to_source(float(x), float(y))) if face is not None else (0.0, 0.0)
    tilt = points[-1] - points[0]
    row, column = min(int(y), crowd.shape[0] - 1), min(int(x), crowd.shape[1] - 1)
    inside, outside = sides.mean((0, 1)) + change, sides.mean((0, 1))
    corner = np.array([scene.rect.x0, scene.rect.y0])
    features = (
        np.log(length / scene.per_mm),
        np.log(width / scene.per_mm),
        change[0],
        change[1],
        change[2],
        0.0,  # the contrast: of all lines at a time
        float(np.linalg.norm(mean[right].mean(0) - mean[left].mean(0))) / size,
        float((along > 0.5 * size).mean()),
        chord / max(length, 1e-6),
        np.log(float(crowd[row, column]) + 0.01),
        float(skin[:, far > 1.5].mean()),
        min(2.0, abs(float(u))),
        float(np.clip(v, -1.5, 3)),
        abs(tilt[1]) / max(chord, 1e-6),
        float(np.log(profile[:, far > 1.5].std(0).mean() + 0.1)),
        outside[0] / 100,
        float((-level).max()),
        float(beads.std()) / size,
        float(number),
        *(scene.contours.along((points + corner) * scene.step, *kinds) for kinds in ((), ("fold",))),
    )
    return line, width, inside, outside, [float(f) for f in features]


def _joined(told):
    """Join pieces of one kind whose ends meet and whose directions agree."""
    pieces = [list(t) for t in told if t[1] != "none"]
    changed = True
    while changed:
        changed = False
        for i, first in enumerate(pieces):
            for j in range(i + 1, len(pieces)):
                second = pieces[j]
                if second[1] != first[1]:
                    continue
                points = _meeting(first[0], second[0])
                if points is not None:
                    width = max(first[0].width, second[0].width)
                    contrast = max(first[0].contrast_de, second[0].contrast_de)
                    first[0] = MeasuredLine(points, width, contrast, first[0].features)
                    first[2] = max(first[2], second[2])
                    del pieces[j]
                    changed = True
                    break
            if changed:
                break
    return pieces


def _whole_straps(scene: FindScene, pieces: list) -> list:
    """A strap leaves two pressed edges, each traced as a line: such pairs become one band, as wide as both span."""
    straps = [p for p in pieces if p[1] in ("strap_mark", "jewellery_mark")]
    pairs = [(i, j) for i in range(len(straps)) for j in range(i + 1, len(straps))
             if "strap_mark" in (straps[i][1], straps[j][1])]
    spans = {pair: _strap_between(scene, *(straps[n][0] for n in pair)) for pair in pairs}
    used, whole = set(), []
    for i, j in sorted((p for p in pairs if spans[p]), key=lambda p: spans[p].width):
        if used.isdisjoint((i, j)):
            used |= {i, j}
            whole.append([spans[i, j], "strap_mark", max(straps[i][2], straps[j][2])])
    edges = [id(straps[n]) for n in used]
    rest = [p for p in pieces if id(p) not in edges]
    return [p for p in rest if p[1] not in _OF_A_STRAP or not any(_lies_on(p[0], w[0]) for w in whole)] + whole


def _lies_on(line: MeasuredLine, strap: MeasuredLine) -> bool:
    """True if most of a line lies on the band."""
    return bool((_apart(line, strap).min(1) < _ON_STRAP * strap.width).mean() > 0.7)


def _strap_between(scene: FindScene, a: MeasuredLine, b: MeasuredLine) -> MeasuredLine | None:
    """The band that two lines are the edges of: side by side, evenly far apart, the skin between them redder."""
    longer, shorter = sorted((a, b), key=lambda line: -len(line.points))
    away = _apart(longer, shorter)
    apart = away.min(0)  # from each point of the shorter
    span = float(np.median(apart))
    low, high = (mm * scene.per_mm for mm in _STRAP_MM)
    if not low < span < high or (np.abs(apart - span) < _ODD_SHARE * span).mean() < _BESIDE_SHARE:
        return None
    side = _beside(_headings(longer.points))
    nearest = shorter.points[away.argmin(1)] - longer.points
    side *= np.sign(np.median((nearest * side).sum(1)))
    middle, beyond = longer.points + 0.5 * span * side, longer.points - 0.5 * span * side
    between, before, after = (
        float(np.median(_at(scene.lab[..., 1], points))) for points in (middle, beyond, middle + span * side)
    )
    if between < max(before, after) + _REDDER:
        return None
    contrast, width = max(a.contrast_de, b.contrast_de), span / _EDGES_IN_STRAP
    return MeasuredLine(_to_its_ends(scene, middle, width), width, contrast, longer.features)


def _to_its_ends(scene: FindScene, path: np.ndarray, width: float) -> np.ndarray:
    """A strap's path (n, 2) led on at both ends, bend by bend, while the skin is redder there than to its sides."""
    across = np.array([-0.85, -0.2, 0.0, 0.2, 0.85]) * width

    def redder(points: np.ndarray, heading: np.ndarray) -> np.ndarray:
        places = points[..., None, :] + across[:, None] * _beside(heading)[..., None, :]
        a = _at(scene.lab[..., 1], places.reshape(-1, 2)).reshape(places.shape[:-1])
        return a[..., 1:4].mean(-1) - 0.5 * (a[..., 0] + a[..., 4])

    enough = max(_STILL_RED * float(np.median(redder(path, _headings(path)))), _REDDER)
    length = float(np.hypot(*np.diff(path, axis=0).T).sum())
    step = _STEP_ON * width
    back = min(len(path) - 1, max(2, round(2 * step * len(path) / max(length, 1.0))))
    for _ in range(2):  # one end, then the other
        ahead = float(np.arctan2(*(path[-1] - path[-1 - back])[::-1]))
        for _ in range(int(_LED_ON * length / step)):
            turned = ahead + _BENDS
            ways = np.stack([np.cos(turned), np.sin(turned)], -1)[:, None]
            places = path[-1] + ways * step * np.linspace(0.25, 1, 4)[:, None]
            red = redder(places, np.broadcast_to(ways, places.shape)).mean(1) - _BEND_COSTS * np.abs(_BENDS) * enough
            best = int(np.argmax(red))
            if red[best] < enough or _at(scene.bare, places[best])[-1, 0] < 0.5:
                break
            path, ahead = np.concatenate([path, places[best]]), turned[best]
        path = path[::-1]
    return path.astype(np.float32)


def _at(values: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Values (h, w) at points (n, 2)."""
    xs, ys = (np.ascontiguousarray(points[:, i : i + 1] - 0.5, np.float32) for i in (0, 1))
    return cv2.remap(np.ascontiguousarray(values), xs, ys, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def _meeting(a: MeasuredLine, b: MeasuredLine) -> np.ndarray | None:
    """Both lines as one if an end of each lies near and in line with the other's."""
    gap = max(8.0, 3 * max(a.width, b.width))
    for p in (a.points, a.points[::-1]):
        for q in (b.points, b.points[::-1]):
            if np.hypot(*(p[-1] - q[0])) > gap:
                continue
            way = p[-1] - p[max(0, len(p) - 6)]
            onward = q[min(5, len(q) - 1)] - q[0]
            cosine = way @ onward / max(np.hypot(*way) * np.hypot(*onward), 1e-6)
            if cosine > 0.75:
                return np.concatenate([p, q])
    return None
