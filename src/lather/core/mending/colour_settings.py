"""What an adjustment is to go by, measured on the photo; and what is proposed for finds of redness and shine.

Nothing here renders: each function gives settings of a layer, or one undoable step.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lather.core.brush.outline import polygon_coverage
from lather.core.brush.values import Brush
from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.engine import Engine, faces_of
from lather.core.job.agreements import denied
from lather.core.job.commands import AddEdits, AddLayer, Command, SetLayer, Together
from lather.core.job.finds import Find
from lather.core.job.limits import USUAL_KIND, Band, band
from lather.core.job.model import Job, Layer, Stroke, freeze_points, new_id
from lather.core.job.purpose import of_find
from lather.core.measure.colours import area_colour, beneath, tone_of, zone_body
from lather.core.phrases import phrase
from lather.core.stages.adjust.mask import by_zones, painted
from lather.core.stages.adjust.values import plain_lab
from lather.core.stages.colour.calm import LEAVE, CalmKind
from lather.core.stages.colour.iris import IrisKind
from lather.core.stages.colour.match import MatchKind
from lather.core.stages.colour.red_eye import RedEyeKind
from lather.core.stages.colour.shine import AMOUNT, ShineKind
from lather.core.stages.colour.whiten import LEAST_WARMTH, LEAST_YELLOW, MOST_LIGHT, PARTS, WhitenKind
from lather.core.types import Rect

_TONE_MM = 0.55  # what is finer is pores
_FACE_MM = 130.0
_SPOT = 1.5  # of the size of a find of shine, which is told at half its height
_WIDER = {"redness": 1.6, "shine": 2.4, "red_eye": 1.12}  # a find's outline runs at half its height
_RING = (1.7, 2.3)  # outlines around a find between which skin is as it should be
_HALF = (0.35, 0.65)  # of the excess: half-way down the slope
_UNDER_EYE_WHITE = 3.0  # L* that teeth stay darker than the eye white
_FIND_LEAVE = 0.2  # of a redness: a find is off the skin by more than its flush
_WHITE_GAUGES = {"teeth": ("teeth_light", "teeth_white"), "eye_whites": ("eye_white_light", "eye_white_warmth")}
_PORES_TIMES = 1.6  # sizes of a spot away from which pores may be taken
_AUTOMATIC = 0.6  # strength of what nobody asked for
_NOT_WHITENED = ("identity-true", "newborn/child")
_PART_FADES = 0.14  # of the face's width: over so much one part of it becomes another
_SAME_SKIN = 3.0  # ΔE (76) of the skin around, within which two finds share a layer


def tone_width(engine: Engine, job: Job) -> float:
    """Gaussian sigma (px) of the tone band for a face of this size."""
    faces = faces_of(job)
    width = max((face.width_px for face in faces), default=0.35 * min(engine.photo.width, engine.photo.height))
    return float(np.clip(_TONE_MM * width / _FACE_MM, 1.0, 40.0))


# finds


def colour_command(engine: Engine, job: Job, find: Find) -> Command | None:
    """One undoable step that calms a redness or takes a shine down, as far as the kind of job allows, or makes a red
    pupil dark; None where no skin is seen around it.
    """
    if find.kind == "red_eye":
        return _dark_pupil(job, find)
    kind = {"redness": CalmKind, "shine": ShineKind}[find.kind]
    settings = calm_settings(engine, job, find) if kind is CalmKind else shine_settings(engine, job, find)
    if settings is None:
        return None
    stroke = outline_stroke(find)
    layer = _sharing(job, kind.id, find.zone, settings)
    if layer is not None:
        return AddEdits("colour", layer.id, (stroke,))
    where = find.zone.capitalize() or "Skin"
    word = "calm red" if kind is CalmKind else "shine"
    label = job.stage("colour").free_name(f"{where}, {word}")
    layer = Layer(new_id(), label, kind.id, settings=kind.new_settings() | settings, where=find.zone)
    make = AddLayer("colour", layer, len(job.stage("colour").layers))
    name = "calm redness" if kind is CalmKind else "take shine down"
    return Together(name, (make, AddEdits("colour", layer.id, (stroke,))))


def _dark_pupil(job: Job, find: Find) -> Command:
    """Over the pupil and the rim that its red runs into; all red eyes of a photo share a layer."""
    stroke = replace(outline_stroke(find), feather=max(0.6, 0.12 * find.size_px))
    layer = next((one for one in job.stage("colour").layers if one.kind == RedEyeKind.id), None)
    if layer is not None:
        return AddEdits("colour", layer.id, (stroke,))
    layer = Layer(new_id(), "Red eyes", RedEyeKind.id, settings=RedEyeKind.new_settings())
    make = AddLayer("colour", layer, len(job.stage("colour").layers))
    return Together("darken red pupil", (make, AddEdits("colour", layer.id, (stroke,))))


def _sharing(job: Job, kind: str, zone: str, settings: dict) -> Layer | None:
    """A layer of the same zone whose skin is the same."""
    name = "toward" if kind == CalmKind.id else "skin"
    for layer in job.stage("colour").layers:
        if layer.kind == kind and layer.where == zone and name in layer.settings:
            off = np.array(layer.settings[name]) - np.array(settings[name])
            if float(np.hypot(np.hypot(off[0], off[1]), off[2])) < _SAME_SKIN:
                return layer
    return None


def outline_stroke(find: Find) -> Stroke:
    """The find's outline, drawn wider, and soft down to its middle."""
    middle = np.array([find.x, find.y])
    corners = np.array(find.outline if len(find.outline) > 2 else _circle(find), float)
    corners = middle + _WIDER.get(find.kind, 1.2) * (corners - middle)
    points = np.column_stack([corners, np.ones(len(corners)), np.zeros(len(corners))])
    return Stroke(new_id(), "mask_area", Brush(size_px=max(1.0, find.size_px), edge=1.0), freeze_points(points),
                  note=find.label.lower(), find=find.id, purpose=of_find(find.kind),
                  feather=max(1.0, 0.3 * find.size_px))


def _circle(find: Find) -> np.ndarray:
    turns = 2 * np.pi * np.arange(24) / 24
    return np.array([find.x, find.y]) + find.size_px / 2 * np.column_stack([np.cos(turns), np.sin(turns)])


class _Seen:
    """A find's own place and the skin around it, on the picture under Colour."""

    def __init__(self, engine: Engine, job: Job, find: Find, width_px: float):
        corners = np.array(find.outline if len(find.outline) > 2 else _circle(find), float)
        middle = np.array([find.x, find.y])
        level = 0
        while find.size_px / (1 << (level + 1)) > 120:
            level += 1
        step = 1 << level
        outer = (middle + _RING[1] * (corners - middle)) / step
        low, high = np.floor(outer.min(0)).astype(int), np.ceil(outer.max(0)).astype(int)
        rect = Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1).intersect(
            engine.photo.level_bounds(level))
        self.level = level
        self.lab = srgb_to_lab(beneath(engine, job, "colour")(rect, level))
        self.tone = tone_of(self.lab, width_px / step)
        self.inside = polygon_coverage([corners / step], rect, 1.0) > 0.5
        wide = polygon_coverage([(middle + _RING[0] * (corners - middle)) / step], rect, 1.0) > 0.5
        around = polygon_coverage([outer], rect, 1.0) > 0.5
        self.ring = around & ~wide
        if engine.zones is not None:
            skin = engine.zones_of(job).mask("skin", faces_of(job), rect, level) > 0.7
            if (self.ring & skin).sum() > 20:
                self.ring &= skin
        self.enough = self.ring.sum() > 20 and self.inside.sum() > 8

    @property
    def skin(self) -> np.ndarray:
        return np.median(self.tone[self.ring], axis=0)


def calm_settings(engine: Engine, job: Job, find: Find) -> dict | None:
    """Towards the skin around a find; a share is left by the kind of job."""
    width = tone_width(engine, job)
    seen = _Seen(engine, job, find, width)
    if not seen.enough:
        return None
    leave = max(limits_of(job, CalmKind.id)[LEAVE.id].low, _FIND_LEAVE)
    return painted() | {"colour": "red", "toward": plain_lab(seen.skin), "leave": leave, "width_px": width}


def shine_settings(engine: Engine, job: Job, find: Find) -> dict | None:
    """The skin around a find, the colour half-way down its slope, and the pores that are usual there."""
    width = tone_width(engine, job)
    seen = _Seen(engine, job, find, width)
    if not seen.enough:
        return None
    skin = seen.skin
    excess = seen.tone[..., 0] - skin[0]
    top = float(np.quantile(excess[seen.inside], 0.95))
    slope = seen.inside & (excess > _HALF[0] * top) & (excess < _HALF[1] * top)
    half = np.median(seen.tone[slope], axis=0) if slope.sum() > 8 else skin
    finer = seen.lab[..., 0] - seen.tone[..., 0]
    texture = _usual_spread(finer[seen.ring]) if seen.level == 0 else 0.0
    amount = min(AMOUNT.start, limits_of(job, ShineKind.id)[AMOUNT.id].high)
    return painted() | {
        "skin": plain_lab(skin), "half": plain_lab(half), "texture": round(texture, 3), "amount": amount,
        "width_px": width, "spot_px": round(float(np.clip(_SPOT * find.size_px, 4, 2000)), 1),
        "pores_from": list(_pores_beside(engine, job, find, skin, width)),
    }


def _usual_spread(values: np.ndarray) -> float:
    """Root of the mean square, spots and hairs held to what is usual."""
    most = 3.5 * 1.4826 * float(np.median(np.abs(values)))
    return float(np.sqrt(np.mean(np.clip(values, -most, most) ** 2)))


def _pores_beside(engine: Engine, job: Job, find: Find, skin: np.ndarray, width_px: float) -> tuple[int, int]:
    """Whole px to the skin beside a spot that is most like the skin around it; (0, 0) where there is none."""
    read, best, bounds = beneath(engine, job, "colour"), (6.0, (0, 0)), engine.photo.bounds
    far = _PORES_TIMES * find.size_px
    for turn in np.arange(0, 2 * np.pi, np.pi / 4):
        dx, dy = round(far * float(np.cos(turn))), round(far * float(np.sin(turn)))
        half = max(2, int(find.size_px / 3))
        x, y = int(find.x) + dx, int(find.y) + dy
        rect = Rect(x - half, y - half, x + half, y + half)
        if rect != rect.intersect(bounds):
            continue
        lab = tone_of(srgb_to_lab(read(rect, 0)), width_px)
        off = float(np.sqrt(((lab - skin) ** 2).sum(-1)).mean())
        if off < best[0]:
            best = (off, (dx, dy))
    return best[1]


# limits by kind of job


def limits_of(job: Job, kind_id: str, part: str = "teeth") -> dict[str, Band]:
    """{setting: the values that the kind of job allows a layer, and why}; empty for kinds that none limits."""
    kind = job.brief.get("kind")
    if kind_id == CalmKind.id:
        return {LEAVE.id: band(kind, "calm_leave")}
    if kind_id == ShineKind.id:
        return {AMOUNT.id: band(kind, "shine_amount")}
    if kind_id != WhitenKind.id:
        return {}
    light, warmth = (band(kind, gauge) for gauge in _WHITE_GAUGES[part])
    return {MOST_LIGHT.id: light, LEAST_YELLOW.id: Band(max(LEAST_WARMTH, warmth.low / 100), 1.0, warmth.why)}


def within_limits(job: Job, layer: Layer, settings: dict) -> tuple[dict, str]:
    """Settings that somebody wants for a layer, held to what the kind of job allows; and a sentence that says why, ""
    where nothing had to be held.
    """
    why = ""
    for name, limit in limits_of(job, layer.kind, str(layer.settings.get("part", "teeth"))).items():
        if name in settings and limit.state(settings[name]):
            settings = settings | {name: float(np.clip(settings[name], limit.low, limit.high))}
            why = phrase("Held by the kind of job, %1: %2.", job.brief.get("kind") or USUAL_KIND, limit.why)
    return settings, why


# by zone


def whiten_settings(engine: Engine, job: Job, part: str, layer_id: str = "") -> dict | None:
    """Of teeth or eye whites as they are, with the ceilings of the kind of job; None where they are not seen."""
    read = beneath(engine, job, "colour", layer_id)
    usual = zone_body(engine, job, read, part)
    if usual is None:
        return None
    limits = limits_of(job, WhitenKind.id, part)
    settings = by_zones(part) | {"part": part, "measured": plain_lab(usual), "most_light": limits["most_light"].high,
                                 "least_yellow": limits["least_yellow"].low}
    white = zone_body(engine, job, read, "eye_whites") if part == "teeth" else None
    if white is not None:
        settings["below_light"] = round(max(float(white[0]) - _UNDER_EYE_WHITE, float(usual[0])), 1)
    return settings


def iris_settings(engine: Engine, job: Job, layer_id: str = "") -> dict | None:
    """Of the irises as they are; None where none are seen."""
    radii = [radius for face in faces_of(job) for *_, radius in face.irises.values()]
    usual = zone_body(engine, job, beneath(engine, job, "colour", layer_id), "irises")
    if usual is None or not radii:
        return None
    return by_zones("irises") | {"measured": plain_lab(usual), "radius_px": round(float(np.median(radii)), 1)}


def calm_all_settings(engine: Engine, job: Job, colour: str = "red") -> dict | None:
    """Calm for all of a mask: towards the usual skin, a share left by the kind of job."""
    width = tone_width(engine, job)
    skin = area_colour(engine, job, beneath(engine, job, "colour"), {"zone": "skin"}, width)
    if skin is None:
        return None
    leave = max(LEAVE.start, limits_of(job, CalmKind.id)[LEAVE.id].low)
    return {"colour": colour, "toward": plain_lab(skin.mean), "leave": leave, "width_px": width}


def shine_all_settings(engine: Engine, job: Job) -> dict | None:
    """Shine painted by hand: the usual skin, and a spot of a usual size."""
    width = tone_width(engine, job)
    skin = area_colour(engine, job, beneath(engine, job, "colour"), {"zone": "skin"}, width)
    if skin is None:
        return None
    amount = min(AMOUNT.start, limits_of(job, ShineKind.id)[AMOUNT.id].high)
    return {"skin": plain_lab(skin.mean), "half": plain_lab(skin.mean), "amount": amount, "width_px": width,
            "spot_px": round(float(np.clip(16 * width, 4, 2000)), 1)}


def layer_command(job: Job, kind: type, name: str, settings: dict, stage_id: str = "colour", **more) -> AddLayer:
    """A new layer of a kind on top of its stage."""
    layer = Layer(new_id(), name, kind.id, settings=kind.new_settings() | settings, **more)
    return AddLayer(stage_id, layer, len(job.stage(stage_id).layers))


def whiten_commands(engine: Engine, job: Job, parts: Sequence[str] = tuple(PARTS), strength: float = 1.0
                    ) -> list[AddLayer]:
    """A layer for each part that is seen and has none yet."""
    there = {layer.settings.get("part") for layer in job.stage("colour").layers if layer.kind == WhitenKind.id}
    commands = []
    for part in parts:
        settings = whiten_settings(engine, job, part) if part not in there else None
        if settings is not None:
            name = phrase("%1, whiten", PARTS[part])
            commands.append(layer_command(job, WhitenKind, name, settings, strength=strength))
            job = commands[-1].apply(job)
    return commands


def automatic_whitening(engine: Engine, job: Job) -> list[AddLayer]:
    """Of the first pass: at part strength, the eyes first, as teeth stay darker than they are; not for a photo that
    shows who somebody is, nor for a child.
    """
    if job.brief.get("kind") in _NOT_WHITENED:
        return []
    parts = ("eye_whites",) if denied(job.brief, "teeth") else ("eye_whites", "teeth")
    return whiten_commands(engine, job, parts, _AUTOMATIC)


# match and measuring again

MEASURED = {
    MatchKind.id: ("reference", "target", "measured_from", "measured_to", "width_px"),
    WhitenKind.id: ("measured", "below_light"), IrisKind.id: ("measured", "radius_px"),
}
"""What is measured anew of a layer by its kind; all else in its settings is the person's own."""


def match_settings(engine: Engine, job: Job, layer: Layer, **areas: dict) -> dict:
    """Settings of a Match with both areas measured, as far as they are known. areas: reference, target."""
    known = {name: areas.get(name) or layer.settings.get(name) for name in ("reference", "target")}
    read, width = beneath(engine, job, "colour", layer.id), tone_width(engine, job)
    settings: dict = {"width_px": width}
    for name, kept_as in (("reference", "measured_to"), ("target", "measured_from")):
        if known[name] is not None:
            settings[name] = known[name]
            seen = area_colour(engine, job, read, known[name], width)
            if seen is not None:
                settings[kept_as] = seen.to_json()
    return settings


def match_mask(job: Job, target: dict) -> dict:
    """Settings of a Match's mask: a part of the skin, fading as wide as faces change from part to part; or what the
    outline alone covers.
    """
    if "zone" not in target:
        return painted()
    face = job.face_map
    return by_zones(target["zone"], feather_px=round(_PART_FADES * face.width_px, 1) if face is not None else 0.0)


def match_command(engine: Engine, job: Job, reference: dict, target: dict, name: str = "Match") -> Command | None:
    """A new Match layer from one area to another; None where one of them is not seen."""
    layer = Layer(new_id(), name, MatchKind.id, settings=MatchKind.new_settings() | match_mask(job, target))
    settings = match_settings(engine, job, layer, reference=reference, target=target)
    if "measured_from" not in settings or "measured_to" not in settings:
        return None
    layer = replace(layer, settings=layer.settings | settings)
    if "outline" in target:
        corners = np.array(target["outline"], float)
        points = np.column_stack([corners, np.ones(len(corners)), np.zeros(len(corners))])
        layer = replace(layer, edits=(Stroke(new_id(), "target", Brush(edge=1.0), freeze_points(points), feather=8.0),))
    return AddLayer("colour", layer, len(job.stage("colour").layers))


def measured_again(engine: Engine, job: Job, layer: Layer) -> Command | None:
    """What a layer goes by, measured anew on the picture that lies under it now; None where nothing is measured."""
    settings: dict | None = None
    if layer.kind == MatchKind.id:
        settings = match_settings(engine, job, layer)
    elif layer.kind == WhitenKind.id:
        settings = whiten_settings(engine, job, str(layer.settings.get("part", "teeth")), layer.id)
    elif layer.kind == IrisKind.id:
        settings = iris_settings(engine, job, layer.id)
    if not settings:
        return None
    measured = {name: value for name, value in settings.items() if name in MEASURED[layer.kind]}
    return SetLayer("colour", layer.id, "settings", measured)

