"""What is kept in a photo's coordinates, on another photo: strokes, fences, finds, faces, settings of layers."""

from dataclasses import replace

import numpy as np

from lather.core import ranges
from lather.core.brush.values import Brush
from lather.core.job.face_map import FaceMap
from lather.core.job.fence import Fence
from lather.core.job.finds import Find
from lather.core.job.model import Layer, Stroke, freeze_points
from lather.core.job.part_strokes import PartStroke
from lather.core.job.source_map import SourceTurn, affine
from lather.core.parameters import Model, Number
from lather.core.sitting.frame_map import FrameMap, scale_of
from lather.core.stages.registry import stage_info

_NEARLY_PLAIN_DEG, _NEARLY_PLAIN_SCALE = 0.05, 0.002


def moved_stroke(stroke: Stroke, frames: FrameMap, carried: str = "") -> Stroke:
    """The stroke on the other photo: its path, its size, where it takes from and how that is turned."""
    middle = stroke.points[:, :2].mean(0).astype(float)
    linear = frames.linear(*middle)
    k = scale_of(linear)
    points = stroke.points.astype(float).copy()
    points[:, :2] = frames.places(points[:, :2])
    changes: dict = {"points": freeze_points(points), "brush": moved_brush(stroke.brush, k), "carried": carried}
    if stroke.offset is not None:
        changes |= _moved_source(stroke, frames, linear)
    if stroke.fence is not None:
        changes["fence"] = moved_fence(stroke.fence, frames)
    if stroke.feather is not None:
        changes["feather"] = ranges.FEATHER_PX.hold(k * stroke.feather)
    if stroke.pull is not None:
        changes["pull"] = tuple(float(v) for v in frames.places(np.array(stroke.pull).reshape(2, 2)).ravel())
    if stroke.mirror is not None:
        changes["mirror"] = _moved_mirror(stroke.mirror, frames, middle, linear)
    return replace(stroke, **changes)


def moved_brush(brush: Brush, scale: float) -> Brush:
    """A brush whose size goes with the scale, inside what a brush may be."""
    return replace(brush, size_px=ranges.BRUSH_SIZE_PX.hold(scale * brush.size_px))


def _moved_source(stroke: Stroke, frames: FrameMap, linear: np.ndarray) -> dict:
    """Offset and turn that take from the same skin. Where two photos are turned to each other, it lies turned alike."""
    turn = stroke.turn
    pivot = np.array(turn.pivot if turn is not None else stroke.points[:, :2].mean(0), float)
    if stroke.offset is None:
        return {}
    source = affine(stroke.offset, turn) @ (*pivot, 1.0)
    here, there = frames.places(np.array([pivot, source]))
    offset = tuple(int(v) for v in np.round(there - here))
    if turn is None or turn.plain:
        return {"offset": offset, "turn": None}
    matrix = linear @ turn.matrix() @ np.linalg.inv(linear)
    return {"offset": offset, "turn": _turn_of(matrix, here)}


def _turn_of(matrix: np.ndarray, pivot: np.ndarray) -> SourceTurn | None:
    """The mirror, rotation and scale nearest to a (2, 2) from directions painted to directions taken from."""
    mirror = bool(np.linalg.det(matrix) < 0)
    plain = np.diag([-1.0 if mirror else 1.0, 1.0]) @ matrix
    angle = float(np.degrees(np.arctan2(plain[0, 1] - plain[1, 0], plain[0, 0] + plain[1, 1])))
    scale = ranges.TURN_SCALE.hold(1 / scale_of(matrix))
    if not mirror and abs(angle) < _NEARLY_PLAIN_DEG and abs(scale - 1) < _NEARLY_PLAIN_SCALE:
        return None
    return SourceTurn(mirror, angle, scale, (float(pivot[0]), float(pivot[1])))


def _moved_mirror(mirror: tuple[float, ...], frames: FrameMap, middle: np.ndarray, linear: np.ndarray
                  ) -> tuple[float, ...]:
    matrix, shift = np.array(mirror[:4], float).reshape(2, 2), np.array(mirror[4:], float)
    other = matrix @ middle + shift
    here, there = frames.places(np.array([middle, other]))
    moved = frames.linear(*other) @ matrix @ np.linalg.inv(linear)
    return tuple(float(v) for v in (*moved.ravel(), *(there - moved @ here)))


def moved_fence(fence: Fence, frames: FrameMap) -> Fence:
    """A fence on the other photo."""
    rings = tuple(tuple((float(x), float(y)) for x, y in frames.places(np.array(ring, float))) for ring in fence.rings)
    middle = np.array([place for ring in fence.rings for place in ring], float).mean(0)
    return replace(fence, rings=rings, feather_px=float(fence.feather_px * scale_of(frames.linear(*middle))))


def moved_find(find: Find, frames: FrameMap) -> Find:
    """A find on the other photo: place, size, outline and path."""
    k = scale_of(frames.linear(find.x, find.y))
    (x, y), = frames.places(np.array([[find.x, find.y]]))

    def places(values) -> tuple[tuple[float, float], ...]:
        return tuple((float(a), float(b)) for a, b in frames.places(np.array(values, float))) if values else ()

    size = ranges.FIND_SIZE_PX.hold(k * find.size_px)
    return replace(find, x=float(x), y=float(y), size_px=size, outline=places(find.outline),
                   path=places(find.path) if find.path is not None else None,
                   width_px=None if find.width_px is None else float(k * find.width_px))


def moved_part(stroke: PartStroke, frames: FrameMap) -> PartStroke:
    """What was corrected of the parts, on the other photo."""
    places = frames.places(np.array(stroke.points, float))
    width = ranges.FIND_SIZE_PX.hold(stroke.width_px * scale_of(frames.linear(*stroke.points[0])))
    return PartStroke(stroke.part, tuple((float(x), float(y)) for x, y in places), float(width))


def moved_face(face: FaceMap, frames: FrameMap) -> FaceMap:
    """A face map, with its mesh and irises."""
    k = scale_of(frames.linear(*face.frame[0]))
    names = list(face.points)
    points = frames.places(np.array([face.points[name] for name in names], float))
    mesh = tuple((float(x), float(y)) for x, y in frames.places(face.mesh_px)) if face.mesh else ()
    irises = {}
    for side, (x, y, radius) in face.irises.items():
        at = frames.places(np.array([[x, y]], float))[0]
        irises[side] = (float(at[0]), float(at[1]), k * radius)
    return replace(face, points={name: (float(x), float(y)) for name, (x, y) in zip(names, points)}, mesh=mesh,
                   irises=irises)


def moved_settings(stage_id: str, layer: Layer, frames: FrameMap, scale: float) -> dict:
    """Settings of a layer: lengths grown, places moved; what was measured of the photo stays as it was."""
    settings = dict(layer.settings)
    for one in stage_info(stage_id).kinds[layer.kind].parameters:
        if one.id not in settings:
            continue
        if isinstance(one, Number) and one.unit == "px":
            settings[one.id] = round(one.range.hold(scale * float(settings[one.id])), 2)
        elif isinstance(one, Model) and one.moved is not None:
            settings[one.id] = one.moved(settings[one.id], frames.places)
    if "pores_from" in settings:
        x, y = settings["pores_from"]
        settings["pores_from"] = [round(scale * x), round(scale * y)]
    return settings
