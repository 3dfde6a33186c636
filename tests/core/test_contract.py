"""The contract of every layer kind: it runs over all stages of the registry, and over toy ones that only tests have."""

import functools
import inspect
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

from lather.core.colour.profiles import srgb_profile
from lather.core.engine.engine import Engine, whole_picture_tiles
from lather.core.engine.live import LiveStroke
from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.imageio.write import write_picture
from lather.core.job.commands import AddLayer
from lather.core.job.history import History
from lather.core.job.model import Job, Layer, Stroke, freeze_points, new_id, new_job
from lather.core.levels import halve
from lather.core.session import Session
from lather.core.stages.example import HEIGHT, WIDTH, edit
from lather.core.stages.info import StageInfo
from lather.core.stages.light.kind import LightKind
from lather.core.stages.patches.kind import PatchKind
from lather.core.stages.registry import STAGES, make_kinds
from lather.core.tools.registry import TOOLS
from lather.core.types import Rect, tile_rect
from tests.support.pictures import engine_of, session_of, skin_like
from tests.support.toys import ADJUSTING, MAPPING, MOVING, with_toys

SIZE = (HEIGHT, WIDTH)  # odd on purpose: borders of tiles and levels
DATA = Path(__file__).parents[1] / "data"
_LEAST_CHANGE = 0.002


@functools.cache
def _skin() -> np.ndarray:
    pixels = skin_like(*SIZE).astype(np.float64)
    ys, xs = np.mgrid[: SIZE[0], : SIZE[1]]
    glare = 0.55 * np.exp(-((xs - 330) ** 2 + (ys - 205) ** 2) / (2 * 9.0**2))[..., None]
    return np.round(pixels + glare * (62000 - pixels)).astype(np.uint16)


def skin() -> np.ndarray:
    """Skin with a highlight on it, so that what takes shine down has something to do."""
    return _skin().copy()


@functools.cache
def _engine() -> Engine:
    """Of the real stages: not to be asked for while toys are in their places."""
    return engine_of(skin())


@functools.cache
def _job(info: StageInfo) -> Job:
    """A job with a stage's example on the picture of `skin`."""
    job = new_job(Photo(Picture(skin()), b"", "photo").source)
    return job.with_stage(replace(job.stage(info.id), layers=info.example()))


def only(info: StageInfo, kind: str) -> Job:
    """A job with the layers of one kind of a stage's example."""
    stage = _job(info).stage(info.id)
    return _job(info).with_stage(replace(stage, layers=tuple(one for one in stage.layers if one.kind == kind)))


def kinds_that_do_nothing(info: StageInfo, engine: Engine) -> list[str]:
    """Kinds of a stage whose example is missing, or leaves the photo as it is when it stands alone."""
    photo, idle = engine.photo.read(engine.photo.bounds), []
    for kind in info.kinds:
        changed = np.abs(engine.pixels(only(info, kind), engine.photo.bounds) - photo).max()
        if changed < _LEAST_CHANGE:
            idle.append(kind)
    return idle


class ContractTest(unittest.TestCase):
    """A stage without an example in its folder fails."""

    def setUp(self):
        self.stages = [*STAGES]
        self.engine = _engine()  # what one test has had solved, the next looks up
        self.bounds = self.engine.photo.bounds

    def jobs(self):
        for info in self.stages:
            yield info, _job(info)

    def test_every_stage_gives_an_example_with_each_of_its_tools(self):
        for info in self.stages:
            layers = info.example()
            self.assertGreater(len(layers), 0, info.id)
            used = {stroke.tool for layer in layers for stroke in layer.edits}
            offered = {tool for layer in layers for tool in info.tools_for(layer) if TOOLS[tool].lays}
            self.assertLessEqual(used, set(TOOLS))
            self.assertEqual(offered - used, set(), info.id)

    def test_every_kind_of_every_stage_has_an_example_that_acts(self):
        for info in self.stages:
            self.assertEqual(kinds_that_do_nothing(info, self.engine), [], info.id)

    def test_every_kind_alone_keeps_the_contract_on_a_part_of_the_picture(self):
        """Beneath others a mistake may be covered: each kind by itself, tiles and levels against the whole."""
        part = Rect(60, 60, 316, 316)
        for info, kind, job in self.kinds():
            whole = self.engine.pixels(job, part)
            for rect in (Rect(60, 60, 190, 316), Rect(190, 60, 316, 316)):
                np.testing.assert_allclose(engine_of(skin()).pixels(job, rect), whole[rect.slices(part)], atol=1e-6,
                                           err_msg=kind)
            reduced = self.engine.pixels(job, part.at_level(1), 1)
            self.assertLess(np.abs(reduced - halve(whole)).max(), info.kinds[kind].levels_within, kind)

    def kinds(self):
        """(stage, kind, a job with its layers of that kind alone)."""
        for info in self.stages:
            for kind in info.kinds:
                yield info, kind, only(info, kind)

    def test_patches_that_were_kept_are_made_anew_when_the_tools_they_share_change(self):
        kinds = make_kinds()
        for kind in ("strands", "split", "grain"):
            self.assertIn(kinds["mend"].method, kinds[kind].method)
            self.assertNotEqual(kinds["mend"].method, kinds[kind].method)

    def test_tiles_in_any_order_equal_the_whole(self):
        for info, job in self.jobs():
            whole = self.engine.pixels(job, self.bounds)
            tiles = whole_picture_tiles(self.bounds)
            np.random.default_rng(3).shuffle(tiles)
            other = engine_of(skin())
            for column, row in tiles:
                rect = tile_rect(column, row, self.bounds.x1, self.bounds.y1)
                tile = other.tile(job, info.id, 0, column, row)
                np.testing.assert_allclose(tile, whole[rect.slices(self.bounds)], atol=1e-6, err_msg=info.id)

    def test_input_is_not_modified_and_rendering_repeats(self):
        before = self.engine.photo.picture.pixels.copy()
        for _, job in self.jobs():
            first = self.engine.pixels(job, self.bounds)
            np.testing.assert_array_equal(self.engine.pixels(job, self.bounds), first)
            np.testing.assert_array_equal(engine_of(skin()).pixels(job, self.bounds), first)
        np.testing.assert_array_equal(self.engine.photo.picture.pixels, before)

    def test_zero_strength_and_off_are_the_photo(self):
        photo = self.engine.photo.read(self.bounds)
        for info, job in self.jobs():
            stage = job.stage(info.id)
            self.assertGreater(np.abs(self.engine.pixels(job, self.bounds) - photo).max(), 0.01)
            for changed in (
                replace(stage, strength=0.0), replace(stage, on=False),
                replace(stage, layers=tuple(replace(x, strength=0.0) for x in stage.layers)),
                replace(stage, layers=tuple(replace(x, on=False) for x in stage.layers)),
            ):
                np.testing.assert_array_equal(self.engine.pixels(job.with_stage(changed), self.bounds), photo)

    def test_stage_strength_mixes_with_the_photo_or_scales_what_it_moves(self):
        photo = self.engine.photo.read(self.bounds)
        for info, job in self.jobs():
            full = self.engine.pixels(job, self.bounds)
            half = self.engine.pixels(job.with_stage(replace(job.stage(info.id), strength=0.5)), self.bounds)
            if info.kind.folds:
                self.assertGreater(np.abs(half - (full + photo) / 2).max(), 0.01)
            else:
                np.testing.assert_allclose(half, (full + photo) / 2, atol=1e-5)

    def test_levels_agree(self):
        for info, job in self.jobs():
            expected = self.engine.pixels(job, self.bounds)
            for level in (1, 2, 3):
                expected = halve(expected)
                got = self.engine.pixels(job, self.engine.photo.level_bounds(level), level)
                within = max(kind.levels_within for kind in info.kinds.values())
                self.assertLess(np.abs(got - expected).max(), within, f"{info.id} {level}")

    def test_a_local_edit_changes_only_the_keys_of_tiles_it_reaches(self):
        for info, job in self.jobs():
            layer = job.stage(info.id).layers[-1]
            extra = Stroke(new_id(), "give_back", edit("copy", [(0, 0)], size=20).brush,
                           freeze_points([[100, 100, 1, 0]]))
            after = job.with_layer(info.id, replace(layer, edits=(*layer.edits, extra)))
            changed = [
                (c, r) for c, r in whole_picture_tiles(self.bounds)
                if self.engine.tile_key(job, None, 0, c, r) != self.engine.tile_key(after, None, 0, c, r)
            ]
            self.assertEqual(changed, [(0, 0)], info.id)

    def test_saved_and_opened_again_it_is_the_same_to_the_last_digit(self):
        for info, job in self.jobs():
            with tempfile.TemporaryDirectory() as folder:
                photo = Path(folder) / "photo.png"
                write_picture(photo, skin(), profile=srgb_profile())
                session = Session.from_photo(photo)
                for layer in reversed(job.stage(info.id).layers):
                    session.history.do(AddLayer(info.id, layer, 0))
                expected = session.engine.pixels(session.job, self.bounds)
                session.save(Path(folder) / "job.lather")
                back = Session.open(Path(folder) / "job.lather")
            self.assertEqual(back.notes, [])
            np.testing.assert_array_equal(back.engine.pixels(back.job, self.bounds), expected, info.id)

    def test_what_is_seen_under_the_pen_is_what_is_kept_for_every_tool(self):
        for info, job in self.jobs():
            done = set()
            for layer in info.example():
                for stroke in layer.edits:
                    way = (layer.kind, layer.settings.get("band"), stroke.tool)
                    if way in done or stroke.by_outline or TOOLS[stroke.tool].waits or len(stroke.points) < 2:
                        continue
                    done.add(way)
                    held = replace(layer, id=new_id(), edits=layer.edits[:2], strength=0.7)
                    with_layer = job.with_stage(replace(job.stage(info.id), layers=(held,)))
                    self._paint(with_layer, info, held, replace(stroke, fence=None))
            self.assertGreater(len(done), 0, info.id)

    def _paint(self, job, info, layer, stroke) -> None:
        live = LiveStroke(self.engine, job, info.id, layer.id, stroke)
        for part in np.array_split(stroke.points, 3):
            live.extend(part)
        live.settle()
        area = live.laid.expand(8).intersect(self.bounds)
        shown = live.pixels(area)
        finished = replace(layer, edits=(*layer.edits, live.finish().edit))
        kept = self.engine.pixels(job.with_layer(info.id, finished), area)
        np.testing.assert_allclose(shown, kept, atol=2e-4, err_msg=f"{info.id} {stroke.tool}")
        off = np.abs(live.pixels(area.at_level(1), 1) - self.engine.pixels(
            job.with_layer(info.id, finished), area.at_level(1), 1))
        self.assertLess(off.max(), 2e-4, f"{info.id} {stroke.tool} reduced")


class ToysContractTest(ContractTest):
    """The same for stages that only tests have, in the places of three of the real ones."""

    def setUp(self):
        self.stages = with_toys(self)
        self.engine = engine_of(skin())  # one that knows the toys
        self.bounds = self.engine.photo.bounds


class DemandedTest(unittest.TestCase):
    """What the contract demands of somebody who adds a kind."""

    def test_a_kind_without_an_example_or_with_one_that_does_nothing_is_named(self):
        finish = next(info for info in STAGES if info.id == "finish")
        with_toys(self, ADJUSTING)
        engine = engine_of(skin())
        kind = ADJUSTING.kind
        forgotten = replace(finish, more_kinds=(*finish.more_kinds, kind))
        self.assertEqual(kinds_that_do_nothing(forgotten, engine), [kind.id])
        idle = Layer(new_id(), "Idle", kind.id, settings={"everywhere": True, "warmth": 0.0})
        neutral = replace(forgotten, example=lambda: (*finish.example(), idle))
        self.assertEqual(kinds_that_do_nothing(neutral, engine), [kind.id])
        acting = replace(idle, settings={"everywhere": True, "warmth": 1.0})
        shown = replace(forgotten, example=lambda: (*finish.example(), acting))
        self.assertEqual(kinds_that_do_nothing(shown, engine), [])


class OtherLayersTest(unittest.TestCase):
    """Layers of unknown kinds, and jobs of before."""

    def test_an_earlier_edit_taken_out_updates_what_was_built_on_it(self):
        engine = engine_of(skin())
        job = new_job(engine.photo.source)
        layer = job.stage("mend").layers[0]
        first = edit("copy", [(100, 100)], size=60, offset=(200, 200))
        second = edit("copy", [(300, 100)], size=30, offset=(-200, 0))
        both = job.with_layer("mend", replace(layer, edits=(first, second)))
        alone = job.with_layer("mend", replace(layer, edits=(second,)))
        rect = Rect(290, 90, 310, 110)
        self.assertGreater(np.abs(engine.pixels(both, rect) - engine.pixels(alone, rect)).max(), 0.01)
        np.testing.assert_array_equal(engine.pixels(alone, rect), engine_of(skin()).pixels(alone, rect))

    def test_a_long_chain_of_edits_on_one_spot(self):
        engine = engine_of(skin())
        job = new_job(engine.photo.source)
        layer = job.stage("mend").layers[0]
        self.addCleanup(sys.setrecursionlimit, sys.getrecursionlimit())
        sys.setrecursionlimit(len(inspect.stack()) + 300)  # so that no long chain is needed to come to it
        edits = tuple(edit("carry", [(100, 100)], size=16, offset=(20, 0)) for _ in range(400))
        job = job.with_layer("mend", replace(layer, edits=edits))
        self.assertTrue(np.isfinite(engine.pixels(job, Rect(80, 80, 120, 120))).all())

    def test_a_layer_of_an_unknown_kind_survives_a_round_trip_and_only_brings_a_note(self):
        with_toys(self)
        session = session_of(skin())
        odd = Layer(new_id(), "Tomorrow's", "shimmer", settings={"gleam": 3, "width_px": "wide"},
                    unknown_edits=({"id": "x", "kind": "sparkle", "rays": 7},))
        session.history.do(AddLayer("colour", odd, 0))
        session.history.do(AddLayer("mend", MAPPING.example()[0], 0))  # of a kind that is not there any more on reading
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "job.lather"
            write_picture(Path(folder) / "p.png", skin(), profile=srgb_profile())
            whole = Session.from_photo(Path(folder) / "p.png")
            whole.history = History(replace(session.job, source=whole.photo.source))
            whole.save(path)
            self.doCleanups()
            back = Session.open(path)
            self.assertEqual(len(back.notes), 1)
            self.assertRegex(back.notes[0], "kind this version does not know")
            shown = back.engine.pixels(back.job, back.photo.bounds)
            np.testing.assert_array_equal(shown, back.photo.read(back.photo.bounds))
            back.save(path)
            again = Session.open(path)
        kept = again.job.stage("colour").layers[0]
        self.assertEqual((kept.kind, kept.settings, kept.unknown_edits), (odd.kind, odd.settings, odd.unknown_edits))
        self.assertEqual(len(again.job.stage("mend").layers[0].unknown_edits), len(MAPPING.example()[0].edits))

    def test_a_job_saved_before_the_stages_had_folders_opens_with_the_same_pixels(self):
        session = Session.open(DATA / "four-stages.lather")
        self.assertEqual(session.notes, [])
        soft = session.job.stage("mend").layers[-1]
        self.assertEqual((soft.soften, soft.where, soft.extra), ("under_eye", "under-eye, left", {}))
        shown = session.engine.pixels(session.job, session.photo.bounds)
        expected = cv2.imread(str(DATA / "four-stages.png"), cv2.IMREAD_UNCHANGED)[..., ::-1]
        codes = np.round(np.clip(shown, 0, 1) * 65535)[1::3, 1::3]
        self.assertLessEqual(np.abs(codes - expected).max(), 1)


class StackedToysTest(unittest.TestCase):
    """Kinds above and below each other, as the course will have them."""

    def setUp(self):
        with_toys(self)
        self.engine = engine_of(skin())
        self.bounds = self.engine.photo.bounds

    def job(self, *infos):
        job = new_job(self.engine.photo.source)
        for info in infos:
            job = job.with_stage(replace(job.stage(info.id), layers=info.example()))
        return job

    def test_a_mend_beneath_never_paints_a_map_anew(self):
        below = next(info for info in STAGES if info.id == "mend")
        job = self.job(below, MAPPING)
        self.engine.pixels(job, self.bounds)
        store = self.engine.kinds[MAPPING.kind.id].store
        known = set(store._tiles)
        first = job.stage("mend").layers[0]
        self.engine.pixels(job.with_layer("mend", replace(first, strength=0.2)), self.bounds)
        self.assertEqual(set(store._tiles), known)

    def test_masks_above_a_warp_move_with_the_form_and_the_stage_is_resampled_once(self):
        job = self.job(MOVING)
        finish = job.stage(MOVING.id)
        job = job.with_stage(replace(finish, layers=(*finish.layers, *ADJUSTING.example())))
        dx = 24  # what the two toy layers move together
        photo = self.engine.photo.read(self.bounds)
        moved = self.engine.pixels(self.job(MOVING), self.bounds)
        np.testing.assert_allclose(moved[:, 60:-60], photo[:, 60 - dx : -60 - dx], atol=1e-4)
        both, plain = self.engine.pixels(job, self.bounds), self.engine.pixels(self.job(ADJUSTING), self.bounds)
        np.testing.assert_allclose(both[:, 60:-60], plain[:, 60 - dx : -60 - dx], atol=1e-3)
        self.assertEqual(len(self.engine.stack(self.job(MOVING))), 1)
        warp = self.engine.warp(job)
        np.testing.assert_allclose(warp.to_below(warp.to_above(np.array([[100.0, 200.0]]))), [[100, 200]])
        job = self.job(MOVING)
        half = job.with_stage(replace(job.stage(MOVING.id), strength=0.5))
        np.testing.assert_allclose(
            self.engine.pixels(half, self.bounds)[:, 60:-60], photo[:, 60 - dx // 2 : -60 - dx // 2],
            atol=1e-4)

    def test_every_kind_says_what_it_is(self):
        for kind in make_kinds().values():
            self.assertTrue(kind.id)
            self.assertEqual(kind.prepares, isinstance(kind, PatchKind | LightKind))
