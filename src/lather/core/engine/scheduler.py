"""Tiles made in the background: nearest to the pointer first, out-of-date work dropped before it starts."""

import os
import threading
from collections.abc import Callable
from dataclasses import dataclass

from lather.core.engine.engine import Engine
from lather.core.job.model import Job


@dataclass(frozen=True)
class TileRequest:
    """What a view wants: `tiles` as (column, row) in the order they matter. `stage_id` None = all stages.

    drafts: tiles of which a draft comes first, made over what is known of the job `settled`.
    """

    job: Job
    stage_id: str | None
    level: int
    tiles: tuple[tuple[int, int], ...]
    settled: Job | None = None
    drafts: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True)
class TileResponse:
    """One finished tile, or its draft: `key` is what it is known by, `pixels` read-only float32 (h, w, 3)."""

    request: TileRequest
    column: int
    row: int
    key: tuple
    pixels: object
    draft: bool = False


class Scheduler:
    """A few worker threads serving the newest request of each channel ("view", "before", …).

    `deliver(response)` is called in a worker thread. A new request on a channel takes the place of the old
    one: tiles of the old one that were not begun are never made. `fail(error)` hears of a broken tile.
    """

    def __init__(
        self, engine: Engine, deliver: Callable[[TileResponse], None], fail: Callable[[Exception], None],
        *, workers: int | None = None,
    ):
        self._engine, self._deliver, self._fail = engine, deliver, fail
        self._queues: dict[str, tuple[TileRequest, list]] = {}
        self._condition = threading.Condition()
        self._stopped = False
        self._busy = 0
        count = workers or max(1, (os.cpu_count() or 2))
        self._threads = [threading.Thread(target=self._work, name=f"tiles-{i}", daemon=True) for i in range(count)]
        for thread in self._threads:
            thread.start()

    def request(self, request: TileRequest, channel: str = "view") -> None:
        with self._condition:
            waiting = [(*tile, True) for tile in request.drafts] + [(*tile, False) for tile in request.tiles]
            self._queues[channel] = (request, waiting)
            self._condition.notify_all()

    def cancel(self, channel: str | None = None) -> None:
        with self._condition:
            if channel is None:
                self._queues.clear()
            else:
                self._queues.pop(channel, None)

    def idle(self) -> bool:
        with self._condition:
            return not self._queues and not self._busy

    def stop(self) -> None:
        with self._condition:
            self._stopped = True
            self._queues.clear()
            self._condition.notify_all()
        for thread in self._threads:
            thread.join(timeout=10)

    def _next(self) -> tuple[TileRequest, tuple[int, int, bool]] | None:
        for channel, (request, waiting) in list(self._queues.items()):
            if waiting:
                return request, waiting.pop(0)
            del self._queues[channel]
        return None

    def _work(self) -> None:
        while True:
            with self._condition:
                found = self._next()
                while found is None and not self._stopped:
                    self._condition.wait()
                    found = self._next()
                if self._stopped:
                    return
                self._busy += 1
            try:
                request, (column, row, draft) = found
                place = (request.stage_id, request.level, column, row)
                if draft:
                    pixels = self._engine.draft(request.job, request.settled, *place)
                else:
                    pixels = self._engine.tile(request.job, *place)
                key = self._engine.tile_key(request.job, *place)
                self._deliver(TileResponse(request, column, row, key, pixels, draft))
            except Exception as error:  # reported once; the worker goes on
                self._fail(error)
            finally:
                with self._condition:
                    self._busy -= 1
