"""The contract of every layer kind, and of the engine around it."""

import threading
import time
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from lather.core.brush.values import Brush
from lather.core.engine import export as export_module
from lather.core.engine.engine import TileCache, whole_picture_tiles
from lather.core.engine.export import Output, output_size, render
from lather.core.engine.scheduler import Scheduler, TileRequest
from lather.core.errors import Cancelled
from lather.core.job.fence import Fence
from lather.core.job.grain_model import GrainModel
from lather.core.job.model import MEND_TOOLS, Layer, Stroke, freeze_points, new_id, new_job
from lather.core.job.source_map import SourceTurn
from lather.core.levels import halve
from lather.core.stages.grain.kind import grain_settings
from lather.core.stages.registry import STAGES, make_kinds
from lather.core.types import Rect, tile_rect
from tests.support.pictures import engine_of, skin_like

SIZE = (523, 611)  # odd on purpose: borders of tiles and levels


TURNED = SourceTurn(True, 25.0, 1.2, (200.0, 200.0))
FENCED = Fence((((30.0, 40.0), (500.0, 20.0), (560.0, 480.0), (60.0, 500.0)),), 8.0)


def mend_layer(seed: int = 0, count: int = 16) -> Layer:
    rng = np.random.default_rng(seed)
    edits = []
    for i in range(count):
        tool = MEND_TOOLS[i % len(MEND_TOOLS)]
        x, y = rng.uniform(-10, SIZE[1] + 10), rng.uniform(-10, SIZE[0] + 10)
        n = int(rng.integers(1, 9))
        points = np.column_stack([x + 14 * np.arange(n), y + 9 * np.arange(n), np.ones(n), 0.02 * np.arange(n)])
        if tool == "graft":
            points = np.array([[x, y, 1, 0], [x + 90, y + 10, 1, 0], [x + 80, y + 80, 1, 0], [x + 10, y + 70, 1, 0]])
        edits.append(Stroke(new_id(), tool, Brush(size_px=float(rng.uniform(8, 130)), edge=0.6, flow=0.5),
                            freeze_points(points), None if tool in ("give_back", "blend_in", "drag") else (37, -45),
                            turn=TURNED if i % 5 == 1 else None, fence=FENCED if i % 7 == 3 else None))
    edits.insert(3, _edit("copy", [(150, 240), (260, 280)], size=160, offset=(-37, 45), own_texture=True))
    return Layer(new_id(), f"Layer {seed}", strength=1.0 - 0.3 * (seed % 2), edits=tuple(edits))


def _edit(tool: str, points, *, size: float = 40, flow: float = 0.8, **more) -> Stroke:
    brush = Brush(size_px=size, edge=0.5, flow=flow)
    points = np.column_stack([np.array(points, float), np.ones(len(points)), 0.02 * np.arange(len(points))])
    return Stroke(new_id(), tool, brush, freeze_points(points), **more)


def strands_layer(seed: int) -> Layer:
    shift = 60 * seed
    edits = (
        _edit("strand", [(40 + shift + 9 * i, 60 + 7 * i + 0.2 * i * i) for i in range(40)], size=7),
        _edit("copy", [(250, 250 + shift), (300, 300)], size=60, offset=(50, -40), mode="darker"),
        _edit("strand", [(500 - 8 * i, 90 + 9 * i) for i in range(44)], size=5, fence=FENCED),
        _edit("give_back", [(120, 140), (180, 200)]),
    )
    return Layer(new_id(), f"Strands {seed}", "strands", edits=edits)


def split_layer(band: str, *, edge_keeping: bool) -> Layer:
    outline = [(120, 130), (420, 110), (450, 380), (200, 430)]
    line = [(90 + 20 * i, 260 + 6 * i) for i in range(20)]
    edits = {
        "tone": (_edit("area", outline, size=12, feather=30.0), _edit("mix", line, size=70, flow=0.3),
                 _edit("copy", line, size=50, offset=(30, 60))),
        "texture": (_edit("copy", line, size=90, offset=(-40, 80)), _edit("carry", line[:6], offset=(60, -90))),
        "blotch": (_edit("area", outline, size=40, feather=20.0, mode="flat"), _edit("give_back", line[:9], size=60)),
        "veil": (_edit("veil", line, size=120),),
    }[band]
    settings = {"band": band, "width_px": 4.0, "edge_keeping": edge_keeping}
    return Layer(new_id(), band, "split", edits=edits, settings=settings, fence=FENCED if edge_keeping else None)


def grain_layer(everywhere: bool) -> Layer:
    model = GrainModel(((0.2, 2.0), (0.9, 2.5)), 0.7, 0.3)
    edits = () if everywhere else (_edit("grain", [(100, 100), (400, 420)], size=160, flow=1.0),)
    return Layer(new_id(), "Grain", "grain", edits=edits, settings=grain_settings(model, everywhere=everywhere))


LAYERS = {  # each stage brings layers that overlap
    "mend": lambda: (mend_layer(0), mend_layer(1)),
    "strands": lambda: (strands_layer(0), strands_layer(1)),
    "split": lambda: (split_layer("tone", edge_keeping=True), split_layer("texture", edge_keeping=False),
                      split_layer("blotch", edge_keeping=False), split_layer("veil", edge_keeping=True)),
    "grain": lambda: (grain_layer(False), grain_layer(True)),
}


class ContractTest(unittest.TestCase):
    """Runs over all stages of the registry; a stage without an example here fails."""

    def setUp(self):
        self.engine = engine_of(skin_like(*SIZE))
        self.bounds = self.engine.photo.bounds

    def jobs(self):
        for info in STAGES:
            job = new_job(self.engine.photo.source)
            stage = replace(job.stage(info.id), layers=LAYERS[info.id]())
            yield info.id, job.with_stage(stage)

    def test_patches_that_were_kept_are_made_anew_when_the_tools_they_share_change(self):
        kinds = make_kinds()
        for kind in ("strands", "split"):
            self.assertIn(kinds["mend"].method, kinds[kind].method)
            self.assertNotEqual(kinds["mend"].method, kinds[kind].method)

    def test_tiles_in_any_order_equal_the_whole(self):
        for stage_id, job in self.jobs():
            whole = self.engine.pixels(job, self.bounds)
            tiles = whole_picture_tiles(self.bounds)
            np.random.default_rng(3).shuffle(tiles)
            for column, row in tiles:
                rect = tile_rect(column, row, self.bounds.x1, self.bounds.y1)
                tile = engine_of(skin_like(*SIZE)).tile(job, stage_id, 0, column, row)
                np.testing.assert_allclose(tile, whole[rect.slices(self.bounds)], atol=1e-6)

    def test_input_is_not_modified_and_rendering_repeats(self):
        before = self.engine.photo.picture.pixels.copy()
        for _, job in self.jobs():
            first = self.engine.pixels(job, self.bounds)
            np.testing.assert_array_equal(self.engine.pixels(job, self.bounds), first)
            np.testing.assert_array_equal(engine_of(skin_like(*SIZE)).pixels(job, self.bounds), first)
        np.testing.assert_array_equal(self.engine.photo.picture.pixels, before)

    def test_zero_strength_and_off_are_the_photo(self):
        photo = self.engine.photo.read(self.bounds)
        for stage_id, job in self.jobs():
            stage = job.stage(stage_id)
            self.assertGreater(np.abs(self.engine.pixels(job, self.bounds) - photo).max(), 0.01)
            for changed in (
                replace(stage, strength=0.0), replace(stage, on=False),
                replace(stage, layers=tuple(replace(x, strength=0.0) for x in stage.layers)),
                replace(stage, layers=tuple(replace(x, on=False) for x in stage.layers)),
            ):
                np.testing.assert_array_equal(self.engine.pixels(job.with_stage(changed), self.bounds), photo)

    def test_stage_strength_mixes_with_the_photo(self):
        photo = self.engine.photo.read(self.bounds)
        for stage_id, job in self.jobs():
            full = self.engine.pixels(job, self.bounds)
            half = self.engine.pixels(job.with_stage(replace(job.stage(stage_id), strength=0.5)), self.bounds)
            np.testing.assert_allclose(half, (full + photo) / 2, atol=1e-5)

    def test_levels_agree(self):
        for _, job in self.jobs():
            expected = self.engine.pixels(job, self.bounds)
            for level in (1, 2, 3):
                expected = halve(expected)
                got = self.engine.pixels(job, self.engine.photo.level_bounds(level), level)
                self.assertLess(np.abs(got - expected).max(), 2e-4)

    def test_a_local_edit_changes_only_the_keys_of_tiles_it_reaches(self):
        for stage_id, job in self.jobs():
            layer = job.stage(stage_id).layers[-1]
            extra = Stroke(new_id(), "copy", Brush(size_px=20), freeze_points([[100, 100, 1, 0]]), (40, 0))
            after = job.with_layer(stage_id, replace(layer, edits=(*layer.edits, extra)))
            changed = [
                (c, r) for c, r in whole_picture_tiles(self.bounds)
                if self.engine.tile_key(job, None, 0, c, r) != self.engine.tile_key(after, None, 0, c, r)
            ]
            self.assertEqual(changed, [(0, 0)])

    def test_an_earlier_edit_taken_out_updates_what_was_built_on_it(self):
        job = new_job(self.engine.photo.source)
        layer = job.stage("mend").layers[0]
        first = Stroke(new_id(), "copy", Brush(size_px=60), freeze_points([[100, 100, 1, 0]]), (200, 200))
        second = Stroke(new_id(), "copy", Brush(size_px=30), freeze_points([[300, 100, 1, 0]]), (-200, 0))
        both = job.with_layer("mend", replace(layer, edits=(first, second)))
        alone = job.with_layer("mend", replace(layer, edits=(second,)))
        rect = Rect(290, 90, 310, 110)
        self.assertGreater(np.abs(self.engine.pixels(both, rect) - self.engine.pixels(alone, rect)).max(), 0.01)
        np.testing.assert_array_equal(self.engine.pixels(alone, rect), engine_of(skin_like(*SIZE)).pixels(alone, rect))

    def test_a_long_chain_of_edits_on_one_spot(self):
        job = new_job(self.engine.photo.source)
        layer = job.stage("mend").layers[0]
        edits = tuple(
            Stroke(new_id(), "carry", Brush(size_px=16), freeze_points([[100, 100, 1, 0]]), (20, 0))
            for _ in range(1500)
        )
        job = job.with_layer("mend", replace(layer, edits=edits))
        self.assertTrue(np.isfinite(self.engine.pixels(job, Rect(80, 80, 120, 120))).all())


class CacheAndSchedulerTest(unittest.TestCase):
    def test_the_cache_keeps_its_limit_and_drops_the_oldest(self):
        cache = TileCache(3 * 400)
        for key in range(4):
            cache.put(key, np.zeros(100, np.float32))
            cache.get(0)
        self.assertIsNone(cache.get(1))
        self.assertIsNotNone(cache.get(0))
        self.assertLessEqual(cache.used_bytes, 1200)
        cache.shrink(800)
        self.assertEqual((len(cache), cache.used_bytes), (2, 800))
        self.assertIsNotNone(cache.get(0))
        cache.put(5, np.zeros(100, np.float32))
        self.assertEqual(cache.used_bytes, 1200)

    def test_a_newer_request_drops_what_was_not_begun(self):
        engine = engine_of(skin_like(600, 600))
        job, started, gate = new_job(engine.photo.source), [], threading.Event()
        original = engine.tile

        def slow(*args):
            started.append(args[3:])
            gate.wait(5)
            return original(*args)

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
        above = {"mend": (mend_layer(0),), "split": (split_layer("veil", edge_keeping=True),)}
        for stage_id, layers in above.items():
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
        scheduler.request(TileRequest(self.weaker, None, 0, ((0, 0), (1, 0)), self.job, ((0, 0), (1, 0))))
        end = time.monotonic() + 20
        while not scheduler.idle() and time.monotonic() < end:
            time.sleep(0.005)
        self.assertEqual([(r.column, r.draft) for r in delivered], [(0, True), (1, True), (0, False), (1, False)])
        self.assertEqual(delivered[0].key, delivered[2].key)


class ExportTest(unittest.TestCase):
    def setUp(self):
        self.engine = engine_of(skin_like(*SIZE))
        self.job = new_job(self.engine.photo.source)
        self.job = self.job.with_layer("mend", replace(mend_layer(4), id=self.job.stage("mend").layers[0].id))

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
        stores = {id(kind.patches) for kind in self.engine.kinds.values() if hasattr(kind, "patches")}
        self.assertEqual(len(stores), 1)

    def test_untouched_8_bit_photos_leave_as_they_came(self):
        pixels = skin_like(*SIZE, dtype=np.uint8)
        engine = engine_of(pixels)
        codes, _ = render(engine, new_job(engine.photo.source), Output())
        np.testing.assert_array_equal(codes, pixels)

    def test_dither_keeps_the_mean_between_two_codes(self):
        from lather.core.engine.export import to_codes

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
