"""Zones that are held by a switch: each an ordinary edit, so it is undone, saved and let go like any other."""

from collections.abc import Sequence

import numpy as np

from lather.core.brush.values import Brush
from lather.core.job.commands import AddEdits, Command, RemoveEdits, Together
from lather.core.job.face_map import FaceMap
from lather.core.job.face_mesh import BROWS, FOREHEAD_TOP, LIDS, LIPS_INNER, LIPS_OUTER, NOSE, OVAL
from lather.core.job.model import Job, Layer, Stroke, freeze_points, new_id
from lather.core.job.purpose import of_hold
from lather.core.phrases import phrase
from lather.core.stages.shape.kind import next_order
from lather.core.tools.hold_area import INSIDE, OUTSIDE

ZONES = {
    "eyes": "Eyes", "brows": "Brows", "nose": "Nose", "lips": "Lips", "teeth": "Teeth", "hairline": "Hairline",
    "hands": "Hands", "ground": "Ground",
}
_FEATHER = 0.05  # face widths
_GROUND_FEATHER = 0.10
_BAND = 0.05


def outlines_of(face: FaceMap | None, rings: Sequence[np.ndarray] = (), hands: Sequence[np.ndarray] = ()
                ) -> dict[str, list[np.ndarray]]:
    """{zone: outlines (n, 2) px on the photo} of what can be held here. rings: around the person; hands: around them.
    """
    found: dict[str, list[np.ndarray]] = {}
    if face is not None and face.mesh:
        mesh = face.mesh_px
        parts = {"eyes": LIDS.values(), "brows": BROWS.values(), "nose": (NOSE,), "lips": (LIPS_OUTER,),
                 "teeth": (LIPS_INNER,)}
        found = {zone: [mesh[list(outline)] for outline in outlines] for zone, outlines in parts.items()}
        if _opening(face) < 0.02:
            del found["teeth"]
        found["hairline"] = [_hairline(face)]
    if hands:
        found["hands"] = list(hands)
    if rings:
        found["ground"] = list(rings)
    return {zone: found[zone] for zone in ZONES if zone in found}


def _opening(face: FaceMap) -> float:
    """Of the lips, in face widths."""
    upper, lower = face.mesh_px[13], face.mesh_px[14]
    return float(np.hypot(*(upper - lower))) / face.width_px


def _hairline(face: FaceMap) -> np.ndarray:
    """A band over the forehead, where hair and skin meet."""
    half = len(OVAL) // 5
    over = [OVAL[n] for n in range(-half, half + 1)]
    line = face.mesh_px[over]
    up = np.array(face.points["hairline"], float) - face.mesh_px[FOREHEAD_TOP]
    _, _, down = face.frame
    band = _BAND * face.width_px * down
    return np.concatenate([line + up - band, (line + up + band)[::-1]])


def held_zones(job: Job) -> set[str]:
    """Zones of a job that nothing moves from now on."""
    held = {edit.purpose for layer in job.stage("shape").layers for edit in layer.edits}
    return {zone for zone in ZONES if of_hold(zone) in held}


def hold_command(job: Job, layer: Layer, zone: str, outlines: Sequence[np.ndarray], face_px: float) -> Command:
    """One step that holds a zone from now on."""
    feather = (_GROUND_FEATHER if zone == "ground" else _FEATHER) * face_px
    order, edits = next_order(job), []
    for number, outline in enumerate(outlines):
        points = np.column_stack([outline, np.ones(len(outline)), np.zeros(len(outline))])
        edits.append(Stroke(new_id(), "hold_area", Brush(size_px=float(np.clip(feather, 1, 2000)), edge=1.0),
                            freeze_points(points), mode=OUTSIDE if zone == "ground" else INSIDE,
                            note=phrase("held: %1", ZONES[zone].lower()), purpose=of_hold(zone),
                            feather=float(np.clip(feather, 1, 2000)), order=order + number))
    return Together(phrase("hold %1", ZONES[zone].lower()), (AddEdits("shape", layer.id, tuple(edits)),))


def let_go_command(job: Job, zone: str) -> Command | None:
    """One step after which a zone moves with what moved it; None where it is not held."""
    gone = [RemoveEdits("shape", layer.id, ids) for layer in job.stage("shape").layers
            if (ids := tuple(e.id for e in layer.edits if e.purpose == of_hold(zone)))]
    return Together(phrase("let go of %1", ZONES[zone].lower()), tuple(gone)) if gone else None
