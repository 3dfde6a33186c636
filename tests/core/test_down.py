"""Down: a field of fine hair is measured by zone, found, taken out the longest first, and told apart from pores."""

import functools
import unittest
from dataclasses import replace
from types import SimpleNamespace

import cv2
import numpy as np

from lather.core.colour.lab import srgb_lightness
from lather.core.find.lines.down import as_find
from lather.core.gauges.down_left import GAUGE
from lather.core.gauges.registry import pictures_of
from lather.core.job.commands import SetBrief
from lather.core.lamps.registry import under_lamp
from lather.core.measure.down import measure_down
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.edit_for_find import mend_command
from lather.core.mending.take_out_down import down_everywhere, leave_of
from lather.core.practice.flaws import down
from lather.core.practice.make import make_plate
from lather.core.stages.strands.down import SHARES, read_prominences, taken
from lather.core.stages.strands.fine_hair import fine_hair, prominence
from lather.core.types import Rect
from tests.support.pictures import session_of

_FACE = np.s_[450:1950, 480:1530]  # of the sitter's picture: less is quicker


_NECK = 1250


@functools.cache
def plate():
    """A made face with down: photo, truth, zones, and flaws at their places in it."""
    made = make_plate("wren", 700, flaws={"down": 4})
    flaws = [replace(flaw, x=flaw.x - _FACE[1].start, y=flaw.y - _FACE[0].start,
                     outline=[(x - _FACE[1].start, y - _FACE[0].start) for x, y in flaw.outline])
             for flaw in made.flaws if flaw.zone != "neck"]
    parts = [np.ascontiguousarray(of[_FACE]) for of in (made.photo, made.truth, made.zones)]
    parts[0][_NECK:] = parts[1][_NECK:]
    return SimpleNamespace(**dict(zip(("photo", "truth", "zones"), parts)), flaws=flaws)


@functools.cache
def measures(hairy: bool = True):
    session = session_of(plate().photo if hairy else plate().truth)
    return session, measure_down(PhotoMeasures(session.photo))


def light(pixels) -> np.ndarray:
    return srgb_lightness(pixels.astype(np.float32) / 65535 if pixels.dtype == np.uint16 else pixels)


def finer(values: np.ndarray) -> np.ndarray:
    return values - cv2.GaussianBlur(values, (0, 0), 5.0)


def fields() -> np.ndarray:
    drawn = np.zeros(plate().zones.shape, np.uint8)
    for flaw in plate().flaws:
        cv2.fillPoly(drawn, [np.round(np.array(flaw.outline)).astype(np.int32)], 1)
    return drawn > 0


class MadeTest(unittest.TestCase):
    def test_a_field_is_drawn_inside_its_outline_only_and_says_how_it_grows(self):
        made = plate()
        changed = (made.photo != made.truth).any(-1)
        self.assertEqual({flaw.kind for flaw in made.flaws}, {"down"})
        self.assertGreaterEqual(len(made.flaws), 3)
        near = cv2.dilate(fields().astype(np.uint8), np.ones((91, 91), np.uint8)) > 0
        self.assertFalse((changed & ~near).any())
        self.assertTrue(all(flaw.extra["per_mm2"] in down.DENSITIES for flaw in made.flaws))

    def test_denser_down_covers_more(self):
        where, covers = np.ones((200, 200), np.float32), []
        for density in down.DENSITIES:
            fur = down.Fur(density, 1.2, np.zeros(3))
            covers.append(float(down.cover_of(fur, where, 6.0, np.random.default_rng(1)).mean()))
        self.assertTrue(covers[0] < covers[1] < covers[2], covers)


class MeasuredTest(unittest.TestCase):
    def test_zones_with_down_are_told_and_bare_skin_has_none(self):
        told = {zone.zone: zone for zone in measures()[1].zones}
        bare = {zone.zone: zone for zone in measures(False)[1].zones}
        planted = {flaw.zone.partition(",")[0] for flaw in plate().flaws} & set(told)
        self.assertTrue(planted)
        for zone in planted:
            self.assertTrue(told[zone].seen, zone)
            self.assertGreater(told[zone].share, 2 * bare[zone].share, zone)
        self.assertFalse([zone.zone for zone in bare.values() if zone.seen])

    def test_the_way_it_lies_is_the_way_it_was_drawn(self):
        made = max(plate().flaws, key=lambda flaw: flaw.contrast_de * flaw.size_px)
        zone = next(z for z in measures()[1].zones if z.zone == made.zone.partition(",")[0])
        off = np.angle(np.exp(2j * (zone.way - np.radians(made.extra["way_degrees"])))) / 2
        self.assertLess(abs(np.degrees(off)), 35)


class TakenOutTest(unittest.TestCase):
    def after(self, leave: float) -> tuple:
        session, told = measures()
        command = down_everywhere(session.engine, session.job, leave, down=told)
        job = command.apply(session.job)
        return session, job, session.engine.pixels(job, session.photo.bounds)

    def test_hairs_go_and_pores_light_and_everything_else_stay(self):
        _, _, now = self.after(0.0)
        photo, truth, done = light(plate().photo), light(plate().truth), light(now)
        where = fields()
        was, off = (finer(one - truth)[where] for one in (photo, done))
        self.assertLess(float((off**2).sum()), 0.7 * float((was**2).sum()))
        fine = [(one - cv2.GaussianBlur(one, (0, 0), 2.0))[where].std() for one in (done, truth)]
        self.assertGreater(fine[0] / fine[1], 0.93)
        broad = [cv2.GaussianBlur(one, (0, 0), 12.0)[where] for one in (done, photo)]
        self.assertLess(float(np.abs(broad[0] - broad[1]).mean()), 0.3, "the light of the skin stays")
        brows = cv2.erode((plate().zones == 7).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        self.assertLess(float((np.abs(done - photo)[brows] > 0.5).mean()), 0.03, "brows and lashes stay")

    def test_more_is_left_where_more_is_asked_to_stay_and_the_most_prominent_go_first(self):
        left, photo = [], light(plate().photo)
        truth, where = light(plate().truth), fields()
        for leave in (0.0, 0.5, 0.8):
            _, _, now = self.after(leave)
            off = [float((finer(one - truth)[where] ** 2).sum()) for one in (light(now), photo)]
            left.append(off[0] / off[1])
        self.assertTrue(left[0] < left[1] < left[2] < 1, left)
        prominent = np.array([[0.2, 1.0, 3.0]], np.float32)
        share = taken(prominent, 0.5, tuple(np.linspace(2.0, 0.1, len(SHARES)))[::-1])
        self.assertTrue(share[0, 0] < share[0, 2] == 1, share)
        np.testing.assert_array_equal(taken(prominent, 0.0, None), 1)
        np.testing.assert_allclose(taken(prominent, 0.3, None), 0.7)

    def test_the_gauge_says_how_much_is_left(self):
        told = []
        for leave in (0.0, 0.6):
            session, job, _ = self.after(leave)
            told.append(GAUGE.measure(pictures_of(session.engine, job, PhotoMeasures.of_job(session.photo, job))))
        self.assertLess(told[0], told[1])
        self.assertLess(told[0], 35)
        session, _ = measures()
        self.assertIsNone(GAUGE.measure(pictures_of(session.engine, session.job, PhotoMeasures(session.photo))))

    def test_a_find_is_taken_out_by_its_outline_on_one_layer_for_all_zones(self):
        session, told = measures()
        first, second = [as_find(zone, told) for zone in told.zones if zone.seen][:2]
        job = session.job
        for find in (first, second):
            job = mend_command(session.engine, job, find, "", "strands").apply(job)
        layers = [layer for layer in job.stage("strands").layers if layer.kind == "down"]
        self.assertEqual([len(layer.edits) for layer in layers], [2])
        self.assertEqual(tuple(layers[0].settings["prominences"]), told.prominences)
        self.assertEqual(layers[0].settings["leave"], leave_of(job))
        self.assertEqual({edit.find for edit in layers[0].edits}, {first.id, second.id})

    def test_a_child_keeps_most_of_it_and_hair_that_was_to_stay_stays(self):
        session, _ = measures()
        child = SetBrief("kind", "newborn/child").apply(session.job)
        self.assertGreaterEqual(leave_of(child), 0.6)
        stays = SetBrief("agreed", {"hair_on_skin": "stay"}).apply(session.job)
        self.assertEqual(leave_of(stays), 1.0)

    def test_what_a_job_file_holds_is_checked(self):
        self.assertEqual(read_prominences(range(9)), tuple(map(float, range(9))))
        for wrong in ([1, 2], [3, 2, 1, 1, 1, 1, 1, 1, 1], [np.nan] * 9):
            self.assertRaises(ValueError, read_prominences, wrong)


class FineHairTest(unittest.TestCase):
    def test_the_lamp_shows_hairs_around_grey(self):
        session, _ = measures()
        flaw = max(plate().flaws, key=lambda one: one.contrast_de)
        rect = Rect(int(flaw.x) - 80, int(flaw.y) - 80, int(flaw.x) + 80, int(flaw.y) + 80)
        shown = session.engine.pixels(under_lamp(session.job, "down", {}), rect)
        self.assertAlmostEqual(float(np.median(shown)), 0.5, delta=0.08)
        self.assertGreater(float(shown.std()), 0.02)

    def test_a_long_hair_is_more_prominent_than_a_dot_of_its_strength(self):
        seen = np.zeros((80, 80), np.float32)
        seen[20, 20:60] = -4
        seen[60, 40] = -4
        told = prominence(seen)
        self.assertGreater(told[20, 40], 4 * told[60, 40])

    def test_any_size_is_taken(self):
        for shape in ((37, 50, 3), (64, 64, 3)):
            self.assertEqual(fine_hair(np.full(shape, 50, np.float32)).shape, shape)


if __name__ == "__main__":
    unittest.main()
