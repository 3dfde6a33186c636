"""Light and shade proposed for a face: paths from its points, left out where the light there does not call for them."""

from dataclasses import dataclass, replace

import numpy as np

from lather.core.brush.build_up import coverage_of_pass
from lather.core.brush.values import Brush
from lather.core.engine.engine import Engine
from lather.core.job.commands import AddEdits, AddLayer, Command, Together
from lather.core.job.face_map import FaceMap
from lather.core.job.model import Job, Layer, Stroke, freeze_points, new_id
from lather.core.job.purpose import first_of, of_path, of_sculpt
from lather.core.phrases import phrase
from lather.core.stages.light.cells import Field, Seen
from lather.core.stages.light.needed import BARE, SKIN
from lather.core.stages.sculpt.form import FALLS, OPEN, RISES
from lather.core.stages.sculpt.kind import FOLLOWING, FULL_STOPS, SculptKind
from lather.core.tools.light import ON_SKIN_ONLY
from lather.core.types import Rect

SHARE = 0.25  # coverage of the strongest proposal, to begin with
LIGHT_LAYER, SHADE_LAYER = "Light", "Shade"
_CALLS_FOR = 0.25  # of how far light or shade follows along a path, under which it is left out
_LEAST_OPEN = 0.12  # of a path, on the mean: the rest are edges that stay as they are
_ON_SKIN = 0.45  # of a path that must be bare skin
_SHADE, _DARK, _BRIGHT = 0.5, 0.25, 0.9  # shares of the usual light of this skin, twice, and of white
_EDGE = 1.0
_ALONG_PX = 0.3  # of a path's width between two of its points
_ON_LIPS = ("lower_lip",)
_NARROW = ("brow_bones", "inner_corners", "cupids_bow", "lower_lip", "lid_creases", "lash_lines")
"""Lie beside lids, lashes and lips, where hardly any skin is bare."""
_TURNED_AWAY, _IN_SHADE, _IN_LIGHT = "turned away", "in shade", "in the light"
_AT_LASHES, _AT_LIPS = "lashes there", "at the lips"

# Each path by points of the face mesh, or places between two of them (a, b, share of the way from a to b); left and
# right as seen. Widths in widths of the face, weights of the share.
_MID = 0.5
_PLACES = (
    ("forehead", "Forehead", "light", 0.6, 1.0, ((69, 108, 151, 337, 299),)),
    ("brow_bones", "Brow bones", "light", 0.07, 0.8, (
        ((52, 223, _MID), (53, 224, _MID), (46, 225, _MID)), ((282, 443, _MID), (283, 444, _MID), (276, 445, _MID)))),
    ("inner_corners", "Inner corners", "light", 0.06, 0.7, ((244, (245, 193, _MID)), (464, (465, 417, _MID)))),
    ("nose", "Nose bridge, tip", "light", 0.13, 1.0, ((6, 197, 195, 5), (4, (4, 1, 0.3)))),
    ("cheekbone_left", "Cheekbone, left", "light", 0.3, 1.0, (
        ((101, 36, 0.35), (50, 118, 0.3), (123, 117, 0.35), (116, 123, 0.4)),)),
    ("cheekbone_right", "Cheekbone, right", "light", 0.3, 1.0, (
        ((330, 266, 0.35), (280, 347, 0.3), (352, 346, 0.35), (345, 352, 0.4)),)),
    ("cupids_bow", "Cupid’s bow", "light", 0.055, 0.7, (((37, 167, 0.35), (0, 164, 0.35), (267, 393, 0.35)),)),
    ("lower_lip", "Lower lip", "light", 0.08, 0.7, (((85, 86, _MID), (15, 16, _MID), (315, 316, _MID)),)),
    ("chin", "Chin", "light", 0.32, 1.0, (((201, 208, _MID), (200, 199, _MID), (421, 428, _MID)),)),
    ("lid_creases", "Lid creases", "shade", 0.035, 0.8, (
        ((28, 222, _MID), (27, 223, _MID), (29, 224, _MID)), ((258, 442, _MID), (257, 443, _MID), (259, 444, _MID)))),
    ("lash_lines", "Lash lines", "shade", 0.025, 0.7, (
        ((158, 28, 0.45), (159, 27, 0.45), (160, 29, 0.45)), ((385, 258, 0.45), (386, 257, 0.45), (387, 259, 0.45)))),
    ("nose_side_left", "Nose side, left", "shade", 0.12, 1.0, ((174, (217, 236, _MID), (198, 126, _MID),
                                                               (131, 49, _MID)),)),
    ("nose_side_right", "Nose side, right", "shade", 0.12, 1.0, ((399, (437, 456, _MID), (420, 355, _MID),
                                                                 (360, 279, _MID)),)),
    ("under_cheekbone_left", "Under cheekbone, left", "shade", 0.4, 1.0, ((137, 147, (187, 205, _MID),
                                                                           (205, 207, _MID)),)),
    ("under_cheekbone_right", "Under cheekbone, right", "shade", 0.4, 1.0, ((366, 376, (411, 425, _MID),
                                                                             (425, 427, _MID)),)),
    ("under_lip", "Under lower lip", "shade", 0.07, 0.8, (((182, 83, _MID), 18, (313, 406, _MID)),)),
    ("jaw_left", "Jaw edge, left", "shade", 0.3, 1.0, ((138, 135, 169, 170, 140),)),
    ("jaw_right", "Jaw edge, right", "shade", 0.3, 1.0, ((367, 364, 394, 395, 369),)),
)
BOTH_EYES = ("brow_bones", "inner_corners", "lid_creases", "lash_lines")
"""Laid with the same stops on both sides, so that what the two differ by stays."""


@dataclass(frozen=True)
class Proposal:
    """tool: light or shade. paths: (n, 2) source px each. weights: of the share, for each path. follows: how far light
    or shade follows there, 0-1, for each path. left_out: why, "" for one that is proposed.
    """

    id: str
    label: str
    tool: str
    paths: tuple[np.ndarray, ...]
    width_px: float
    weights: tuple[float, ...]
    follows: tuple[float, ...]
    left_out: str = ""

    def stops(self, share: float, following: float = FOLLOWING.start) -> float:
        """What it comes to along its middle, signed."""
        each = [self.ceiling(n, share) * (1 - following + following * f) for n, f in enumerate(self.follows)]
        return (1 if self.tool == "light" else -1) * FULL_STOPS * float(np.mean(each))

    def ceiling(self, number: int, share: float) -> float:
        """Most coverage of one of its paths, 0-1, at a share."""
        return min(1.0, share * self.weights[number])

    def moved(self, dx: float, dy: float) -> "Proposal":
        """The same, dragged to another place."""
        return replace(self, paths=tuple(path + np.array([dx, dy]) for path in self.paths))

    def strokes(self, share: float) -> tuple[Stroke, ...]:
        """Ordinary edits, one for each path."""
        return tuple(self._stroke(n, path, share) for n, path in enumerate(self.paths))

    def _stroke(self, number: int, path: np.ndarray, share: float) -> Stroke:
        ceiling = self.ceiling(number, share)
        brush = _gentle(Brush(size_px=self.width_px, edge=_EDGE, ceiling=ceiling))
        points = _along(path, _ALONG_PX * self.width_px)
        return Stroke(new_id(), self.tool, brush, freeze_points([(x, y, 1.0, 0.0) for x, y in points]),
                      mode="anywhere" if self.id in _ON_LIPS else ON_SKIN_ONLY, note=self.label.lower(),
                      purpose=of_path(self.id))


def _gentle(brush: Brush) -> Brush:
    """With the flow at which one pass just comes to the ceiling at its middle: a higher one would lay down a plateau
    with a rim that is seen.
    """
    low, high = 1e-3, 1.0
    for _ in range(20):
        middle = (low + high) / 2
        over = coverage_of_pass(replace(brush, ceiling=1.0, flow=middle)) > brush.ceiling
        low, high = (low, middle) if over else (middle, high)
    return replace(brush, flow=high)


def proposals(engine: Engine, job: Job, both_eyes: bool = True) -> list[Proposal]:
    """For the face in hand, in the order in which they are listed. Empty where no face was found. both_eyes: both get
    the same stops.
    """
    face = job.face_map
    if face is None or not face.mesh:
        return []
    kind: SculptKind = engine.kinds["sculpt"]
    around = engine.stack(job, "even").above()
    low, high = face.mesh_px.min(0), face.mesh_px.max(0)
    area = Rect(*np.floor(low).astype(int), *np.ceil(high).astype(int)).intersect(around.bounds)
    form = kind.form.over(around, area)
    seen = kind.stores.needed.over(Seen.photo_of(around), area)
    light = kind.stores.needed.light(Seen.input_of(around), area)
    bare = seen.values[..., BARE] > 0.5
    usual = float(np.median(light.values[..., 0][: bare.shape[0], : bare.shape[1]][bare])) if bare.any() else 0.0
    return [_proposal(row, face, form, seen, light, usual, both_eyes) for row in _PLACES]


def _proposal(row: tuple, face: FaceMap, form: Field, seen: Field, light: Field, usual: float,
              both_eyes: bool) -> Proposal:
    name, label, tool, width, weight, lines = row
    paths = tuple(np.array([_place(face, one) for one in line]) for line in lines)
    samples = [_along(path, 0.25 * width * face.width_px) for path in paths]
    way = RISES if tool == "light" else FALLS
    follows = tuple(float((_at(form, s)[:, way] * _at(form, s)[:, OPEN]).sum() / max(1e-3, _at(form, s)[:, OPEN].sum()))
                    for s in samples)
    places = np.concatenate(samples)
    lights = _at(light, places)[:, 0]
    on_skin = float((_at(seen, places)[:, SKIN] > 0.5).mean())
    open_share = float(_at(form, places)[:, OPEN].mean())
    left_out = ""
    if open_share < _LEAST_OPEN:
        left_out = _AT_LASHES if name in BOTH_EYES else _AT_LIPS
    elif name not in _NARROW and on_skin < _ON_SKIN:
        left_out = _TURNED_AWAY
    elif float(np.mean(follows)) < _CALLS_FOR:
        left_out = _IN_SHADE if tool == "light" else _IN_LIGHT
    elif tool == "light" and lights.mean() < usual + np.log(_SHADE):
        left_out = _IN_SHADE
    elif tool == "shade" and lights.mean() < usual + np.log(_DARK):
        left_out = "dark already"
    elif tool == "light" and lights.mean() > np.log(_BRIGHT):
        left_out = "bright already"
    weights = (weight,) * len(paths)
    if both_eyes and name in BOTH_EYES:
        each = [1 - FOLLOWING.start + FOLLOWING.start * f for f in follows]
        weights = tuple(weight * min(each) / one for one in each)
    return Proposal(name, label, tool, paths, width * face.width_px, weights, follows, left_out)


def _place(face: FaceMap, one) -> np.ndarray:
    if isinstance(one, int):
        return face.mesh_px[one]
    a, b, share = one
    return (1 - share) * face.mesh_px[a] + share * face.mesh_px[b]


def _along(path: np.ndarray, step: float) -> np.ndarray:
    """The path as places no further apart than `step`."""
    lengths = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(path, axis=0).T))])
    count = max(2, int(np.ceil(lengths[-1] / max(step, 1.0))) + 1)
    at = np.linspace(0, lengths[-1], count)
    return np.column_stack([np.interp(at, lengths, path[:, n]) for n in (0, 1)])


def _at(field: Field, places: np.ndarray) -> np.ndarray:
    """Values (n, c) of the points nearest to some places."""
    index = np.floor((places - field.origin) / field.px).astype(int)
    height, width = field.values.shape[:2]
    return field.values[np.clip(index[:, 1], 0, height - 1), np.clip(index[:, 0], 0, width - 1)]


def lay_command(job: Job, chosen: list[Proposal], share: float = SHARE) -> Command | None:
    """One undoable step that lays proposals down, light and shade each on their layer; None for none."""
    commands: list[Command] = []
    for tool, name in (("light", LIGHT_LAYER), ("shade", SHADE_LAYER)):
        own = [one for one in chosen if one.tool == tool and not one.left_out]
        if not own:
            continue
        layer = first_of(job.stage("sculpt").layers, of_sculpt(tool))
        if layer is None:
            layer = Layer(new_id(), name, "sculpt", settings={FOLLOWING.id: FOLLOWING.start}, purpose=of_sculpt(tool))
            make = AddLayer("sculpt", layer, len(job.stage("sculpt").layers))
            commands.append(make)
            job = make.apply(job)
        commands.append(AddEdits("sculpt", layer.id, tuple(s for one in own for s in one.strokes(share))))
    return Together(phrase("lay %1 paths",
                           len([x for x in chosen if not x.left_out])), tuple(commands)) if commands else None


def laid_stops(engine: Engine, job: Job) -> tuple[float, float]:
    """Most light and most shade (positive) that the stage lays down on the face, in stops."""
    kind: SculptKind = engine.kinds["sculpt"]
    stack = engine.stack(job, "sculpt")
    steps = [n for n, step in enumerate(stack.steps) if step.stage.id == "sculpt"]
    if not steps:
        return 0.0, 0.0
    bounds = engine.photo.bounds
    level = max(0, int(np.log2(max(1, max(bounds.width, bounds.height) / 700))))
    rect = bounds.at_level(level).intersect(engine.photo.level_bounds(level))
    total = np.zeros((rect.height, rect.width), np.float32)
    for n in steps:
        step, own = stack.steps[n], stack.around(n)
        cover = kind.coverage_of(own, step.layer, rect, level) * np.float32(step.strength * step.stage.strength)
        if cover.any():
            total += kind.stops(own, step.layer, cover, rect, level)
    return max(0.0, float(total.max())), max(0.0, float(-total.min()))
