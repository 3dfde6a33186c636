"""Grain as a layer kind: puts back what the earlier stages took, and lets grain be painted in."""

import hashlib

import numpy as np

from lather.core import ranges
from lather.core.brush.coverage import stroke_coverage
from lather.core.job.grain_model import GrainModel
from lather.core.job.model import Layer, Stroke
from lather.core.parameters import EVERYWHERE, Model, Number
from lather.core.recent import Recent
from lather.core.stages.base import Step, Surroundings, same_beneath
from lather.core.stages.grain.missing import CELL, cells_of, halo, missing_cells, needed, touched_pixels
from lather.core.stages.mend.kind import MendKind
from lather.core.stages.patches.blocks import split_at_tiles
from lather.core.stages.patches.grain_noise import add_grain, grain_noise
from lather.core.stages.patches.kind import Read
from lather.core.stages.patches.patch import Patch
from lather.core.stages.patches.solved import Solved
from lather.core.stages.stores import Stores
from lather.core.types import EMPTY, TILE, EncodedRGB, Rect, tile_rect, tiles_of

_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
_MOST_MAPS = 4096  # tiles of 32×32 cells
_TILE_CELLS = TILE // CELL


def grain_settings(model: GrainModel, *, everywhere: bool = True, amount: float = 1.0) -> dict:
    """Settings of a Grain layer. everywhere: put back wherever it is missing. amount: 1 is the photo's own level."""
    return {"everywhere": everywhere, "amount": amount, "grain": model.to_json()}


class GrainKind(MendKind):
    """Renders Grain layers. Settings: those of `grain_settings`.

    What is missing is measured at level 0 and kept by the fingerprint of what lies beneath; noise is fixed to the
    picture, so tiles and levels meet.
    """

    id = "grain"
    method = MendKind.method + b" grain-4"
    parameters = (
        EVERYWHERE,
        Number("amount", "Amount", ranges.GRAIN_AMOUNT, 1.0, "%", shown_times=100),
        Model("grain", "Grain", GrainModel.from_json),
    )

    def __init__(self, stores: Stores | None = None):
        super().__init__(stores)
        self._maps = Recent(_MOST_MAPS)
        self._last = Recent(_MOST_MAPS)  # the map of each tile that was last asked for: saves the fingerprint
        self._tiles = Recent(_MOST_MAPS)  # and what was put together of it and its neighbours', twice

    def needs(self, step: Step, rect: Rect) -> Rect:
        return rect.expand(halo(_model(step.layer).size_px)) if step.layer.settings.get("everywhere") else rect

    def touches(self, step: Step, rect: Rect) -> bool:
        return bool(step.layer.settings.get("everywhere")) or super().touches(step, rect)

    def fingerprint(self, around: Surroundings, step: Step, rect: Rect) -> bytes:
        own = super().fingerprint(around, step, rect)
        return hashlib.blake2b(own + self._method(step.layer), digest_size=16).digest()

    def add_base(
        self, out: EncodedRGB, around: Surroundings, layer: Layer, rect: Rect, level: int, strength: float
    ) -> None:
        """Add the grain that is missing in a rectangle, where the layer puts it back everywhere."""
        if not layer.settings.get("everywhere"):
            return
        model, whole = _model(layer), rect.from_level(level).intersect(around.bounds)
        amount, tiles = strength * layer.settings.get("amount", 1.0), tiles_of(whole)
        measured = all(self._known(around, model, tile) for tile in tiles)
        if not measured and np.array_equal(out, around.photo(rect, level)):
            return
        for column, row in tiles:
            area = tile_rect(column, row, around.bounds.x1, around.bounds.y1).intersect(whole)
            missing = self._missing(around, model, area)
            if missing is not None:
                add_grain(
                    out, rect, area, level, *missing, cell=CELL, bounds=around.bounds, size_px=model.size_px,
                    chroma_share=model.chroma_share, amount=amount, quick=around.draft,
                )

    def prepare(self, around: Surroundings, step: Step, rect: Rect, level: int) -> None:
        super().prepare(around, step, rect, level)
        layer = step.layer
        if layer.settings.get("everywhere"):
            for column, row in tiles_of(rect.from_level(level).intersect(around.bounds)):
                tile = tile_rect(column, row, around.bounds.x1, around.bounds.y1)
                self._missing(around, _model(layer), tile)

    def _missing(self, around: Surroundings, model: GrainModel, area: Rect) -> tuple | None:
        """(sigma to add in cells, those cells, touched pixels) of an area in one tile; None: nothing is missing."""
        column, row = area.x0 // TILE, area.y0 // TILE
        fits = self._known(around, model, (column, row))
        if not fits:
            fits = [self._tile(around, model, column, row)]
            earlier = (self._tiles.get((column, row)) or ())[:1]  # a draft goes by the one before
            self._tiles.put((column, row), ((model, around.beneath, fits[0]), *earlier))
        if fits[0] is None:
            return None
        sigma, cells, touched = fits[0]
        x0, y0 = column * TILE, row * TILE
        inside = np.unpackbits(touched[area.y0 - y0 : area.y1 - y0], axis=1)
        return sigma, cells, inside[:, area.x0 - x0 : area.x1 - x0]

    def _known(self, around: Surroundings, model: GrainModel, place: tuple[int, int]) -> list:
        """What was put together of a tile, in a list: empty if it was not, over this picture."""
        known = self._tiles.get(place) or ()
        return [tile for of, beneath, tile in known if of == model and same_beneath(beneath, around.beneath)]

    def _tile(self, around: Surroundings, model: GrainModel, column: int, row: int) -> tuple | None:
        """(sigma in the cells whose middles surround a tile, those cells, packed bits of its touched pixels)."""
        touched = self._map(around, model, column, row)[1]
        if touched is None:
            return None
        cells = cells_of(tile_rect(column, row, around.bounds.x1, around.bounds.y1))
        sigma = np.zeros((cells.height, cells.width), np.float32)
        for y in range(cells.y0 // _TILE_CELLS, (cells.y1 - 1) // _TILE_CELLS + 1):
            for x in range(cells.x0 // _TILE_CELLS, (cells.x1 - 1) // _TILE_CELLS + 1):
                place = Rect(*(v * _TILE_CELLS for v in (x, y, x + 1, y + 1)))
                common = place.intersect(cells)
                sigma[common.slices(cells)] = self._map(around, model, x, y)[0][common.slices(place)]
        return (sigma, cells, touched) if sigma.any() else None

    def _map(self, around: Surroundings, model: GrainModel, column: int, row: int):
        """(sigma missing in the cells of a tile, packed bits of its touched pixels or None), measured once."""
        cells = Rect(*(v * _TILE_CELLS for v in (column, row, column + 1, row + 1)))
        wide = needed(cells)
        inside = wide.intersect(around.bounds)
        tile = Rect(column * TILE, row * TILE, (column + 1) * TILE, (row + 1) * TILE).intersect(around.bounds)
        if inside.empty or tile.empty:
            return np.zeros((cells.height, cells.width), np.float32), None
        quick = self._last.get(cells)
        if quick is not None and quick[0] == model and same_beneath(quick[1], around.beneath):
            return quick[2]
        key = (cells, around.below_fingerprint(inside), model)
        held = self._maps.get(key)
        if held is not None:
            self._last.put(cells, (model, around.beneath, held))
            return held
        below, photo = around.below(inside, 0), around.photo(inside, 0)
        touched = touched_pixels(below, photo)
        own = touched[tile.slices(inside)]
        if not touched.any():
            made = (np.zeros((cells.height, cells.width), np.float32), None)
        else:
            pad = ((inside.y0 - wide.y0, wide.y1 - inside.y1), (inside.x0 - wide.x0, wide.x1 - inside.x1), (0, 0))
            if any(n for pair in pad for n in pair):
                below, photo = np.pad(below, pad, mode="edge"), np.pad(photo, pad, mode="edge")
                touched = np.pad(touched, pad[:2], mode="edge")
            made = (missing_cells(below, photo, touched, cells, model), np.packbits(own, axis=1) if own.any() else None)
        self._maps.put(key, made)
        self._last.put(cells, (model, around.beneath, made))
        return made

    # painted

    def reads_of(self, layer: Layer, stroke: Stroke, bounds: Rect) -> tuple[Rect, Rect]:
        if stroke.tool == "grain":
            return stroke.bounds.intersect(bounds), EMPTY
        return super().reads_of(layer, stroke, bounds)

    def solve_edit(self, layer: Layer, stroke: Stroke, *, read: Read, original: Read, bounds: Rect) -> Patch:
        if stroke.tool != "grain":
            return super().solve_edit(layer, stroke, read=read, original=original, bounds=bounds)
        area = stroke.bounds.intersect(bounds)
        if area.empty:
            return Patch([], bounds)
        return Patch.from_blocks(
            _painted(layer, lambda rect: stroke_coverage(stroke, rect), area, read, bounds), bounds
        )

    def solve_part(self, layer: Layer, stroke: Stroke, coverage_of, area: Rect, **how):
        if stroke.tool != "grain":
            return super().solve_part(layer, stroke, coverage_of, area, **how)
        only = how.get("only")
        inside = area.intersect(only) if only is not None else area
        return Solved(_painted(layer, coverage_of, inside, how["read"], how["bounds"]))


def _model(layer: Layer) -> GrainModel:
    return GrainModel.from_json(layer.settings.get("grain", {}))


def _painted(layer: Layer, coverage_of, area: Rect, read: Read, bounds: Rect) -> list[tuple[Rect, np.ndarray]]:
    """Grain of the layer's own amount where it is painted."""
    model, amount = _model(layer), np.float32(layer.settings.get("amount", 1.0))
    blocks = []
    for block in split_at_tiles(area):
        coverage = coverage_of(block)
        if coverage.any():
            sigma = model.sigma(read(block) @ _LUMINANCE).astype(np.float32)
            noise = grain_noise(block, size_px=model.size_px, chroma_share=model.chroma_share)
            blocks.append((block, (amount * coverage * sigma)[..., None] * noise))
    return blocks
