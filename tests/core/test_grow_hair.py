"""Grow: hair laid into a gap as the hair beside it lies, counted, and only beside hair."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from lather.core.gauges.hair_grown import GAUGE
from lather.core.gauges.registry import pictures_of
from lather.core.job.model import Layer, new_id
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.stages.example import edit
from lather.core.stages.strands.grow_hair import count_of, hair_around
from tests.support.pictures import session_of, skin_like


def brow(turn: float = 0.5) -> np.ndarray:
    """Dark hairs at an angle over skin, with a gap in the middle."""
    pixels = skin_like(260, 340)
    rng = np.random.default_rng(3)
    for x, y in rng.uniform((30, 100), (310, 150), (420, 2)):
        if abs(x - 170) > 30:
            end = (x + 26 * np.cos(turn + rng.normal(0, 0.1)), y - 26 * np.sin(turn + rng.normal(0, 0.1)))
            cv2.line(pixels, (int(x), int(y)), tuple(map(int, end)), (14000, 9500, 7000), 1, cv2.LINE_AA)
    return pixels


class GrowTest(unittest.TestCase):
    def grown(self, pixels, points=((150, 132), (190, 128))):
        session = session_of(pixels)
        stroke = replace(edit("grow_hair", list(points), size=30), id="same")
        stage = session.job.stage("strands")
        job = session.job.with_stage(replace(stage, layers=(Layer(new_id(), "Grown", "strands", edits=(stroke,)),)))
        return session, job, stroke, session.engine.pixels(job, session.photo.bounds)

    def test_it_grows_the_way_the_hair_beside_it_does_and_of_its_colour(self):
        for turn in (0.35, 0.9):
            pixels = brow(turn)
            _, _, _, out = self.grown(pixels)
            photo = pixels / 65535
            changed = np.abs(out - photo).max(-1) > 0.05
            self.assertGreater(changed.sum(), 60)
            ys, xs = np.nonzero(changed)
            self.assertTrue((np.abs(xs - 170) < 70).all() and (np.abs(ys - 125) < 60).all())
            light = np.ascontiguousarray((photo - out).mean(-1), np.float32)
            gx, gy = cv2.Sobel(light, cv2.CV_32F, 1, 0), cv2.Sobel(light, cv2.CV_32F, 0, 1)
            way = np.angle(-((gx + 1j * gy) ** 2).sum()) / 2
            off = np.angle(np.exp(2j * (way + turn))) / 2  # the picture's y falls
            self.assertLess(abs(np.degrees(off)), 15, turn)
            own = np.abs(photo - skin_like(260, 340) / 65535).max(-1) > 0.05
            cores = [np.quantile(of[where], 0.25, axis=0) for of, where in ((out, changed), (photo, own))]
            self.assertLess(float(np.abs(cores[0] - cores[1]).max()), 0.09, "of their colour")

    def test_nothing_grows_where_no_hair_is_near(self):
        _, _, _, out = self.grown(skin_like(260, 340))
        np.testing.assert_allclose(out, skin_like(260, 340) / 65535, atol=1e-4)
        self.assertIsNone(hair_around(skin_like(90, 90).astype(np.float32) / 65535))

    def test_the_same_stroke_grows_the_same_hair_and_the_gauge_counts_it(self):
        pixels = brow()
        session, job, stroke, out = self.grown(pixels)
        *_, again = self.grown(pixels)
        np.testing.assert_array_equal(out, again)
        measures = PhotoMeasures.of_job(session.photo, job)
        self.assertEqual(GAUGE.measure(pictures_of(session.engine, job, measures)), count_of(stroke))
        self.assertGreaterEqual(count_of(stroke), 8)
        self.assertIsNone(GAUGE.measure(pictures_of(session.engine, session.job, measures)))


if __name__ == "__main__":
    unittest.main()
