"""The evening of each route as ordinary edits: what `auto` lays down, and what a comparison of the routes goes by."""

import math
from dataclasses import replace

import cv2
import numpy as np

from lather.core.brush.values import Brush
from lather.core.engine.engine import Engine
from lather.core.job.commands import AddLayer, Command, Together
from lather.core.job.drawn_marks import drawn_marks, grown, lies_on, reaches
from lather.core.job.fence import Fence
from lather.core.job.model import Job, Layer, Stroke, freeze_points, new_id
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.adjustment_start import CRISP_PARTS, crisp_proposal
from lather.core.mending.bare_skin import SkinPiece, joined_fence, skin_pieces
from lather.core.mending.even_blotches import SHARE, even_all_command
from lather.core.stages.mend.sweep import sweep_hints
from lather.core.tools.registry import TOOLS

STRENGTHS = {"light": 1.0, "bands": 0.55, "sweep": 0.8, "veil": 0.5}
"""Of the layer that evens, to begin with."""
_USUAL_SPLIT_SHARE = 0.006
_AREA_SHARE = 0.045  # of the face's width: sigma of the smoothing of the tone
_SWEEP_SHARE, _SWEEP_LENGTHS = 0.12, 1.6  # size of a sweep, and its length in sizes
_SWEEP_STEP = 0.65  # of its size, between two sweeps
_VEIL_SHARE = 0.2
_CELLS = 24  # to a veil stroke's size: how finely it is told where one is needed
_HOLE = 0.75  # of the size of what stays
_MARK_ROOM = {"bands": 0.12, "veil": 0.06, "sweep": 0.03}
"""Of the face's width, around a drawn mark: as far as what evens looks around."""


def evening_command(
    engine: Engine, job: Job, measures: PhotoMeasures, route: str, *, strength: float | None = None
) -> Command | None:
    """One undoable step that evens all bare skin the way of a route. strength: of its layer, 0-1; None: as it is begun.

    None where there is no bare skin.
    """
    strength = STRENGTHS[route] if strength is None else strength
    if route == "light":
        return even_all_command(job, engine.photo.bounds, share=SHARE * strength)
    width, marks = measures.face_width_px, drawn_marks(job)
    pieces = skin_pieces(measures, [grown(mark, _MARK_ROOM[route] * width) for mark in marks])
    pieces = [replace(piece, fence=_sparing(piece.fence, job)) for piece in pieces]
    fence = joined_fence(pieces)
    if fence is None:
        return None
    split_px = measures.texture_scale.split_px if measures.texture_scale else max(2.0, _USUAL_SPLIT_SHARE * width)
    if route == "bands":
        edits = tuple(edit for piece in pieces for edit in _areas(piece.fence, _AREA_SHARE * _face_px(piece, measures)))
        layer = Layer(new_id(), "Tone, skin", "split", strength=strength, fence=fence, edits=edits,
                      settings={"band": "tone", "width_px": round(float(split_px), 1)})
        return Together("even by bands", (AddLayer("split", layer, len(job.stage("split").layers)),))
    if route == "veil":
        layer = Layer(new_id(), "Veil, skin", "split", strength=strength, fence=fence,
                      settings={"band": "veil", "width_px": round(float(split_px), 1)},
                      edits=tuple(_veils(fence, _VEIL_SHARE * width)))
        return Together("veil", (AddLayer("split", layer, len(job.stage("split").layers)),))
    edits = tuple(edit for piece in pieces
                  for edit in _sweeps(engine, piece.fence, _SWEEP_SHARE * _face_px(piece, measures))
                  if not reaches(marks, edit))
    layer = Layer(new_id(), "Sweeps", "mend", strength=strength, fence=fence, edits=edits)
    return Together("sweep", (AddLayer("mend", layer, len(job.stage("mend").layers)),)) if edits else None


def _face_px(piece: SkinPiece, measures: PhotoMeasures) -> float:
    """Width of the face whose skin it is; of the one in hand where that is not known."""
    if not piece.person:
        return measures.face_width_px
    person = measures.people.persons[piece.person - 1]
    return person.face.width_px if person.face is not None else person.head.size


def _sparing(fence: Fence, job: Job) -> Fence:
    """With holes around what stays: a ring inside a ring is left out."""
    rings = []
    marks = drawn_marks(job)
    for find in job.keepers():
        if find in marks or lies_on(marks, find):
            continue
        radius = _HOLE * find.size_px + fence.feather_px + 2
        if fence.reaches(find.x, find.y, 1.0):
            around = ((math.cos(turn / 3), math.sin(turn / 3)) for turn in range(19))
            rings.append(tuple((round(find.x + radius * u, 1), round(find.y + radius * v, 1)) for u, v in around))
    return replace(fence, rings=(*fence.rings, *rings))


def crisp_command(engine: Engine, job: Job, measures: PhotoMeasures) -> Command | None:
    """Eyes, brows and lips sharpened at half strength, as two of the routes end."""
    steps = [crisp_proposal(engine, job, part, measures.grain) for part in CRISP_PARTS if part != "hair"]
    steps = tuple(replace(step, index=n) for n, step in enumerate(step for step in steps if step is not None))
    return Together("crisp", steps) if steps else None


def _areas(fence: Fence, sigma: float):
    """An outline around a piece of skin, fenced to it: what lies beyond a contour has no say in it."""
    points = np.array(fence.rings[0])
    if min(np.ptp(points, axis=0)) < 3 * sigma:
        return
    low, high = points.min(0) - 2, points.max(0) + 2
    corners = [(low[0], low[1]), (high[0], low[1]), (high[0], high[1]), (low[0], high[1])]
    yield Stroke(new_id(), "area", replace(TOOLS["area"].brush, size_px=float(sigma)),
                 freeze_points([(x, y, 1.0, 0.0) for x, y in corners]), feather=float(fence.feather_px), fence=fence)


def _veils(fence: Fence, size: float):
    """Strokes from side to side over all that a fence encloses."""
    bounds = fence.bounds
    cell = size / _CELLS
    shape = tuple(int(n / cell) + 3 for n in (bounds.height + size, bounds.width + size))
    corner = (bounds.x0 - cell, bounds.y0 - cell)
    rings = [np.round((np.array(ring) - corner) / cell).astype(np.int32) for ring in fence.rings]
    inside = cv2.fillPoly(np.zeros(shape, np.uint8), rings, 1)
    near = cv2.dilate(inside, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_CELLS + 1, _CELLS + 1)))
    brush = Brush(size_px=float(size), edge=0.5, ceiling=1.0, flow=1.0)
    for y in np.arange(bounds.y0 + size / 3, bounds.y1 + size / 3, size / 2):
        xs = np.arange(bounds.x0, bounds.x1 + size / 3, size / 3)
        row = min(int((y - corner[1]) / cell), shape[0] - 1)
        if near[row, np.minimum(((xs - corner[0]) / cell).astype(int), shape[1] - 1)].any():
            yield Stroke(new_id(), "veil", brush, freeze_points([(x, y, 1.0, 0.0) for x in xs]))


def _sweeps(engine: Engine, fence: Fence, size: float):
    """Short strokes along the form, side by side over a piece of skin."""
    brush = replace(TOOLS["sweep"].brush, size_px=float(size))
    for x, y, way, offset in sweep_hints(engine.photo, fence, size, _SWEEP_STEP * size):
        half = 0.5 * _SWEEP_LENGTHS * size * way
        points = [(x - half[0], y - half[1], 1.0, 0.0), (x, y, 1.0, 0.1), (x + half[0], y + half[1], 1.0, 0.2)]
        yield Stroke(new_id(), "sweep", brush, freeze_points(points), offset=offset)
