"""Behind the person and around the hairdo: lights, stains and bumps are found, each with a mend that takes it away."""

import functools
import unittest

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.find.ground.behind import find_behind
from lather.core.find.lines.hairdo import _on_outline, find_bumps
from lather.core.find.scene import FindScene
from lather.core.job.commands import SetBrief
from lather.core.job.finds import Find
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.edit_for_find import mend_command
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import load_sitter, on_ground
from tests.support.faces import Face, made_face
from tests.support.pictures import session_of


@functools.cache
def plate():
    made = make_plate(on_ground(load_sitter("ambrose"), "graded"), 5, flaws={"light_behind": 2, "stain_behind": 2})
    return [cv2.resize(of, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA) for of in (made.photo, made.truth)], [
        (flaw.kind, flaw.x / 2, flaw.y / 2) for flaw in made.flaws]


@functools.cache
def tilda() -> Face:
    return made_face("tilda", 4, 0.45, redness=2, shine=3, yellow_teeth=1, dull_eyes=1)


class BehindTest(unittest.TestCase):
    def test_lights_and_stains_are_found_and_exchanged_for_ground(self):
        (photo, truth), made = plate()
        session = session_of(photo)
        finds = find_behind(FindScene(PhotoMeasures(session.photo)))
        self.assertEqual(sorted(f.kind for f in finds), sorted(kind for kind, _, _ in made))
        for kind, x, y in made:
            find = min(finds, key=lambda one: np.hypot(one.x - x, one.y - y))
            self.assertEqual(find.kind, kind)
            self.assertLess(np.hypot(find.x - x, find.y - y), 12)
            self.assertFalse(find.sure, "nobody's ground is changed unasked")
        job = session.job
        for find in finds:
            job = mend_command(session.engine, job, find, "").apply(job)
        self.assertEqual({edit.tool for edit in job.stage("mend").layers[-1].edits}, {"graft"})
        labs = [srgb_to_lab(of.astype(np.float32)) for of in
                (photo / 65535, session.engine.pixels(job, session.photo.bounds), truth / 65535)]
        was, now = (delta_e2000(lab, labs[2]) for lab in labs[:2])
        self.assertLess(float(now[was > 3].mean()), 2.0)
        self.assertGreater(float(was[was > 3].mean()), 8.0)

    def test_a_calm_ground_and_a_picture_without_anybody_have_none(self):
        (_, truth), _ = plate()
        self.assertEqual(find_behind(FindScene(PhotoMeasures(session_of(truth).photo))), [])
        nobody = np.full((300, 400, 3), 20000, np.uint16)
        nobody[100:130, 200:230] = 60000
        self.assertEqual(find_behind(FindScene(PhotoMeasures(session_of(nobody).photo))), [])


class HairdoTest(unittest.TestCase):
    def outline(self, bumps=(), rough: float = 0.0) -> list[Find]:
        turn = np.linspace(0, 2 * np.pi, 1600, endpoint=False)
        rng = np.random.default_rng(3)
        wobble = np.convolve(np.tile(rng.normal(0, rough, 1600), 3), np.hanning(25) / 12, "same")[1600:3200]
        radius = 220 + wobble + sum(7 * np.exp(-(((turn - at) / 0.07) ** 2)) for at in bumps)
        rim = np.stack([300 + radius * np.cos(turn), 300 + radius * np.sin(turn)], 1)
        face = next(iter(tilda().measures.faces))
        return list(_on_outline(rim, np.ones((600, 600), np.float32), face, face.width_px / 200))

    def test_bumps_of_a_smooth_outline_are_found_with_the_way_in(self):
        found = self.outline((1.0, 4.0))
        self.assertEqual(len(found), 2)
        for find in found:
            scale = tilda().measures.faces[0].width_px / 200
            inward = np.array(find.extra["inward"])
            middle = np.array([300, 300]) * scale - (find.x, find.y)
            self.assertGreater(float(inward @ middle) / np.hypot(*inward) / np.hypot(*middle), 0.9)

    def test_a_smooth_outline_has_none_and_curls_are_none(self):
        self.assertEqual(self.outline(), [])
        self.assertEqual(self.outline(rough=4.0), [])

    def test_a_bump_is_pushed_in_by_shape_unless_reshaping_was_denied(self):
        face = tilda()
        session, x, y = face.session(), 200.0, 160.0
        find = Find("hair_bump-1", "hair_bump", x, y, 40.0, 9.0, 0.6, "hair", extra={"inward": [0.0, 9.0]})
        job = mend_command(session.engine, session.job, find, "", "strands").apply(session.job)
        edits = [edit for layer in job.stage("shape").layers for edit in layer.edits]
        self.assertEqual([(edit.tool, edit.find) for edit in edits], [("push", find.id)])
        moved = session.engine.warp(job).to_above(np.array([[x, y]]))[0] - (x, y)
        self.assertGreater(moved[1], 5)
        self.assertLess(abs(moved[0]), 1)
        told = []
        denied = SetBrief("agreed", {"reshaping": "no"}).apply(session.job)
        self.assertIsNone(mend_command(session.engine, denied, find, "", "strands", refuse=told.append))
        self.assertIn("reshaping", str(told[0].why))

    def test_on_a_face_nothing_is_found_twice(self):
        found = find_bumps(FindScene(tilda().measures))
        places = np.array([(find.x, find.y) for find in found]).reshape(-1, 2)
        for n, place in enumerate(places):
            self.assertTrue((np.hypot(*(np.delete(places, n, 0) - place).T) > 5).all())


if __name__ == "__main__":
    unittest.main()
