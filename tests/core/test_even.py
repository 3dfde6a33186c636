"""Even: strokes that cannot overshoot, outlines, what the surroundings say, what is told at the pointer, the finds."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from lather.core.brush.values import Brush
from lather.core.colour.lab import srgb_lightness
from lather.core.engine.live import LiveStroke
from lather.core.find.areas.blotches import find_blotches
from lather.core.find.scene import FindScene
from lather.core.job.commands import AddEdits, AddLayer, SetFinds
from lather.core.job.finds import Find
from lather.core.job.model import Layer, Stroke, freeze_points, new_id
from lather.core.measure.bands import tone_band
from lather.core.mending.edit_for_find import mend_all, mend_command
from lather.core.mending.even_blotches import even_all_command, even_command, even_stroke
from lather.core.stages.even.around import edit_on_grid, needed_around, reach_of
from lather.core.stages.even.readout import blotch_size, input_of_even, to_go
from lather.core.stages.light.cells import Seen
from lather.core.types import Rect, as_float32
from tests.core.test_light import needed_of
from tests.support.faces import brighter, made_face


def brushed(tool, x, y, size, mode="assisted", passes=1, ceiling=0.14, reach=0.1):
    """Strokes over a spot. reach: how far beyond its middle, in sizes of the brush."""
    brush = Brush(size_px=size, edge=1.0, ceiling=ceiling, flow=ceiling)
    points = [(x - reach * size, y, 1, 0), (x, y, 1, 0.1), (x + reach * size, y, 1, 0.2)]
    return tuple(Stroke(new_id(), tool, brush, freeze_points(points), mode=mode) for _ in range(passes))


def evened(session, *edits, **layer):
    """The job with a layer of Even."""
    one = Layer(new_id(), "Even", "even", edits=edits, **layer)
    return AddLayer("even", one, len(session.job.stage("even").layers)).apply(session.job)


def lightness(session, job, flaw, grow=1.0):
    """Mean L* over the middle of a flaw."""
    r = max(1, int(0.25 * grow * flaw.size_px))
    rect = Rect(int(flaw.x) - r, int(flaw.y) - r, int(flaw.x) + r + 1, int(flaw.y) + r + 1)
    return float(srgb_lightness(session.engine.pixels(job, rect)).mean())


def colourless(face, x, y, size, stops):
    """The photo with mere shade (or light) at a place, and that place as a flaw."""
    height, width = face.photo.shape[:2]
    ys, xs = np.mgrid[:height, :width]
    mask = np.clip(1.5 - 2 * np.hypot(xs - x, ys - y) / size, 0, 1)
    mask = mask * mask * (3 - 2 * mask)
    values = as_float32(face.photo)
    shaded = np.clip((values + 0.055) * (2 ** (stops * mask / 2.4))[..., None] - 0.055, 0, 1)
    return np.round(65535 * shaded).astype(np.uint16)


class StrokesTest(unittest.TestCase):
    def setUp(self):
        self.face = made_face(stains=8)
        self.session = self.face.session()
        self.dark = max((f for f in self.face.flaws if f.kind == "blotch_dark"), key=lambda f: self.needs(f))

    def needs(self, flaw):
        place = Rect(int(flaw.x), int(flaw.y), int(flaw.x) + 1, int(flaw.y) + 1)
        return float(needed_of(self.session).at(place, 0)[0, 0, 0])

    def test_passes_come_near_what_is_needed_and_never_pass_it(self):
        flaw, job = self.dark, self.session.job
        before = lightness(self.session, job, flaw)
        whole = lightness(self.session, evened(self.session, *brushed("lift", flaw.x, flaw.y, 3 * flaw.size_px,
                                                                      ceiling=1.0, passes=9)), flaw)
        reached = [lightness(self.session, evened(self.session, *brushed("lift", flaw.x, flaw.y, 3 * flaw.size_px,
                                                                        passes=n)), flaw) for n in (1, 5, 20, 60)]
        self.assertTrue(all(a < b for a, b in zip([before, *reached], [*reached, whole + 0.02])), reached)
        self.assertGreater(reached[-1], before + 0.9 * (whole - before))

    def test_a_stroke_of_the_other_sign_does_nothing_and_give_back_takes_it_away(self):
        flaw = self.dark
        photo = self.session.engine.pixels(self.session.job, self.session.photo.bounds)
        lowered = evened(self.session, *brushed("lower", flaw.x, flaw.y, 0.5 * flaw.size_px, ceiling=1.0))
        self.assertLess(np.abs(self.session.engine.pixels(lowered, self.session.photo.bounds) - photo).max(), 0.004)
        lift, = brushed("lift", flaw.x, flaw.y, 2 * flaw.size_px, ceiling=1.0)
        back = replace(lift, id=new_id(), tool="give_back", mode="any", brush=Brush(size_px=8 * flaw.size_px, edge=0.0))
        job = evened(self.session, lift, back)
        np.testing.assert_allclose(self.session.engine.pixels(job, self.session.photo.bounds), photo, atol=1e-6)

    def test_they_follow_a_mend_that_comes_later(self):
        flaw = self.dark
        lift, = brushed("lift", flaw.x, flaw.y, 2 * flaw.size_px, ceiling=1.0)
        job = evened(self.session, lift)
        lifted = lightness(self.session, job, flaw) - lightness(self.session, self.session.job, flaw)
        clean = self.face.session(self.face.truth)
        there = lightness(clean, evened(clean, lift), flaw) - lightness(clean, clean.job, flaw)
        size = 2.4 * flaw.size_px
        mend, = brushed("copy", flaw.x, flaw.y, size, mode="any", ceiling=1.0)
        mend = replace(mend, brush=Brush(size_px=size, edge=0.5), offset=(int(2.2 * flaw.size_px), 0))
        mended = AddEdits("mend", job.stage("mend").layers[0].id, (mend,)).apply(job)
        plain = AddEdits("mend", job.stage("mend").layers[0].id, (mend,)).apply(self.session.job)
        now = lightness(self.session, mended, flaw) - lightness(self.session, plain, flaw)
        self.assertGreater(lifted, 0.5)
        self.assertLess(abs(now), max(0.5 * lifted, abs(there) + 0.3))

    def test_replayed_on_a_brighter_development_they_even_the_same_places_by_the_same_share(self):
        dim = self.face.session(brighter(self.face.photo, -0.7))  # the photo is 0.7 stop brighter, and clips nothing
        strokes = [s for f in self.face.flaws for s in brushed("lift" if f.kind == "blotch_dark" else "lower", f.x, f.y,
                                                               2 * f.size_px, passes=4)]
        stops = []
        for session in (self.session, dim):
            job, bounds = evened(session, *strokes), session.photo.bounds
            before, after = (session.engine.pixels(j, bounds) for j in (session.job, job))
            stops.append(2.4 * np.log2((after[..., 1] + 0.055) / (before[..., 1] + 0.055)))
        moved = np.abs(stops[0]) > 0.02
        self.assertGreater(moved.sum(), 200)
        self.assertLess(np.abs(stops[1] - stops[0])[moved].mean(), 0.05 * np.abs(stops[0])[moved].mean())

    def test_free_strokes_lay_down_stops_as_painted(self):
        flaw = self.dark
        lift, = brushed("lower", flaw.x, flaw.y, 3 * flaw.size_px, mode="free", ceiling=0.5)
        job, place = evened(self.session, lift), Rect(int(flaw.x), int(flaw.y), int(flaw.x) + 1, int(flaw.y) + 1)
        before, after = (self.session.engine.pixels(j, place)[0, 0] for j in (self.session.job, job))
        np.testing.assert_allclose(after, (before + 0.055) * 2 ** (-0.5 / 2.4) - 0.055, atol=0.004)

    def test_a_layer_of_one_side_takes_only_that(self):
        flaw = self.dark
        find = Find("a", "blotch_dark", flaw.x, flaw.y, flaw.size_px, 2.0, 1.0, outline=tuple(flaw.outline))
        area, bounds = even_stroke(find, 1.0), self.session.photo.bounds
        photo = self.session.engine.pixels(self.session.job, bounds)
        for side, darker in (("lift", False), ("lower", True)):
            change = self.session.engine.pixels(evened(self.session, area, settings={"side": side}), bounds) - photo
            self.assertLess((-change if not darker else change).max(), 1e-6, side)

    def test_random_assisted_strokes_move_clean_skin_no_more_than_even_all_may(self):
        face = made_face()
        session, rng = face.session(), np.random.default_rng(8)
        origin, across, down = session.job.face_map.frame
        d, strokes = session.job.face_map.eye_distance_px, []
        for _ in range(200):
            x, y = origin + d * (rng.uniform(-1, 1) * across + rng.uniform(-0.8, 1.6) * down)
            strokes += brushed(str(rng.choice(["lift", "lower"])), x, y, rng.uniform(0.1, 0.5) * d)
        height, width = face.photo.shape[:2]
        rim = ((0, 0), (width, 0), (width, height), (0, height))
        all_over = [even_stroke(Find("a", "blotch_dark", 0, 0, 4.0, 1, 1, outline=rim), 1.0)]
        bounds = session.photo.bounds
        photo = session.engine.pixels(session.job, bounds)
        scribbled, most = (np.abs(session.engine.pixels(evened(session, *edits), bounds) - photo)
                           for edits in (strokes, all_over))
        self.assertGreater(scribbled.max(), 0.002)
        self.assertLess((scribbled - most).max(), 2e-3)


class AroundTest(unittest.TestCase):
    @staticmethod
    def even_place(face, size):
        """Where the form itself is plainest, of some places on forehead, cheeks and chin."""
        session, (origin, across, down) = face.session(), face.measures.face.frame
        d, places = face.measures.face.eye_distance_px, []
        for u, v in ((0, -0.5), (-0.3, -0.5), (0.3, -0.45), (-0.45, 0.6), (0.45, 0.6), (-0.5, 0.85), (0.5, 0.85)):
            x, y = (origin + d * (u * across + v * down)).round()
            edit, = brushed("lift", x, y, 2.2 * size, mode="around")
            seen = Seen.input_of(input_of_even(session.engine, session.job))
            reads = reach_of(edit.bounds, seen.grid).intersect(session.photo.bounds)
            field = session.engine.kinds["even"].stores.needed.over(seen, reads).cut(reads)
            off = needed_around(edit_on_grid(edit, field, session.photo.bounds), field)
            places.append((float(np.abs(off.values).max()), x, y))
        return min(places)[1:]

    def test_a_colourless_blotch_goes_by_its_own_surroundings(self):
        for sitter in ("wren", "tilda"):
            face = made_face(sitter)
            map_ = face.measures.face
            size = 0.06 * map_.width_px
            x, y = self.even_place(face, size)
            shaded = face.session(colourless(face, x, y, size, -0.25))
            plain = face.session()
            flaw = Find("f", "blotch_dark", x, y, size, 2, 1)
            made = lightness(shaded, shaded.job, flaw) - lightness(plain, plain.job, flaw)
            angles = np.linspace(0, 2 * np.pi, 24, endpoint=False)
            ring = tuple((x + 0.8 * size * np.cos(t), y + 0.8 * size * np.sin(t)) for t in angles)
            outline = replace(even_stroke(replace(flaw, outline=ring), 1.0), mode="around", feather=0.1 * size)
            strokes = brushed("lift", x, y, 2.2 * size, mode="around", ceiling=0.4, passes=8)
            for edits in ((outline,), strokes):
                left = lightness(shaded, evened(shaded, *edits), flaw) - lightness(plain, evened(plain, *edits), flaw)
                self.assertLess(abs(left / made), 0.35, (sitter, edits[0].tool, left, made))

    def test_under_the_pen_it_is_what_it_will_be(self):
        face = made_face(stains=8)
        session, flaw = face.session(), face.flaws[0]
        first, = brushed("lift", flaw.x, flaw.y, 2 * flaw.size_px, mode="around", ceiling=0.5)
        job = evened(session, first)
        layer = job.stage("even").layers[0]
        brush = Brush(size_px=1.6 * flaw.size_px, edge=1.0, ceiling=0.5, flow=0.5)
        for tool, mode in (("lower", "around"), ("give_back", "any"), ("lift", "assisted")):
            way = enumerate((-9, -4, 2, 8))
            points = np.array([[flaw.x + dx, flaw.y + 2, 1, 0.1 * n] for n, dx in way], np.float32)
            stroke = Stroke(new_id(), tool, brush, freeze_points(points[:0]), mode=mode)
            live = LiveStroke(session.engine, job, "even", layer.id, stroke)
            live.extend(points)
            shown = live.pixels(session.photo.bounds)
            done = AddEdits("even", layer.id, (live.finish().edit,)).apply(job)
            kept = session.engine.pixels(done, session.photo.bounds)
            np.testing.assert_allclose(shown, kept, atol=2e-4, err_msg=tool)


class ReadoutTest(unittest.TestCase):
    def test_what_is_to_go_and_how_many_passes_it_takes(self):
        face = made_face(stains=8)
        session = face.session()
        flaw = max((f for f in face.flaws if f.kind == "blotch_dark"), key=lambda f: f.contrast_de * f.size_px)
        size = blotch_size(needed_of(session), flaw.x, flaw.y)
        self.assertGreater(size, 0.5 * flaw.size_px)
        self.assertLess(size, 4 * flaw.size_px)
        brush = Brush(size_px=size, edge=1.0, ceiling=0.14, flow=0.14)
        told = to_go(session.engine, session.job, brush, "assisted", 1, flaw.x, flaw.y)
        self.assertTrue(told.bare)
        self.assertGreater(told.light, 0.4)
        self.assertTrue(to_go(session.engine, session.job, brush, "assisted", -1, flaw.x, flaw.y).even)
        self.assertGreater(told.passes, 2)
        done = evened(session, *brushed("lift", flaw.x, flaw.y, size, passes=told.passes, reach=0.7))
        after = to_go(session.engine, done, brush, "assisted", 1, flaw.x, flaw.y)
        self.assertLess(after.light, 0.5 * told.light)
        self.assertLess(after.passes, told.passes)

    def test_off_bare_skin_nothing_is_told(self):
        session = made_face().session()
        told = to_go(session.engine, session.job, Brush(size_px=20), "assisted", 1, 10, 10)
        self.assertFalse(told.bare)


class FindsTest(unittest.TestCase):
    def setUp(self):
        self.face = made_face(stains=8)
        self.session = self.face.session()
        self.finds = find_blotches(FindScene(self.face.measures))

    def test_made_blotches_are_found_and_even_all_takes_half_of_them_away_as_one_step(self):
        near = [any(np.hypot(f.x - g.x, f.y - g.y) < 0.6 * f.size_px + 2 and f.kind == g.kind for g in self.finds)
                for f in self.face.flaws]
        self.assertGreaterEqual(np.mean(near), 0.6)
        self.session.history.amend(SetFinds(tuple(self.finds), self.session.job.face_map))
        blotches = [f for f in self.finds if f.kind != "colour_left"]
        command, count = mend_all(self.session.engine, self.session.job, blotches, "", stage_id="even", share=1.0)
        self.assertEqual(count, len(blotches))
        job = self.session.history.do(command)
        self.assertTrue(all(job.find_state(f) == "mended" for f in blotches))
        clean = self.face.session(self.face.truth)
        after = command.apply(clean.job)
        left = []
        for flaw in self.face.flaws:
            made = lightness(self.session, self.session.history.base, flaw) - lightness(clean, clean.job, flaw)
            now = lightness(self.session, job, flaw) - lightness(clean, after, flaw)
            left.append(now / made)
        self.assertLess(np.mean(left), 0.6)
        self.session.history.undo()
        self.assertEqual(self.session.job.stage("even").layers, ())

    def test_dark_ones_come_first_and_two_layers_are_kept_if_asked_for(self):
        some = [Find(f"{kind}-{n}", kind, 300, 400, 20, 2, 1, outline=((290, 390), (310, 390), (300, 410)))
                for n, kind in enumerate(("blotch_bright", "blotch_dark", "blotch_bright"))]
        one = even_command(self.session.job, some).apply(self.session.job).stage("even").layers
        self.assertEqual([[e.note for e in x.edits] for x in one], [["dark blotch", "bright blotch", "bright blotch"]])
        two = even_command(self.session.job, some, apart=True, share=0.6).apply(self.session.job)
        layers = two.stage("even").layers
        self.assertEqual([(x.name, x.settings["side"], len(x.edits)) for x in layers],
                         [("Lift", "lift", 1), ("Lower", "lower", 2)])
        self.assertEqual({e.brush.ceiling for x in layers for e in x.edits}, {0.6})
        third = mend_command(self.session.engine, two, some[1], "", "even")
        self.assertEqual(third.layer_id, layers[0].id)
        self.assertIsNone(even_command(two, []))

    def test_a_single_blotch_where_no_face_is_known_gets_an_outline_around_it(self):
        rim = ((290.0, 390.0), (312.0, 388.0), (310.0, 412.0), (288.0, 410.0))
        job = SetFinds((Find("b", "blotch_dark", 300, 400, 20, 2, 1, outline=rim),), None, ()).apply(self.session.job)
        edit = even_all_command(job, self.session.photo.bounds).apply(job).stage("even").layers[0].edits[0]
        self.assertTrue(edit.bounds.contains(Rect(288, 388, 312, 412)))
        self.assertIsNone(even_all_command(SetFinds((), None, ()).apply(job), self.session.photo.bounds))

    def test_a_keeper_inside_a_blotch_is_left_out(self):
        blotch = Find("b", "blotch_dark", 300, 400, 40, 2, 1, outline=((280, 380), (320, 380), (320, 420), (280, 420)))
        mole = Find("m", "mole", 300, 400, 8, 6, 1, keeper=True)
        job = SetFinds((blotch, mole), self.session.job.face_map).apply(self.session.job)
        command = even_command(job, [blotch])
        edit = command.apply(job).stage("even").layers[0].edits[0]
        self.assertFalse(edit.fence.reaches(300, 400, 1))
        self.assertTrue(edit.fence.reaches(285, 385, 2))

    def test_even_all_brings_the_skin_no_further_from_clean(self):
        clean, width = tone_band(srgb_lightness(as_float32(self.face.truth))[..., None], 300).squeeze(), 300
        command = even_command(self.session.job, [f for f in self.finds if f.kind != "colour_left"])
        after = self.session.engine.pixels(command.apply(self.session.job), self.session.photo.bounds)
        mask = np.zeros(clean.shape, np.uint8)
        for flaw in self.face.flaws:
            cv2.fillPoly(mask, [np.round(np.array(flaw.outline)).astype(np.int32)], 1)
        off = [np.abs(tone_band(srgb_lightness(p)[..., None], width).squeeze() - clean)[mask > 0].mean()
               for p in (as_float32(self.face.photo), np.clip(after, 0, 1))]
        self.assertLess(off[1], 0.8 * off[0])


if __name__ == "__main__":
    unittest.main()
