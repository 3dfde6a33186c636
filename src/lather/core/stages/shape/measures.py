"""Distances of a face by its 468 points: what each is on the photo, and the edit that changes it.

A measure is set in % of the face's width, for each side by itself. The edit holds the places it moves and where to, so
it stays what it is when the face map is dragged later.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from lather.core.brush.values import Brush
from lather.core.job.commands import AddEdits, AddLayer, Command, RemoveEdits, ReplaceEdit, Together
from lather.core.job.face_map import FaceMap
from lather.core.job.face_mesh import EYES
from lather.core.job.limits import band
from lather.core.job.model import Job, Layer, Stroke, freeze_points, new_id
from lather.core.job.purpose import MEASURES_LAYER, first_of, of_measure
from lather.core.phrases import worded
from lather.core.stages.shape.kind import next_order
from lather.core.stages.shape.mirror import PAIRS

LAYER = "Measures"
SIDES = ("left", "right")


@dataclass(frozen=True)
class Measure:
    """moves: {side: indices of points that move}; side "" where there is but one. stays: points that do not.

    way: "out" from the middle of the face, "down", "up", "open" (the first half up, the second down), "aside" (to where
    the face looks). reach: of a move, in face widths. between: {side: two points whose distance is told}.
    """

    id: str
    label: str
    moves: dict[str, tuple[int, ...]]
    way: str
    reach: float
    between: dict[str, tuple[int, int]]
    stays: dict[str, tuple[int, ...]]
    hint: str = ""

    def __post_init__(self):
        worded(self, "label", "hint")

    @property
    def sides(self) -> tuple[str, ...]:
        """left and right, or "" where there is but one."""
        return tuple(self.moves)


def _both(left: tuple[int, ...], right: tuple[int, ...]) -> dict[str, tuple[int, ...]]:
    return {"left": left, "right": right}


_NONE: dict[str, tuple[int, ...]] = {}
_UPPER_LIDS = _both((160, 159, 158), (387, 386, 385))
_LOWER_LIDS = _both((144, 145, 153), (373, 374, 380))

MEASURES: tuple[Measure, ...] = (
    Measure("cheekbones", "Across cheekbones", _both((127, 234, 93), (356, 454, 323)), "out", 0.26,
            _both((234, 454), (234, 454)), _NONE, "outline of the face beside the cheekbones"),
    Measure("jaw_corners", "Jaw corners", _both((58, 172, 136), (288, 397, 365)), "out", 0.27,
            _both((172, 397), (172, 397)), _NONE, "outline of the face at the corners of the jaw"),
    Measure("cheek_hollows", "Hollow of cheeks", _both((187, 205, 207), (411, 425, 427)), "out", 0.19,
            _both((187, 411), (187, 411)), _NONE, "between cheekbone and jaw, inside the outline"),
    Measure("chin_down", "Chin point, down", {"": (148, 152, 377)}, "down", 0.25, {"": (2, 152)}, _NONE,
            "from below the nose to the chin"),
    Measure("chin_out", "Chin point, out", {"": (148, 152, 377, 175)}, "aside", 0.25, {"": (152, 168)}, _NONE,
            "to the side to which the face looks"),
    Measure("nose_wings", "Nose wings apart", _both((129, 98, 64), (358, 327, 294)), "out", 0.10,
            _both((129, 358), (129, 358)), _NONE, "widest places of the nose"),
    Measure("nose_tip", "Nose tip, up", {"": (1, 4)}, "up", 0.14, {"": (168, 1)}, _NONE, "from the root of the nose"),
    Measure("lids", "Lid opening", {side: _UPPER_LIDS[side] + _LOWER_LIDS[side] for side in SIDES}, "open", 0.075,
            _both((159, 145), (386, 374)), _both((33, 133), (362, 263)), "upper against lower lid"),
    Measure("eye_level", "Level of the eye", {side: EYES[side] for side in SIDES}, "up", 0.16,
            _both((33, 1), (263, 1)), _NONE, "the whole eye, higher or lower"),
    Measure("mouth_corners", "Mouth corners apart", _both((61,), (291,)), "out", 0.12, _both((61, 291), (61, 291)),
            _NONE, "width of the mouth"),
    Measure("mouth_level", "Mouth corners, up", _both((61,), (291,)), "up", 0.12, _both((61, 1), (291, 1)), _NONE,
            "each corner, higher or lower"),
    Measure("upper_lip", "Upper lip, fullness", {"": (40, 37, 0, 267, 270)}, "up", 0.085, {"": (0, 13)},
            {"": (81, 13, 311)}, "height of the upper lip"),
    Measure("lower_lip", "Lower lip, fullness", {"": (91, 84, 17, 314, 321)}, "down", 0.085, {"": (14, 17)},
            {"": (178, 14, 402)}, "height of the lower lip"),
    Measure("hairline", "Hairline, up", {"": (109, 10, 338)}, "up", 0.24, {"": (9, 10)}, _NONE,
            "where hair and forehead meet"),
)
BY_ID = {measure.id: measure for measure in MEASURES}
_A_FEW = 5  # of so few the middle one, which moves just as far as is said
FIRST = 7
"""So many are shown before the rest is asked for."""


def places(measure: Measure, face: FaceMap, side: str) -> np.ndarray:
    """(n, 2) px on the photo of the points that move."""
    if measure.id == "hairline":
        _, across, _ = face.frame
        top = np.array(face.points["hairline"], float)
        return np.array([top + share * face.width_px * across for share in (-0.2, 0.0, 0.2)])
    return face.mesh_px[list(measure.moves[side])]


def handle(measure: Measure, face: FaceMap, side: str) -> np.ndarray:
    """Where it is taken hold of on the photo, px."""
    at = places(measure, face, side)
    at = at[: len(at) // 2] if measure.way == "open" else at
    return at.mean(0) if len(at) > _A_FEW else at[len(at) // 2]


def way(measure: Measure, face: FaceMap, side: str) -> np.ndarray:
    """Unit vector along which a positive value moves the handle."""
    _, across, down = face.frame
    if measure.way == "out":
        return -across if side == "left" else across
    if measure.way == "aside":
        return across if _looks_right(face) else -across
    return down if measure.way == "down" else -down


def _looks_right(face: FaceMap) -> bool:
    origin, across, _ = face.frame
    sides = (face.mesh_px[[93, 323]] - origin) @ across
    return bool((face.mesh_px[1] - origin) @ across >= sides.mean())


def distance(measure: Measure, face: FaceMap, side: str, to_above=None) -> float:
    """What it is, in % of the face's width on the photo; with to_above: as the picture shows it now."""
    a, b = (face.mesh_px[n] for n in measure.between[side or ""])
    if measure.id == "hairline":
        b = np.array(face.points["hairline"], float)
    ends = np.array([a, b])
    if to_above is not None:
        ends = to_above(ends)
    return 100 * float(np.hypot(*(ends[1] - ends[0]))) / face.width_px


def edit_for(measure: Measure, face: FaceMap, side: str, percent: float) -> Stroke:
    """The edit that moves a measure of one side by a share of the face's width, in %."""
    anchors = places(measure, face, side)
    step = percent / 100 * face.width_px * way(measure, face, side)
    steps = np.tile(step, (len(anchors), 1))
    if measure.way == "open":  # half each way
        steps[: len(anchors) // 2] /= 2
        steps[len(anchors) // 2 :] /= -2
    stays = face.mesh_px[list(measure.stays.get(side, ()))].reshape(-1, 2)
    rows = [row for at, by in zip(anchors, steps) for row in (at, at + by)] + [row for at in stays for row in (at, at)]
    points = np.column_stack([np.array(rows), np.ones(len(rows)), np.zeros(len(rows))])
    brush = Brush(size_px=float(np.clip(2 * measure.reach * face.width_px, 4, 2000)), edge=1.0)
    return Stroke(new_id(), "measure", brush, freeze_points(points), note=name_of(measure, side),
                  purpose=of_measure(measure.id, side))


def name_of(measure: Measure, side: str) -> str:
    """What its edit says it is."""
    return f"{measure.label}, {side}" if side else measure.label


def values(job: Job, face: FaceMap | None) -> dict[tuple[str, str], float]:
    """{(measure id, side): % of the face's width} of all that the job's edits set; the rest is 0."""
    if face is None or not face.mesh:
        return {}
    known = {of_measure(m.id, side): (m, side) for m in MEASURES for side in m.sides}
    found = {}
    for layer in job.stage("shape").layers:
        for edit in layer.edits:
            if edit.tool == "measure" and edit.purpose in known and len(edit.points) >= 2:
                measure, side = known[edit.purpose]
                step = edit.points[1, :2].astype(float) - edit.points[0, :2]
                times = 2 if measure.way == "open" else 1
                found[measure.id, side] = times * 100 * float(step @ way(measure, face, side)) / face.width_px
    return found


def most_percent(job_kind: str | None) -> float:
    """How far one measure may go each way, by the kind of job."""
    return band(job_kind, "measure_each").high


def set_command(job: Job, measure: Measure, sides: Sequence[str], percent: float) -> Command | None:
    """One step that sets a measure on some sides, held to what the kind of job allows; None if nothing changes."""
    face = job.face_map
    if face is None or not face.mesh:
        return None
    most = most_percent(job.brief.get("kind"))
    percent = float(np.clip(percent, -most, most))
    layer = first_of(job.stage("shape").layers, MEASURES_LAYER)
    commands: list[Command] = []
    if layer is None:
        if abs(percent) < 1e-6:
            return None
        layer = Layer(new_id(), LAYER, "shape", purpose=MEASURES_LAYER)
        commands.append(AddLayer("shape", layer, 0))
    for side in sides:
        old = next((e for e in layer.edits if e.purpose == of_measure(measure.id, side)), None)
        made = edit_for(measure, face, side, percent)
        if abs(percent) < 1e-6:
            if old is not None:
                commands.append(RemoveEdits("shape", layer.id, (old.id,)))
        elif old is not None:
            commands.append(ReplaceEdit("shape", layer.id, replace(made, id=old.id, order=old.order)))
        else:
            commands.append(AddEdits("shape", layer.id, (replace(made, order=next_order(job)),)))
    if not commands:
        return None
    return Together(f"{measure.label.lower()} {percent:+.1f} %".replace("-", "−"), tuple(commands))


def clear_command(job: Job) -> Command | None:
    """All measures back to the photo."""
    gone = [RemoveEdits("shape", layer.id, ids) for layer in job.stage("shape").layers
            if (ids := tuple(e.id for e in layer.edits if e.tool == "measure"))]
    return Together("measures to 0", tuple(gone)) if gone else None


def even_command(job: Job) -> Command | None:
    """Both sides of every measure to the mean of the two."""
    set_now = values(job, job.face_map)
    commands = []
    for measure in MEASURES:
        both = [set_now.get((measure.id, side), 0.0) for side in measure.sides]
        if len(both) == 2 and abs(both[0] - both[1]) > 1e-6:
            command = set_command(job, measure, measure.sides, sum(both) / 2)
            if command is not None:
                commands.append(command)
                job = command.apply(job)
    return Together("even sides", tuple(commands)) if commands else None


def left_right(face: FaceMap, to_above=None) -> float:
    """How much the sides of the face differ, % of its width: mean over pairs of points about the face's own axis."""
    points = face.mesh_px if to_above is None else to_above(face.mesh_px)
    here, there = points[PAIRS[:, 0]], points[PAIRS[:, 1]]
    a = here - here.mean(0)
    b = there - there.mean(0)
    u, _, v = np.linalg.svd(a.T @ b)
    turn = (u @ v).T
    return 100 * float(np.hypot(*(b - a @ turn.T).T).mean()) / face.width_px
