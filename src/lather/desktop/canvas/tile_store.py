"""Tiles as the canvas shows them: finished ones by key, stand-ins while others are made."""

from collections import OrderedDict
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from lather.core.engine.engine import Engine
from lather.core.engine.scheduler import Scheduler, TileRequest, TileResponse
from lather.core.job.model import Job
from lather.core.types import TILE, Rect, tile_rect
from lather.desktop.canvas.display import DisplayConverter, TileImage

_LIMIT, _DRAFTS = 1200, 120  # tiles of 256 KiB


@dataclass(frozen=True)
class Showing:
    """What is wanted on screen: the job up to a stage (`"photo"` for before), a level, and the tiles in order."""

    job: Job
    stage_id: str | None
    level: int
    tiles: tuple[tuple[int, int], ...]


class TileStore(QObject):
    """Keeps display tiles. `arrived(level, column, row)` in the window's thread when one is ready."""

    arrived = pyqtSignal(int, int, int)
    failed = pyqtSignal(str)
    _delivered = pyqtSignal(object, object)

    def __init__(self, engine: Engine, converter: DisplayConverter, parent=None):
        super().__init__(parent)
        self.engine, self._converter = engine, converter
        self._tiles: OrderedDict[tuple, TileImage] = OrderedDict()
        self._last: dict[tuple[bool, int, int, int], tuple] = {}
        self._live: dict[tuple[int, int, int], TileImage] = {}
        self._wanted: dict[str, frozenset] = {}
        self._settled: Job | None = None  # the last job that was on screen finished
        self._drafts: OrderedDict[tuple, TileImage] = OrderedDict()
        self._view: tuple[Job | None, dict[tuple[int, int, int], tuple]] = (None, {})  # what is wanted, by place
        self._delivered.connect(self._take)
        self._scheduler = Scheduler(engine, self._convert, lambda error: self.failed.emit(str(error)))

    def close(self) -> None:
        self._scheduler.stop()

    def busy(self) -> bool:
        return not self._scheduler.idle()

    def _convert(self, response: TileResponse) -> None:  # in a worker
        self._delivered.emit(response, self._converter.bgrx(response.pixels))

    def _take(self, response: TileResponse, bgrx: np.ndarray) -> None:
        place = (response.request.level, response.column, response.row)
        before = response.request.stage_id == "photo"
        if response.draft:
            if response.key not in self._tiles:
                self._drafts[response.key] = TileImage(bgrx)
                while len(self._drafts) > _DRAFTS:
                    self._drafts.popitem(last=False)
                self.arrived.emit(*place)
            return
        self._tiles[response.key] = TileImage(bgrx)
        self._last[(before, *place)] = response.key
        while len(self._tiles) > _LIMIT:
            self._tiles.popitem(last=False)
        channel = "before" if before else "view"
        if not before and response.key in self._wanted.get(channel, ()):
            self._live.pop(place, None)
        self._settle()
        self.arrived.emit(*place)

    def _settle(self) -> None:
        job, keys = self._view
        if job is not None and all(key in self._tiles for key in keys.values()):
            self._settled = job
            self._drafts.clear()

    def show(self, showing: Showing, channel: str = "view") -> list[tuple[int, int]]:
        """Ask for what is missing; returns the tiles that are not ready yet, in order."""
        missing, wanted, drafts = [], [], []
        before = showing.stage_id == "photo"
        drafting = channel == "view" and self._drafting(showing)
        for column, row in showing.tiles:
            key = self.engine.tile_key(showing.job, showing.stage_id, showing.level, column, row)
            wanted.append(key)
            if key in self._tiles:
                self._tiles.move_to_end(key)
                self._last[(before, showing.level, column, row)] = key
                if not before:
                    self._live.pop((showing.level, column, row), None)
            else:
                missing.append((column, row))
                if drafting and key not in self._drafts and (showing.level, column, row) not in self._live:
                    drafts.append((column, row))
        self._wanted[channel] = frozenset(wanted)
        if channel == "view":
            places = ((showing.level, *tile) for tile in showing.tiles)
            self._view = (None if before else showing.job, dict(zip(places, wanted)))
            self._settle()
        request = TileRequest(
            showing.job, showing.stage_id, showing.level, tuple(missing), self._settled, tuple(drafts)
        )
        self._scheduler.request(request, channel)
        return missing

    def _drafting(self, showing: Showing) -> bool:
        if self._settled is None or showing.stage_id == "photo" or self._settled is showing.job:
            return False
        return self.engine.drafts(showing.job, self._settled, showing.stage_id)

    def image(self, level: int, column: int, row: int, *, before: bool = False) -> TileImage | None:
        """The tile to draw now: a stroke in progress, the finished one, or the last one of this place."""
        if not before and (level, column, row) in self._live:
            return self._live[(level, column, row)]
        wanted = None if before else self._view[1].get((level, column, row))
        if wanted in self._drafts and wanted not in self._tiles:
            return self._drafts[wanted]
        key = self._last.get((before, level, column, row))
        tile = self._tiles.get(key) if key else None
        if tile is None and not before:
            key = self._last.get((True, level, column, row))
            tile = self._tiles.get(key) if key else None
        return tile

    def blit_live(self, rect: Rect, level: int, bgrx: np.ndarray) -> None:
        """Lay finished pixels of a stroke in progress over the tiles they reach."""
        bounds = self.engine.photo.level_bounds(level)
        for row in range(rect.y0 // TILE, (rect.y1 - 1) // TILE + 1):
            for column in range(rect.x0 // TILE, (rect.x1 - 1) // TILE + 1):
                place = (level, column, row)
                tile = self._live.get(place)
                if tile is None:
                    base = self.image(level, column, row)
                    if base is None:
                        continue
                    tile = self._live[place] = base.copy()
                area = tile_rect(column, row, bounds.x1, bounds.y1)
                part = rect.intersect(area)
                tile.pixels[part.slices(area)] = bgrx[part.slices(rect)]

    def drop_live(self) -> None:
        """Forget a stroke that was given up."""
        self._live.clear()
