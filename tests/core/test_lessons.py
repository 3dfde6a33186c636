"""The course of lessons: what a perfect, an idle and a smearing hand score, and what is said of each flaw."""

import json
import tempfile
import unittest
from functools import cache
from pathlib import Path

import cv2
import numpy as np

from lather.core.errors import RequestError
from lather.core.job.model import STAGE_IDS
from lather.core.practice.lessons import LESSONS, MANY, OWN, lesson, make_lesson, own_flaws
from lather.core.practice.outcome import (
    GONE,
    HURT,
    KEPT,
    LEFT,
    PARTS,
    SMEARED,
    folder_of,
    score_lesson,
    what_went_wrong,
)
from tests.support.commands import run_here


@cache
def spots():
    made = make_lesson(1, 4, sitter="pip", many=0.4)
    return made, folder_of(made), made.photo / np.float32(65535), made.wanted() / np.float32(65535)


def scored(result, **more):
    made, folder, _, _ = spots()
    return score_lesson(made, result, folder=folder, **more)


class CourseTest(unittest.TestCase):
    def test_ten_lessons_follow_the_course_each_with_flaws_to_mend(self):
        self.assertEqual([one.number for one in LESSONS], list(range(1, 11)))
        self.assertEqual(sum(points for _, points in PARTS.values()), 100)
        order = [STAGE_IDS.index(one.stage) for one in LESSONS[:-1]]
        self.assertEqual(order, sorted(order))
        for number in (-1, 11):
            with self.assertRaises(RequestError):
                lesson(number)

    def test_a_lesson_is_the_same_for_a_seed_and_as_strong_as_asked(self):
        middle, again, gentle = (make_lesson(1, 4, sitter="pip", many=0.2, strength=strength)
                                 for strength in ("middle", "middle", "gentle"))
        np.testing.assert_array_equal(middle.photo, again.photo)
        off = [np.abs(one.photo.astype(int) - one.truth).sum() for one in (middle, gentle)]
        self.assertAlmostEqual(off[1] / off[0], 0.65, delta=0.02)
        with self.assertRaises(RequestError):
            make_lesson(1, 4, strength="furious")


    def test_a_mixture_of_ones_own_has_the_kinds_and_numbers_asked_for(self):
        flaws = own_flaws(["mole", "yellow_teeth"], MANY["few"])
        self.assertEqual(flaws, {"mole": 2, "yellow_teeth": 1})
        made = make_lesson(OWN.number, 4, sitter="pip", flaws={"mole": 2})
        self.assertEqual([flaw.kind for flaw in made.flaws], ["mole", "mole"])
        with self.assertRaises(RequestError):
            own_flaws([])


class HandsTest(unittest.TestCase):
    def test_the_truth_scores_all_and_the_photo_nothing(self):
        _, _, photo, truth = spots()
        perfect, idle = scored(truth), scored(photo)
        self.assertEqual(perfect.score, 100)
        self.assertEqual(perfect.count(LEFT) + perfect.count(SMEARED), 0)
        self.assertEqual(idle.score, 0)
        self.assertEqual(idle.count(GONE), 0)
        self.assertEqual(idle.count(KEPT), sum(flaw.keeper for flaw in spots()[0].flaws))
        self.assertEqual(idle.touched, 0)

    def test_a_smearing_hand_is_told_so_and_scores_little(self):
        _, _, photo, _ = spots()
        score = scored(cv2.GaussianBlur(photo, (0, 0), 12))
        self.assertLess(score.score, 40)
        self.assertGreater(score.touched, 0.01)
        self.assertIn("touched", " ".join(what_went_wrong(score)).lower())

    def test_one_flaw_blurred_one_left_and_a_keeper_taken_are_each_named(self):
        made, _, photo, truth = spots()
        result = truth.copy()
        blurred, left = [flaw for flaw in made.flaws if not flaw.keeper][:2]
        mole = next(flaw for flaw in made.flaws if flaw.keeper)
        for flaw, source in ((blurred, cv2.GaussianBlur(truth, (0, 0), 5)), (left, photo), (mole, None)):
            reach = int(1.1 * flaw.size_px) + 4
            part = np.s_[int(flaw.y) - reach : int(flaw.y) + reach, int(flaw.x) - reach : int(flaw.x) + reach]
            result[part] = np.median(truth[part], axis=(0, 1)) if source is None else source[part]
        score = scored(result)
        states = {one.flaw["id"]: one.state for one in score.outcomes}
        self.assertEqual(states[blurred.id], SMEARED)
        self.assertEqual(states[left.id], LEFT)
        self.assertEqual(states[mole.id], HURT)
        self.assertLess(score.score, 95)
        self.assertAlmostEqual(sum(one.points for one in score.outcomes),
                               score.points["removed"] - PARTS["removed"][1], delta=0.4)
        said = " ".join(what_went_wrong(score))
        for words in ("R keeps it", "smoothed away", "1 left"):
            self.assertIn(words, said)

    def test_minutes_count_only_against_the_clock(self):
        truth = spots()[3]
        self.assertEqual(scored(truth, seconds=9000).score, 100)
        self.assertEqual(scored(truth, seconds=60, minutes=1).score, 100)
        self.assertEqual(scored(truth, seconds=120, minutes=1).points["minutes"], 0)
        self.assertAlmostEqual(scored(truth, seconds=90, minutes=1).points["minutes"], 2.5)


class CommandTest(unittest.TestCase):
    def test_a_lesson_is_written_and_scored_on_the_command_line(self):
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "lesson"
            given = ["practice", "lesson", "1", "--seed", "4", "--sitter", "pip", "--many", "0.2"]
            code, said = run_here(*given, "--out", out)
            self.assertEqual(code, 0)
            self.assertIn("Lesson 1, Spots", said)
            code, said = run_here(*given, "--result", out / "wanted.png")
            self.assertRegex(said, r"score +100\.0 of 100")
            code, said = run_here(*given, "--result", out / "photo.png", "--json")
            found = json.loads(said)
            self.assertEqual(found["score"], 0)
            self.assertEqual({one["state"] for one in found["flaws"]}, {LEFT, KEPT})


if __name__ == "__main__":
    unittest.main()
