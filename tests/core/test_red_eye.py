"""Red eye: found in irises, made dark with its catchlight kept, and nothing else touched."""

import functools
import unittest

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.find.eyes.red_eye import find_red_eyes
from lather.core.find.scene import FindScene
from lather.core.job.commands import AddLayer, SetFinds
from lather.core.job.model import Layer
from lather.core.kinds.registry import listed_in
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.edit_for_find import can_mend, mend_all, mend_command
from lather.core.practice.make import Plate, make_plate
from lather.core.practice.sitters import load_sitter
from lather.core.stages.colour.red_eye import RedEyeKind, redness
from lather.core.types import as_float32
from tests.support.pictures import session_of


@functools.cache
def plate(sitter: str = "wren", seed: int = 31) -> Plate:
    return make_plate(sitter, seed, flaws={"red_eye": 2})


def found_on(photo: np.ndarray) -> list:
    return find_red_eyes(FindScene(PhotoMeasures(session_of(photo).photo)))


class RedEyeTest(unittest.TestCase):
    def test_both_red_pupils_are_found_where_they_are(self):
        for sitter, seed in (("wren", 31), ("tilda", 32), ("pip", 33)):
            made = plate(sitter, seed)
            finds = found_on(made.photo)
            self.assertEqual((len(made.flaws), len(finds)), (2, 2), sitter)
            for flaw in made.flaws:
                near = min(finds, key=lambda find: np.hypot(find.x - flaw.x, find.y - flaw.y))
                self.assertLess(np.hypot(near.x - flaw.x, near.y - flaw.y), 0.3 * flaw.size_px, sitter)
                self.assertLess(abs(near.size_px / flaw.size_px - 1), 0.35, sitter)
                self.assertGreater(near.confidence, 0.6)

    def test_none_in_eyes_as_they_are(self):
        for sitter in ("wren", "ambrose", "tilda", "pip"):
            self.assertEqual(found_on(load_sitter(sitter).picture.pixels), [], sitter)

    def test_the_pupil_is_dark_again_its_catchlight_stays_and_so_does_all_else(self):
        made = plate()
        session = session_of(made.photo)
        finds = found_on(made.photo)
        session.history.do(SetFinds(tuple(finds), PhotoMeasures(session.photo).face))
        self.assertTrue(all(can_mend(find) and listed_in(find.kind, "colour") for find in finds))
        command, count = mend_all(session.engine, session.job, finds, "", stage_id="colour")
        self.assertEqual(count, 2)
        session.history.do(command)
        layers = session.job.stage("colour").layers
        self.assertEqual([(layer.kind, len(layer.edits)) for layer in layers], [("red_eye", 2)])
        after, before = session.engine.pixels(session.job, session.photo.bounds), as_float32(made.photo)
        touched = np.zeros(before.shape[:2], np.uint8)
        for flaw in made.flaws:
            inside = np.zeros(before.shape[:2], np.uint8)
            cv2.fillPoly(inside, [np.round(np.array(flaw.outline)).astype(np.int32)], 1)
            core = cv2.erode(inside, np.ones((3, 3))) > 0
            red = core & (redness(before) > 0.9)
            lab = srgb_to_lab(after[red][None])[0]
            self.assertLess(float(np.median(lab[:, 0])), 22)
            self.assertLess(float(np.median(np.hypot(lab[:, 1], lab[:, 2]))), 8)
            light = core & (redness(before) == 0)
            if light.any():
                np.testing.assert_array_equal(after[light], before[light])
            touched |= cv2.dilate(inside, np.ones((25, 25), np.uint8))
        self.assertLess(float(np.abs(after - before)[touched == 0].max()), 1 / 2000)  # an eighth of a step of 8 bits

    def test_at_nothing_asked_for_nothing_is_done(self):
        made = plate()
        session = session_of(made.photo)
        settings = RedEyeKind.new_settings() | {"everywhere": True, "red_out": 0.0}
        layer = Layer("x", "Red eyes", "red_eye", settings=settings)
        session.history.do(AddLayer("colour", layer, 0))
        np.testing.assert_array_equal(session.engine.pixels(session.job, session.photo.bounds), as_float32(made.photo))

    def test_a_second_find_goes_to_the_layer_of_the_first(self):
        made = plate()
        session = session_of(made.photo)
        for find in found_on(made.photo):
            session.history.do(mend_command(session.engine, session.job, find, "", "colour"))
        self.assertEqual(len(session.job.stage("colour").layers), 1)

    def test_skin_and_lips_are_not_red_of_a_flash(self):
        for sitter in ("wren", "ambrose", "tilda"):
            own = load_sitter(sitter)
            pixels = as_float32(own.picture.pixels)
            self.assertLess(float(redness(pixels)[own.zones == 1].mean()), 0.45, sitter)
        grey = np.full((4, 4, 3), 0.5, np.float32)
        self.assertEqual(float(redness(grey).max()), 0)


if __name__ == "__main__":
    unittest.main()
