"""Drawn marks: found or outlined by hand, left alone by every route, no ghosts of them beside them."""

import functools
import unittest
from dataclasses import replace

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.find.areas.drawn_marks import find_drawn_marks
from lather.core.find.finder import find_all
from lather.core.find.scene import FindScene
from lather.core.job.agreements import asks_client, state_by_agreement
from lather.core.job.commands import OutlineFind, SetFinds
from lather.core.job.drawn_marks import drawn_marks, grown, lies_on, outlined, reaches, within
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.edit_for_find import can_mend, mend_all
from lather.core.mending.evening_by_route import evening_command
from lather.core.practice.make import Plate, make_plate
from lather.core.practice.sitters import load_sitter
from lather.core.stages.mend.dab import dab_stroke
from lather.core.types import as_float32
from tests.support.pictures import session_of
from tests.support.sets import for_release, some

ROUTES = ("light", "bands", "sweep", "veil")


@functools.cache
def plate(sitter: str = "wren", seed: int = 41) -> Plate:
    return make_plate(sitter, seed, flaws={"drawn_mark": 1, "blemish_dark": 6})


@functools.cache
def measures(sitter: str = "wren", seed: int = 41) -> PhotoMeasures:
    return PhotoMeasures(session_of(plate(sitter, seed).photo).photo)


def ink_of(made: Plate) -> np.ndarray:
    flaw = next(flaw for flaw in made.flaws if flaw.kind == "drawn_mark")
    inside = np.zeros(made.photo.shape[:2], np.uint8)
    cv2.fillPoly(inside, [np.round(np.array(flaw.outline)).astype(np.int32)], 1)
    off = np.abs(as_float32(made.photo) - as_float32(made.truth)).max(-1) > 0.04
    return (inside > 0) & off


class FoundTest(unittest.TestCase):
    def test_a_drawn_mark_is_found_with_its_gaps(self):
        made = plate()
        flaw = next(flaw for flaw in made.flaws if flaw.kind == "drawn_mark")
        finds = find_drawn_marks(FindScene(measures()))
        self.assertTrue(finds)
        find = min(finds, key=lambda one: np.hypot(one.x - flaw.x, one.y - flaw.y))
        covered = [within(find, x, y, 3.0) for x, y in zip(*np.nonzero(ink_of(made))[::-1])]
        self.assertGreater(np.mean(covered), 0.85)
        self.assertTrue(find.keeper)
        self.assertFalse(can_mend(find))

    def test_none_on_clean_sitters(self):
        for sitter in some(("wren", "ambrose", "tilda", "pip", "marlow"), 3):
            scene = FindScene(PhotoMeasures(session_of(load_sitter(sitter).picture.pixels).photo))
            self.assertEqual([find.id for find in find_drawn_marks(scene)], [], sitter)

    def test_it_stays_and_the_client_is_asked(self):
        self.assertEqual(state_by_agreement({}, "drawn_mark", True), "keep")
        self.assertTrue(asks_client({}, "drawn_mark"))


class LeftAloneTest(unittest.TestCase):
    def check(self, route: str, sitter: str = "wren", seed: int = 41) -> None:
        made = plate(sitter, seed)
        flaw = next(flaw for flaw in made.flaws if flaw.kind == "drawn_mark")
        session, known = session_of(made.photo), measures(sitter, seed)
        session.history.do(SetFinds((), known.face, known.faces[1:]))
        session.history.do(OutlineFind(outlined(flaw.outline)))
        command = evening_command(session.engine, session.job, known, route)
        self.assertIsNotNone(command, route)
        session.history.do(command)
        before, after = as_float32(made.photo), session.engine.pixels(session.job, session.photo.bounds)
        ink = ink_of(made)
        change = delta_e2000(srgb_to_lab(before[ink][None]), srgb_to_lab(after[ink][None]))
        self.assertLessEqual(float(change.mean()), 0.5, route)
        self.assertLess(float(np.percentile(change, 99)), 0.5, route)
        # a ghost would darken skin beside the mark as the ink does
        ring = cv2.dilate(ink.astype(np.uint8), np.ones((81, 81), np.uint8)).astype(bool) & (made.zones == 1)
        ring &= ~cv2.dilate(ink.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(bool)
        darker = srgb_to_lab(before[ring][None])[0, :, 0] - srgb_to_lab(after[ring][None])[0, :, 0]
        self.assertLess(float(np.percentile(darker, 99.5)), 3.0, route)

    def test_light_leaves_it(self):
        self.check("light")

    def test_sweeps_leave_it_and_copy_nothing_of_it(self):
        self.check("sweep")

    @for_release
    def test_bands_leave_it(self):
        self.check("bands")

    @for_release
    def test_a_veil_leaves_it(self):
        self.check("veil")

    def test_no_mend_goes_over_it_or_takes_from_it(self):
        mark = outlined([(100, 100), (160, 100), (160, 140), (100, 140)])
        here = dab_stroke(130, 120, 10)
        self.assertTrue(reaches((mark,), here))
        self.assertFalse(reaches((mark,), dab_stroke(300, 120, 10)))

        self.assertTrue(reaches((mark,), replace(dab_stroke(300, 120, 10), offset=(-170, 0))))
        self.assertFalse(reaches((mark,), replace(dab_stroke(300, 120, 10), offset=(60, 0))))

    def test_spots_beside_it_are_mended_from_elsewhere(self):
        made = plate()
        session, known = session_of(made.photo), measures()
        flaw = next(flaw for flaw in made.flaws if flaw.kind == "drawn_mark")

        finds, _ = find_all(session.photo, measures=known)
        session.history.do(SetFinds(finds, known.face, known.faces[1:]))
        session.history.do(OutlineFind(outlined(flaw.outline)))
        open_finds = [f for f in session.job.finds if f.kind.startswith("blemish")]
        command, count = mend_all(session.engine, session.job, open_finds, "")
        self.assertGreater(count, 2)
        session.history.do(command)
        marks = drawn_marks(session.job)
        self.assertTrue(marks)
        for edit in session.job.edits():
            self.assertFalse(reaches(marks, edit))


class OutlinedTest(unittest.TestCase):
    def test_what_was_outlined_by_hand_outlasts_looking_anew(self):
        session = session_of(load_sitter("pip").picture.pixels)
        mark = outlined([(100, 100), (180, 100), (180, 160)])
        session.history.do(OutlineFind(mark))
        session.history.do(SetFinds((), None))
        self.assertEqual([find.id for find in session.job.finds], [mark.id])
        self.assertEqual(session.job.find_state(mark), "keep")
        session.history.undo()
        session.history.undo()
        self.assertIsNone(session.job.finds)

    def test_an_outline_grows_by_its_margin(self):
        mark = outlined([(100, 100), (200, 100), (200, 150), (100, 150)])
        ring = np.array(grown(mark, 20))
        self.assertAlmostEqual(float(ring[:, 0].min()), 80, delta=3)
        self.assertAlmostEqual(float(ring[:, 1].max()), 170, delta=3)
        self.assertTrue(lies_on((mark,), outlined([(140, 120), (150, 120), (150, 130)])))


if __name__ == "__main__":
    unittest.main()
