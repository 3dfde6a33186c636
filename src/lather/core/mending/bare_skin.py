"""Bare skin as fences: what tone work keeps inside of, so that lips, eyes, brows, hair, cloth and edges stay."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.find.scene import FindScene
from lather.core.job.drawn_marks import Ring
from lather.core.job.fence import Fence
from lather.core.measure.contours_kept import EDGES
from lather.core.measure.photo_measures import PhotoMeasures

_SIDE = 700
_LEAST_SHARE = 0.0015
_FEATHER_SHARE = 0.012  # of the face width
_GAP = 1.0  # widths of a contour to both sides of it that are left out
_THEIRS = 0.5


@dataclass(frozen=True)
class SkinPiece:
    """Skin of one person that no contour crosses: person 0 where nobody was told apart. fence: its outline and the
    holes in it."""

    person: int
    fence: Fence


def skin_fence(measures: PhotoMeasures, without: Sequence[Ring] = ()) -> Fence | None:
    """Fence around the photo's bare skin, None where there is none. without: outlines (source px) that are left out."""
    return joined_fence(skin_pieces(measures, without))


def joined_fence(pieces: Sequence[SkinPiece]) -> Fence | None:
    """One fence around all pieces; None of none."""
    if not pieces:
        return None
    return Fence(tuple(ring for piece in pieces for ring in piece.fence.rings), pieces[0].fence.feather_px)


def skin_pieces(measures: PhotoMeasures, without: Sequence[Ring] = ()) -> list[SkinPiece]:
    """Bare skin person by person, cut along every contour: a face is no neck, and a nose no cheek, to what smooths."""
    scene = FindScene(measures)
    bare = (scene.bare > 0.5).astype(np.uint8)
    for ring in without:
        corners = np.array([scene.to_here(x, y) for x, y in ring])
        cv2.fillPoly(bare, [np.round(corners).astype(np.int32)], 0)
    for contour in scene.contours.all:
        if contour.what in EDGES:
            places = (contour.points / scene.step - (scene.rect.x0, scene.rect.y0)) * 16
            cv2.polylines(bare, [np.round(places).astype(np.int32)], False, 0,
                          max(1, round(2 * _GAP * contour.width_px / scene.step)), shift=4)
    people = measures.people
    pieces = []
    for number in (person.number for person in people.persons) if people.persons else (0,):
        own = bare if not number else bare & (scene.at_scale(people.mask_of(number)) > _THEIRS)
        feather = _FEATHER_SHARE * (people.persons[number - 1].head.size if number else measures.face_width_px)
        pieces += [SkinPiece(number, Fence(rings, feather)) for rings in _pieces(scene, own.astype(np.uint8))]
    return pieces


def _pieces(scene: FindScene, bare: np.ndarray) -> Iterator[tuple[Ring, ...]]:
    """(outline, holes …) in source px of each part that is large enough."""
    shrink = min(1.0, _SIDE / max(bare.shape))
    small = cv2.resize(bare, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA) if shrink < 1 else bare
    contours, levels = cv2.findContours(small, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    if levels is None:
        return
    rings: dict[int, list[Ring]] = {}
    for number, (contour, (*_, parent)) in enumerate(zip(contours, levels[0])):
        simple = cv2.approxPolyDP(contour, 0.9, True)[:, 0]
        if cv2.contourArea(contour) < _LEAST_SHARE * small.size or len(simple) < 3:
            continue
        ring = tuple(tuple(round(v, 1) for v in scene.to_source((x + 0.5) / shrink, (y + 0.5) / shrink))
                     for x, y in simple)
        if parent < 0:
            rings.setdefault(number, []).insert(0, ring)
        else:
            rings.setdefault(int(parent), []).append(ring)
    large = {number for number, contour in enumerate(contours)
             if cv2.contourArea(contour) >= _LEAST_SHARE * small.size}
    yield from (tuple(own) for number, own in rings.items() if number in large)
