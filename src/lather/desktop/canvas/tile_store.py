"""Tiles as the canvas shows them: finished ones by key, stand-ins while others are made."""

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from lather.core.engine.engine import BEFORE, Engine
from lather.core.engine.scheduler import Scheduler, TileRequest, TileResponse
from lather.core.job.model import Job
from lather.core.recent import Recent
from lather.core.types import TILE, Rect, tile_rect
from lather.desktop.background import outlive
from lather.desktop.canvas.display import DisplayConverter, TileImage

_DRAFTS, _PLACES = 120, 8192

Place = tuple[int, int, int]
"""Level, column, row."""


@dataclass(frozen=True)
class Showing:
    """What is wanted on screen: the job up to a stage (`"photo"` for before), a level, and the tiles in order."""

    job: Job
    stage_id: str | None
    level: int
    tiles: tuple[tuple[int, int], ...]


class TileStore(QObject):
    """Keeps display tiles. `arrived(level, column, row)` in the window's thread when one is ready; `settled()` when all
    that is in view stands there finished.

    Which tile is up to date is found out by the workers: until they say so, the last one of its place is drawn.
    """

    arrived = pyqtSignal(int, int, int)
    settled = pyqtSignal()
    failed = pyqtSignal(object)
    _delivered = pyqtSignal(object, object)

    def __init__(self, engine: Engine, converter: DisplayConverter, parent=None):
        super().__init__(parent)
        self.engine, self._converter = engine, converter
        self._tiles = Recent(engine.budget.share("display"), lambda tile: tile.pixels.nbytes)
        self._drafts = Recent(_DRAFTS)
        self._last = Recent(_PLACES)  # key of the tile last finished, by (before, *place)
        self._live: dict[Place, TileImage] = {}
        self._wanted: list[Place] = []  # all of the view
        self._keys: dict[Place, tuple] = {}  # of the job in view, as far as they are known
        self._photo_keys: dict[Place, tuple] = {}
        self._before: tuple = ("", None)  # what stands for before: its id, and the job where that matters
        self._settled: Job | None = None  # the last job that was on screen finished
        self._job: Job | None = None  # in view, whose keys are kept
        self._stage_id: str | None = None
        self._delivered.connect(self._take)
        self._scheduler = Scheduler(
            engine, self._convert, self.failed.emit, have=self._tiles.__contains__
        )

    def close(self) -> None:
        outlive(self, self._scheduler.stop())

    def busy(self) -> bool:
        return not self._scheduler.idle()

    def show(self, showing: Showing, channel: str = "view") -> None:
        """Ask for what is to be seen; what was asked for before on this channel is given up."""
        before = showing.stage_id in BEFORE
        if before:
            job = showing.job if showing.stage_id == "moved" else None
            if self._before[0] != showing.stage_id or self._before[1] is not job:
                self._before, self._photo_keys = (showing.stage_id, job), {}
        if not before:
            if showing.job is not self._job or showing.stage_id != self._stage_id:
                self._keys, self._job, self._stage_id = {}, showing.job, showing.stage_id
            self._wanted = [(showing.level, *tile) for tile in showing.tiles]
        keys = self._photo_keys if before else self._keys
        missing = tuple(tile for tile in showing.tiles if keys.get((showing.level, *tile)) not in self._tiles)
        # where nothing stands yet the photo comes first: it costs little, and the retouch may take long
        first = before and any(self.image(showing.level, *tile) is None for tile in missing)
        request = TileRequest(showing.job, showing.stage_id, showing.level, missing, self._settled, first)
        self._scheduler.request(request, channel)

    def _convert(self, response: TileResponse) -> None:  # in a worker
        pixels = response.pixels
        self._delivered.emit(response, None if pixels is None else self._converter.bgrx(pixels))

    def _take(self, response: TileResponse, bgrx: np.ndarray | None) -> None:
        place = (response.request.level, response.column, response.row)
        before = response.request.stage_id in BEFORE
        if before and response.request.stage_id != self._before[0]:
            return  # the other of the two is looked at by now
        current = response.request.job is self._job and response.request.stage_id == self._stage_id
        if before:
            self._photo_keys[place] = response.key
        elif current:
            self._keys[place] = response.key
        if response.draft:
            if response.key not in self._tiles:
                self._drafts.put(response.key, TileImage(bgrx))
                self.arrived.emit(*place)
            return
        if bgrx is not None:
            self._tiles.put(response.key, TileImage(bgrx))
        elif self._tiles.get(response.key) is None:  # it was let go on the way here
            return
        if not before and not current and place in self._keys:
            return  # a tile of an earlier job, finished late: the one of this job is there already
        shown = self._last.get((before, *place))
        self._last.put((before, *place), response.key)
        was_live = current and self._live.pop(place, None) is not None
        self._settle()
        if shown != response.key or was_live or bgrx is not None:
            self.arrived.emit(*place)

    def _settle(self) -> None:
        """Note the job once all of it that is in view stands there finished."""
        if self._wanted and all(self._keys.get(place) in self._tiles for place in self._wanted):
            self._settled = self._job
            self._drafts.clear()
            self.settled.emit()

    def key_at(self, level: int, column: int, row: int) -> tuple | None:
        """Key of the tile that is drawn there, if it is known to be up to date."""
        key = self._keys.get((level, column, row))
        return key if key is not None and key in self._tiles else None

    def image(self, level: int, column: int, row: int, *, before: bool = False) -> TileImage | None:
        """The tile to draw now: a stroke in progress, the finished one, or the last one of this place."""
        place = (level, column, row)
        if not before and place in self._live:
            return self._live[place]
        wanted = None if before else self._keys.get(place)
        if wanted is not None and wanted not in self._tiles and wanted in self._drafts:
            return self._drafts.get(wanted)
        for of_photo in (before,) if before else (False, True):
            key = self._last.get((of_photo, *place))
            tile = self._tiles.get(key) if key else None
            if tile is not None:
                return tile
        return None

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
