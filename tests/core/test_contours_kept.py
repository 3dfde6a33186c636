"""Contours kept: a smeared edge is told, named and never laid down by an automatic edit."""

import functools
import unittest
from dataclasses import replace

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.gauges import contours_kept
from lather.core.gauges.compared import Compared
from lather.core.imageio.picture import Picture
from lather.core.job.commands import AddEdits, SetFinds
from lather.core.job.finds import Find
from lather.core.measure.contours_kept import FACE, worst_stretches
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.bare_skin import skin_pieces
from lather.core.mending.edit_for_find import mend_command
from lather.core.mending.judged import contour_taken, harmless
from lather.core.people.contours import Contours
from lather.core.practice.make import make_plate
from lather.core.stages.mend.dab import dab_stroke
from lather.core.types import as_float32
from tests.support.pictures import session_of


@functools.cache
def pixels() -> np.ndarray:
    whole = make_plate("tilda", 1, flaws={}).photo
    return cv2.resize(whole, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)


@functools.cache
def measures() -> PhotoMeasures:
    return PhotoMeasures(Photo(Picture(pixels()), b"", "tilda"))


def compared(after: np.ndarray) -> Compared:
    photo, own = measures().photo, Photo(Picture(after), b"", "after")
    return Compared(photo.bounds, None, photo.read, own.read, measures())


def smeared(what: str) -> tuple[np.ndarray, np.ndarray]:
    """The picture with part of a contour blurred away, and the middle of that part."""
    contour = max((one for one in measures().contours.all if one.what == what), key=lambda one: len(one.points))
    middle = contour.points[len(contour.points) // 3]
    reach = 0.09 * contour.head_px
    soft = cv2.GaussianBlur(pixels(), (0, 0), 0.03 * contour.head_px)
    ys, xs = np.mgrid[: soft.shape[0], : soft.shape[1]]
    near = (np.hypot(xs - middle[0], ys - middle[1]) < reach)[..., None]
    return np.where(near, soft, pixels()), middle


class GaugeTest(unittest.TestCase):
    def test_untouched_keeps_all_and_a_smear_is_told_where_it_lies(self):
        self.assertAlmostEqual(contours_kept.GAUGE.measure(compared(pixels())), 100, delta=0.01)
        for what in ("jaw", "lips"):
            after, middle = smeared(what)
            pictures = compared(after)
            self.assertLess(contours_kept.GAUGE.measure(pictures), 75, what)
            worst = contours_kept.stretches(pictures)[0]
            self.assertLess(np.hypot(worst.x - middle[0], worst.y - middle[1]), 0.15 * measures().face_width_px)
            scale = measures().scale
            near = contours_kept.GAUGE.where(pictures)[int(middle[1] / scale) - 12 : int(middle[1] / scale) + 13,
                                                       int(middle[0] / scale) - 12 : int(middle[0] / scale) + 13]
            self.assertGreater(float(near.max()), 0.2)

    def test_light_laid_over_all_of_it_takes_nothing(self):
        brighter = np.round(np.clip(as_float32(pixels()) * 1.06, 0, 1) * 65535).astype(np.uint16)
        self.assertGreater(contours_kept.GAUGE.measure(compared(brighter)), 97)

    def test_an_edge_of_another_colour_is_one_all_the_same_and_a_smear_of_it_is_none(self):
        lab = cv2.cvtColor(as_float32(pixels()), cv2.COLOR_RGB2LAB)
        lab[..., 1:] = lab[..., [2, 1]] * np.float32([-1, 1])  # each hue a quarter further, as light as before
        dyed = np.round(np.clip(cv2.cvtColor(lab, cv2.COLOR_LAB2RGB), 0, 1) * 65535).astype(np.uint16)
        self.assertGreater(contours_kept.GAUGE.measure(compared(dyed)), 50)  # 17 by the direction that it had
        soft = cv2.GaussianBlur(dyed, (0, 0), 0.02 * measures().face_width_px)
        self.assertLess(contours_kept.GAUGE.measure(compared(soft)), 15)

    def test_where_nobody_is_seen_it_is_not_told(self):
        photo = Photo(Picture(np.full((200, 240, 3), 30000, np.uint16)), b"", "plain")
        plain = Compared(photo.bounds, None, photo.read, photo.read, PhotoMeasures(photo))
        self.assertIsNone(contours_kept.GAUGE.measure(plain))


class ContoursTest(unittest.TestCase):
    def test_distance_and_share_along(self):
        contours = measures().contours
        jaw = next(one for one in contours.all if one.what == "jaw")
        self.assertIs(Contours.of(measures().people), contours)
        self.assertLess(float(contours.off(jaw.points, "jaw").max()), 0.6)
        self.assertGreater(contours.along(jaw.points, "jaw"), 0.98)
        off = jaw.points + np.array([0, 3.0 * jaw.width_px])
        self.assertLess(contours.along(off, "jaw"), 0.5)
        self.assertEqual(contours.nearest(*jaw.points[9], "jaw")[1], "jaw")
        self.assertEqual(contours.nearest(2.0, 2.0, "lips")[1], "")


class JudgedTest(unittest.TestCase):
    def setUp(self):
        self.session = session_of(pixels())
        _ = PhotoMeasures(self.session.photo).people  # read, as the finder does
        jaw = max((one for one in Contours.of(PhotoMeasures(self.session.photo).people).all if one.what == "jaw"),
                  key=lambda one: len(one.points))
        lost = worst_stretches([jaw], self.session.photo.read, lambda rect, level: 0 * self.session.photo.read(
            rect, level), self.session.photo.bounds, None)
        self.assertLess(lost[0].kept, 0.1)
        self.jaw = jaw

    def test_an_edit_that_takes_a_contour_is_refused_with_the_reason(self):
        part = self.jaw.points[len(self.jaw.points) // 4 : len(self.jaw.points) // 4 + 14]
        path = tuple((float(x), float(y)) for x, y in part)
        find = Find("hair_on_skin-1", "hair_on_skin", *path[7], 60.0, 9.0, 0.95, "jaw", path=path,
                    width_px=4 * self.jaw.width_px, outline=path)
        self.session.history.do(SetFinds((find,), PhotoMeasures(self.session.photo).face))
        refused = []
        layer_id = self.session.job.stage("mend").layers[0].id if self.session.job.stage("mend").layers else ""
        command = mend_command(self.session.engine, self.session.job, find, layer_id, refuse=refused.append)
        if command is not None:  # a source of the same edge was near: then nothing was lost
            stroke = next(iter(command.strokes()))
            trial = command.apply(self.session.job)
            self.assertIsNone(contour_taken(self.session.engine, self.session.job, trial, stroke))
        else:
            self.assertEqual([one.find for one in refused], [find])
            self.assertTrue(refused[0].why)

    def laid(self, stroke):
        return AddEdits("mend", self.session.job.stage("mend").layers[0].id, (stroke,)).apply(self.session.job)

    def test_a_contour_is_left_out_of_a_mend_that_reaches_it_and_one_that_is_all_contour_is_refused(self):
        x, y = self.jaw.points[len(self.jaw.points) // 3]
        up = (0, -int(0.3 * self.jaw.head_px))
        across, engine, job = 12 * self.jaw.width_px, self.session.engine, self.session.job
        stroke = replace(dab_stroke(float(x), float(y), across), tool="copy", offset=up)
        self.assertEqual(contour_taken(engine, job, self.laid(stroke), stroke).what, "jaw")
        spared, why = harmless(engine, job, stroke, self.laid, ("jaw",))
        self.assertEqual(why, "")
        self.assertIsNone(contour_taken(engine, job, self.laid(spared), spared, ("jaw",)))
        area = stroke.bounds.intersect(self.session.photo.bounds)
        changed = np.abs(engine.pixels(self.laid(spared), area) - engine.pixels(job, area)).max(-1) > 0
        self.assertGreater(changed.mean(), 0.25)
        self.assertFalse(changed[int(y) - area.y0, int(x) - area.x0])
        narrow = replace(dab_stroke(float(x), float(y), 3 * self.jaw.width_px), tool="copy", offset=up)
        spared, why = harmless(engine, job, narrow, self.laid)
        self.assertIsNone(spared)
        self.assertIn("jaw", str(why))

    def test_pieces_of_skin_end_at_contours(self):
        own = PhotoMeasures(self.session.photo)
        pieces = skin_pieces(own)
        self.assertTrue(pieces)
        for contour in own.contours.all:
            if contour.what in FACE:
                inside = [any(piece.fence.reaches(float(x), float(y), 0.5) for piece in pieces)
                          for x, y in contour.points[2:-2:6]]
                self.assertLess(np.mean(inside), 0.1, contour.what)


if __name__ == "__main__":
    unittest.main()
