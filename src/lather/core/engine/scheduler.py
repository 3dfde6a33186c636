"""Tiles made in the background: nearest to the pointer first, out-of-date work dropped before it starts.

What a tile is known by is worked out here too, not in the window's thread: with thousands of edits above a slider that
takes as long as many frames.
"""

import logging
import os
import threading
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

from lather.core import log
from lather.core.engine.engine import BEFORE, Engine
from lather.core.job.model import Job
from lather.core.phrases import phrase

_log = logging.getLogger(__name__)


@dataclass(frozen=True)
class TileRequest:
    """What a view wants: `tiles` as (column, row) in the order they matter. `stage_id` None = all stages.

    settled: the job that was last on screen finished; where a draft over what is known of it is sooner there than the
    tile, all drafts come first. first: before what other channels wait for.
    """

    job: Job
    stage_id: str | None
    level: int
    tiles: tuple[tuple[int, int], ...]
    settled: Job | None = None
    first: bool = False


@dataclass(frozen=True)
class TileResponse:
    """A tile: `key` is what it is known by, `pixels` read-only float32 (h, w, 3), None if the view has them already."""

    request: TileRequest
    column: int
    row: int
    key: tuple
    pixels: object
    draft: bool = False


class _Queue:
    """What is left to do of one request."""

    def __init__(self, request: TileRequest, engine: Engine):
        self.request, self._engine = request, engine
        self.waiting: list[tuple[int, int, tuple | None]] = [(*tile, None) for tile in request.tiles]

    @cached_property
    def drafting(self) -> bool:
        request = self.request
        if request.settled is None or request.settled is request.job or request.stage_id in BEFORE:
            return False
        return self._engine.drafts(request.job, request.settled, request.stage_id)


class Scheduler:
    """A few worker threads serving the newest request of each channel ("view", "before", …).

    `deliver(response)` is called in a worker thread; tiles whose key `have(key)` holds true for come without pixels. A
    new request on a channel takes the place of the old one: tiles of the old one that were not begun are never made.
    `fail(sentence)` hears of a broken tile.
    """

    def __init__(
        self, engine: Engine, deliver: Callable[[TileResponse], None], fail: Callable[[str], None],
        *, have: Callable[[tuple], bool] = lambda key: False, workers: int | None = None,
    ):
        self._engine, self._deliver, self._fail, self._have = engine, deliver, fail, have
        self._queues: dict[str, _Queue] = {}
        self._condition = threading.Condition()
        self._stopped = False
        self._busy = 0
        count = workers or max(1, (os.cpu_count() or 2))
        self._threads = [threading.Thread(target=self._work, name=f"tiles-{i}", daemon=True) for i in range(count)]
        for thread in self._threads:
            thread.start()

    def request(self, request: TileRequest, channel: str = "view") -> None:
        """Ask for tiles; they take the place of what this channel still waited for."""
        with self._condition:
            self._queues[channel] = _Queue(request, self._engine)
            self._condition.notify_all()

    def cancel(self, channel: str | None = None) -> None:
        """Give up what was not begun, of one channel or of all."""
        with self._condition:
            if channel is None:
                self._queues.clear()
            else:
                self._queues.pop(channel, None)

    def idle(self) -> bool:
        """True if nothing is being made and nothing waits."""
        with self._condition:
            return not self._busy and not any(queue.waiting for queue in self._queues.values())

    def stop(self) -> list[threading.Thread]:
        """End the threads, without waiting: what they are at is not delivered any more. Returns them."""
        with self._condition:
            self._stopped = True
            self._queues.clear()
            self._condition.notify_all()
        return self._threads

    def _next(self) -> tuple[_Queue, tuple[int, int, tuple | None]] | None:
        waiting = [queue for queue in self._queues.values() if queue.waiting]
        if not waiting:
            return None
        queue = next((one for one in waiting if one.request.first), waiting[0])
        return queue, queue.waiting.pop(0)

    def _hand_out(self, response: TileResponse) -> None:
        if not self._stopped:
            self._deliver(response)

    def _work(self) -> None:
        while True:
            with self._condition:
                found = self._next()
                while found is None and not self._stopped:
                    self._condition.wait()
                    found = self._next()
                if found is None or self._stopped:
                    return
                self._busy += 1
            try:
                self._make(*found)
            except Exception as error:  # told; the worker goes on
                if self._stopped:
                    return
                self._fail(log.unexpected(_log, error, phrase("Part of the picture could not be computed (%1); the "
                                                              "job is unchanged.", error)))
            finally:
                with self._condition:
                    self._busy -= 1

    def _make(self, queue: _Queue, tile: tuple[int, int, tuple | None]) -> None:
        """One tile; or its draft, and it waits once more with its key."""
        request, (column, row, known) = queue.request, tile
        place = (request.stage_id, request.level, column, row)
        drafted = known is not None
        key = known or self._engine.tile_key(request.job, *place)
        if self._have(key):
            self._hand_out(TileResponse(request, column, row, key, None))
        elif request.settled is not None and queue.drafting and not drafted:
            pixels = self._engine.draft(request.job, request.settled, *place)
            self._hand_out(TileResponse(request, column, row, key, pixels, True))
            with self._condition:
                queue.waiting.append((column, row, key))
                self._condition.notify_all()
        else:
            self._hand_out(TileResponse(request, column, row, key, self._engine.tile(request.job, *place, key=key)))
