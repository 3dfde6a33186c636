"""The engine around the layer kinds: cache, scheduler, drafts, export. The kinds' own contract: test_contract.py."""

import threading
import time
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from lather.core.deliver import export as export_module
from lather.core.deliver.export import Output, output_size, render
from lather.core.engine.engine import TileCache
from lather.core.engine.scheduler import Scheduler, TileRequest
from lather.core.errors import Cancelled
from lather.core.job.model import new_job
from lather.core.stages.example import HEIGHT, WIDTH
from lather.core.stages.mend.stage import STAGE as MEND
from lather.core.stages.patches.kind import PatchKind
from lather.core.stages.split.stage import STAGE as SPLIT
from tests.support.pictures import engine_of, skin_like

SIZE = (HEIGHT, WIDTH)


class CacheAndSchedulerTest(unittest.TestCase):
    def test_the_cache_keeps_its_limit_and_drops_the_oldest(self):
        cache = TileCache(3 * 400)
        for key in range(4):
            cache.put(key, np.zeros(100, np.float32))
            cache.get(0)
        self.assertIsNone(cache.get(1))
        self.assertIsNotNone(cache.get(0))
        self.assertLessEqual(cache.used, 1200)
        cache.shrink(800)
        self.assertEqual((len(cache), cache.used), (2, 800))
        self.assertIsNotNone(cache.get(0))
        cache.put(5, np.zeros(100, np.float32))
        self.assertEqual(cache.used, 1200)

    def test_a_newer_request_drops_what_was_not_begun(self):
        engine = engine_of(skin_like(600, 600))
        job, started, gate = new_job(engine.photo.source), [], threading.Event()
        original = engine.tile

        def slow(*args, **more):
            started.append(args[3:])
            gate.wait(5)
            return original(*args, **more)

        engine.tile = slow
        delivered = []
        scheduler = Scheduler(engine, delivered.append, lambda error: self.fail(error), workers=1)
        self.addCleanup(scheduler.stop)
        scheduler.request(TileRequest(job, None, 0, tuple((c, r) for r in range(3) for c in range(3))))
        while not started:
            time.sleep(0.001)
        scheduler.request(TileRequest(job, None, 0, ((2, 2),)))
        gate.set()
        end = time.monotonic() + 5
        while not scheduler.idle() and time.monotonic() < end:
            time.sleep(0.002)
        self.assertEqual(started, [(0, 0), (2, 2)])
        self.assertEqual([(r.column, r.row) for r in delivered], [(0, 0), (2, 2)])


class DraftTest(unittest.TestCase):
    def setUp(self):
        self.engine = engine_of(skin_like(*SIZE))
        self.job = new_job(self.engine.photo.source)
        for stage_id, layers in (("mend", MEND.example()[:1]), ("split", SPLIT.example()[3:])):
            self.job = self.job.with_stage(replace(self.job.stage(stage_id), layers=layers))
        self.lowest = self.job.stage("mend").layers[0]
        self.weaker = self.job.with_layer("mend", replace(self.lowest, strength=0.3))

    def test_a_draft_shows_the_change_and_solves_nothing_above_it(self):
        place = (None, 2, 0, 0)
        settled = self.engine.tile(self.job, *place)
        self.assertTrue(self.engine.drafts(self.weaker, self.job, None))
        solved = self.engine.kinds["split"].patches.solved
        draft = self.engine.draft(self.weaker, self.job, *place)
        self.assertEqual(self.engine.kinds["split"].patches.solved, solved)
        final = self.engine.tile(self.weaker, *place)
        self.assertGreater(self.engine.kinds["split"].patches.solved, solved)
        self.assertGreater(np.abs(settled - final).max(), 0.02)
        self.assertLess(np.abs(draft - final).mean(), 0.3 * np.abs(settled - final).mean())
        np.testing.assert_array_equal(self.engine.tile(self.job, *place), settled)

    def test_a_layer_switched_off_gives_a_draft_too(self):
        off = self.job.with_layer("mend", replace(self.lowest, on=False))
        self.assertTrue(self.engine.drafts(off, self.job, None))
        draft, final = self.engine.draft(off, self.job, None, 2, 0, 0), self.engine.tile(off, None, 2, 0, 0)
        settled = self.engine.tile(self.job, None, 2, 0, 0)
        self.assertLess(np.abs(draft - final).mean(), 0.3 * np.abs(settled - final).mean())

    def test_no_draft_where_the_tile_itself_is_as_quick(self):
        self.assertFalse(self.engine.drafts(self.job, self.job, None))
        top = self.job.stage("split").layers[-1]
        self.assertFalse(self.engine.drafts(self.job.with_layer("split", replace(top, strength=0.2)), self.job, None))

    def test_drafts_are_delivered_before_tiles(self):
        delivered = []
        scheduler = Scheduler(self.engine, delivered.append, lambda error: self.fail(error), workers=1)
        self.addCleanup(scheduler.stop)
        scheduler.request(TileRequest(self.weaker, None, 0, ((0, 0), (1, 0)), self.job))
        end = time.monotonic() + 20
        while not scheduler.idle() and time.monotonic() < end:
            time.sleep(0.005)
        self.assertEqual([(r.column, r.draft) for r in delivered], [(0, True), (1, True), (0, False), (1, False)])
        self.assertEqual(delivered[0].key, delivered[2].key)


class ExportTest(unittest.TestCase):
    def setUp(self):
        self.engine = engine_of(skin_like(*SIZE))
        self.job = new_job(self.engine.photo.source)
        self.job = self.job.with_layer("mend", replace(MEND.example()[0], id=self.job.stage("mend").layers[0].id))

    def test_strips_equal_the_whole(self):
        codes, _ = render(self.engine, self.job, Output(bits=16))
        whole = self.engine.pixels(self.job, self.engine.photo.bounds)
        np.testing.assert_array_equal(codes, np.round(np.clip(whole, 0, 1) * 65535).astype(np.uint16))

    def test_it_makes_room_first_and_tiles_that_were_let_go_come_back(self):
        tiles = [self.engine.tile(self.job, None, 0, *place) for place in ((0, 0), (1, 0), (0, 1))]
        with mock.patch.object(export_module, "_TILES_KEPT_BYTES", tiles[-1].nbytes):
            render(self.engine, self.job, Output())
        self.assertEqual(len(self.engine.cache), 1)
        np.testing.assert_array_equal(self.engine.tile(self.job, None, 0, 0, 0), tiles[0])

    def test_stages_share_one_store_of_patches_with_one_limit(self):
        stores = {id(kind.patches) for kind in self.engine.kinds.values() if isinstance(kind, PatchKind)}
        self.assertEqual(len(stores), 1)

    def test_untouched_8_bit_photos_leave_as_they_came(self):
        pixels = skin_like(*SIZE, dtype=np.uint8)
        engine = engine_of(pixels)
        codes, _ = render(engine, new_job(engine.photo.source), Output())
        np.testing.assert_array_equal(codes, pixels)

    def test_dither_keeps_the_mean_between_two_codes(self):
        from lather.core.deliver.export import to_codes

        flat = np.full((200, 200, 3), 100.3 / 255, np.float32)
        codes = to_codes(flat, 8)
        self.assertEqual(set(np.unique(codes)), {100, 101})
        self.assertAlmostEqual(codes.mean(), 100.3, delta=0.02)

    def test_size_cancel_and_progress(self):
        self.assertEqual(output_size(6000, 4000, 2000), (2000, 1333))
        self.assertEqual(output_size(600, 400, 2000), (600, 400))
        codes, _ = render(self.engine, self.job, Output(long_edge_px=200))
        self.assertEqual(max(codes.shape), 200)
        shares = []
        render(self.engine, self.job, Output(), lambda share: shares.append(share) or True)
        self.assertEqual(shares, sorted(shares))
        with self.assertRaises(Cancelled):
            render(self.engine, self.job, Output(), lambda share: False)
