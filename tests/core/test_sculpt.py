"""Sculpt: light and shade that follow the form, proposed paths, and how much a kind of job allows."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from lather.core.brush.values import Brush
from lather.core.colour.lab import srgb_lightness, srgb_to_lab
from lather.core.job.commands import AddLayer, SetBrief, SetLayer
from lather.core.job.model import Layer, Stroke, freeze_points, new_id
from lather.core.measure.bands import modelling_spread, texture_energy
from lather.core.practice.sitters import LIPS, SKIN
from lather.core.stages.sculpt.kind import most_stops
from lather.core.stages.sculpt.paths import BOTH_EYES, SHARE, _along, laid_stops, lay_command, proposals
from tests.support.faces import made_face

_REASONS = ("", "turned away", "in shade", "in the light", "dark already", "bright already", "lashes there",
            "at the lips")


def painted(session, tool, places, size, following=0.0, **layer):
    points = freeze_points([(x, y, 1, 0.05 * n) for n, (x, y) in enumerate(places)])
    stroke = Stroke(new_id(), tool, Brush(size_px=size, edge=0.5, ceiling=1.0, flow=1.0), points)
    one = Layer(new_id(), "By hand", "sculpt", edits=(stroke,), settings={"following": following}, **layer)
    return AddLayer("sculpt", one, len(session.job.stage("sculpt").layers)).apply(session.job)


class PathsTest(unittest.TestCase):
    def setUp(self):
        self.face = made_face()
        self.session = self.face.session()
        self.rows = proposals(self.session.engine, self.session.job)

    def test_all_places_are_looked_at_and_those_the_light_does_not_call_for_are_left_out_with_a_reason(self):
        self.assertEqual(len(self.rows), 18)
        proposed = [one for one in self.rows if not one.left_out]
        self.assertGreaterEqual(len(proposed), 8)
        for one in self.rows:
            self.assertIn(one.left_out, _REASONS)
        for one in proposed:
            self.assertGreaterEqual(np.mean(one.follows), 0.25)
            self.assertEqual(one.stops(0.25) > 0, one.tool == "light")

    def test_a_cheek_in_shade_gets_no_light(self):
        turned = self.face.photo.astype(np.float64)
        middle = self.face.measures.face.points["nose_tip"][0]
        side = np.clip((np.arange(turned.shape[1]) - middle) / (0.25 * self.face.measures.face.width_px), 0, 1)
        dark = turned * (1 - 0.8 * side)[None, :, None]
        session = self.face.session(np.round(dark).astype(np.uint16))
        rows = {one.id: one for one in proposals(session.engine, session.job)}
        self.assertTrue(rows["cheekbone_right"].left_out)
        self.assertFalse({one.id: one for one in self.rows}["cheekbone_left"].left_out
                         and {one.id: one for one in self.rows}["cheekbone_right"].left_out)

    def test_both_eyes_get_the_same_stops(self):
        for one in self.rows:
            if one.id in BOTH_EYES:
                left, right = (one.ceiling(n, 0.25) * (0.2 + 0.8 * one.follows[n]) for n in (0, 1))
                self.assertAlmostEqual(left, right, places=6)
        apart = proposals(self.session.engine, self.session.job, both_eyes=False)
        self.assertTrue(all(one.weights[0] == one.weights[-1] for one in apart))

    def test_they_are_laid_as_one_step_of_ordinary_edits_on_two_layers(self):
        self.session.history.do(lay_command(self.session.job, self.rows))
        layers = self.session.job.stage("sculpt").layers
        self.assertEqual([x.name for x in layers], ["Light", "Shade"])
        self.assertEqual({e.tool for x in layers for e in x.edits}, {"light", "shade"})
        self.assertTrue(all(e.note for x in layers for e in x.edits))
        light, shade = laid_stops(self.session.engine, self.session.job)
        self.assertGreater(light, 0.08)
        self.assertGreater(shade, 0.08)
        self.session.history.undo()
        self.assertEqual(self.session.job.stage("sculpt").layers, ())
        self.assertIsNone(lay_command(self.session.job, []))

    def test_without_a_face_nothing_is_proposed(self):
        session = self.face.session()
        job = replace(session.job, face_map=None)
        self.assertEqual(proposals(session.engine, job), [])


class FiguresTest(unittest.TestCase):
    """All proposals at the starting share, on light and on dark skin (benchmarks/sculpt_quality.py has all five)."""

    def test_the_form_gains_and_texture_colour_and_edges_stay(self):
        for sitter in ("wren", "tilda"):
            face = made_face(sitter)
            session, width = face.session(), face.measures.face.width_px
            job = lay_command(session.job, proposals(session.engine, session.job)).apply(session.job)
            bounds = session.photo.bounds
            before, after = (session.engine.pixels(j, bounds) for j in (session.job, job))
            skin = (face.zones == SKIN).astype(np.float32)
            labs = [srgb_to_lab(p) for p in (before, after)]
            modelling = np.divide(*(modelling_spread(lab[..., 0], skin, width) for lab in labs[::-1]))
            self.assertGreater(modelling, 1.01, sitter)
            self.assertLess(modelling, 1.13, sitter)
            texture = np.divide(*(texture_energy(lab, skin, width) for lab in labs[::-1]))
            self.assertAlmostEqual(texture, 1, delta=0.03, msg=sitter)
            self.assertLessEqual(((after >= 1) & (before < 1)).mean(), 0)
            lips = (face.zones == LIPS).astype(np.uint8)
            edge = cv2.morphologyEx(lips, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0
            change = np.abs(srgb_lightness(after) - srgb_lightness(before))
            self.assertLess(np.percentile(change[edge], 95), 0.3, sitter)


def bends(picture, path, reach, sigma):
    """Second derivatives (places, steps) of a picture, seen at a scale, on lines across a path; px."""
    seen = cv2.GaussianBlur(picture.astype(np.float32), (0, 0), sigma)
    along = np.gradient(path, axis=0)
    across = along[:, ::-1] * (-1, 1) / (np.linalg.norm(along, axis=1)[:, None] + 1e-9)
    steps = np.arange(-reach, reach + 1)
    xs, ys = (path[:, None, n] + steps * across[:, None, n] for n in (0, 1))
    lines = cv2.remap(seen, xs.astype(np.float32), ys.astype(np.float32), cv2.INTER_LINEAR,
                      borderMode=cv2.BORDER_REPLICATE)
    by = max(1, round(sigma))
    return np.abs(lines[:, 2 * by :] - 2 * lines[:, by:-by] + lines[:, : -2 * by]) / by**2


class RimTest(unittest.TestCase):
    """What “lay all” puts down has no rim: across every path, and where two meet, it bends less than the photo does."""

    def test_all_paths_together_bend_less_than_the_photo_by_itself(self):
        for sitter in ("wren", "tilda"):
            face = made_face(sitter)
            session, width = face.session(), face.measures.face.width_px
            rows = [one for one in proposals(session.engine, session.job) if not one.left_out]
            self.assertGreaterEqual(sum(len(one.paths) for one in rows), 16)
            for share in (SHARE, 2 * SHARE):
                job = lay_command(session.job, rows, share).apply(session.job)
                before, after = (srgb_lightness(session.engine.pixels(j, session.photo.bounds))
                                 for j in (session.job, job))
                for sigma in (1.0, 0.01 * width):
                    for one in rows:
                        for path in one.paths:
                            places = _along(path, 4.0)
                            reach = round(0.75 * one.width_px + 3 * sigma)
                            laid, own = (bends(picture, places, reach, sigma).max()
                                         for picture in (after - before, before))
                            self.assertLess(laid, own, (sitter, share, sigma, one.id))


class LimitsTest(unittest.TestCase):
    def setUp(self):
        self.face = made_face()
        self.session = self.face.session()
        eye, mouth = (np.array(self.face.measures.face.points[k]) for k in ("eye_left", "mouth_left"))
        self.cheek = [tuple(0.5 * (eye + mouth) + (dx, 0)) for dx in (-14, 0, 14)]

    def stops(self, job, kind):
        job = SetBrief("kind", kind).apply(job)
        light, shade = laid_stops(self.session.engine, job)
        return light if light > 0 else -shade

    def test_no_more_than_the_kind_of_job_allows_over_all_layers_together(self):
        for tool, sign in (("light", 1), ("shade", -1)):
            job = painted(self.session, tool, self.cheek, 60)
            second = job.stage("sculpt").layers[0]
            job = AddLayer("sculpt", replace(second, id=new_id(), name="Again"), 1).apply(job)
            for kind in ("natural portrait", "newborn/child", "identity-true"):
                most = dict(zip((1, -1), most_stops(kind)))[sign]
                self.assertAlmostEqual(self.stops(job, kind), sign * most, places=3, msg=(tool, kind))
        both = laid_stops(self.session.engine, SetBrief("kind", "newborn/child").apply(job))
        self.assertLessEqual(max(both), 0.2 + 1e-6)

    def test_following_lays_less_where_the_light_does_not_call_for_it(self):
        job = painted(self.session, "shade", self.cheek, 60)
        layer = job.stage("sculpt").layers[0]
        bound = SetLayer("sculpt", layer.id, "settings", {"following": 1.0}).apply(job)
        x, y = (int(v) for v in self.cheek[1])
        rect = self.session.photo.bounds._replace(x0=x - 3, y0=y - 3, x1=x + 3, y1=y + 3)
        plain, free, follows = (self.session.engine.pixels(j, rect).mean() for j in (self.session.job, job, bound))
        self.assertLess(plain - follows, 0.6 * (plain - free))


if __name__ == "__main__":
    unittest.main()
