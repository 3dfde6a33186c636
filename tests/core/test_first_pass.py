"""The first pass and its verdict: what is sure is done, nothing over its limits is left unasked, reasons are told."""

import functools
import json
import tempfile
import unittest
from collections import Counter
from dataclasses import replace
from pathlib import Path

import cv2

from lather.cli import auto
from lather.core.colour.profiles import srgb_profile
from lather.core.gauges.pull_back import FEW_TILES, over_limit
from lather.core.gauges.registry import measured_whole
from lather.core.imageio.write import write_picture
from lather.core.job.commands import AddEdits
from lather.core.job.finds import SURE_FROM
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.automatic import Verdict, first_pass, judge
from lather.core.people.contours import Contours
from lather.core.practice.make import make_plate
from lather.core.stages.mend.dab import dab_stroke
from tests.support.commands import run_here
from tests.support.pictures import session_of
from tests.support.sets import some

FLAWS = {"blemish_dark": 8, "blemish_red": 6, "mole": 2, "stray_hair": 3, "blotch": 4}


@functools.cache
def pixels(sitter: str = "tilda"):
    whole = make_plate(sitter, 12, flaws=FLAWS).photo
    return cv2.resize(whole, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)


@functools.cache
def passed(route: str, over: bool = False):
    """(session, verdict) of one pass, for tests that only read it."""
    session = session_of(pixels())
    return session, first_pass(session.engine, session.history, route=route, over=over)


class FirstPassTest(unittest.TestCase):
    def test_what_is_sure_is_done_and_nothing_is_over_on_any_route(self):
        for route in some(("veil", "light", "bands", "sweep"), 2):
            session, verdict = passed(route)
            self.assertEqual([one.gauge.id for one in verdict.over], [], route)
            made_for = {edit.find for layer in session.job.stage("mend").layers for edit in layer.edits if edit.find}
            by_id = {find.id: find for find in session.job.finds}
            self.assertTrue(made_for, route)
            self.assertTrue(all(by_id[one].confidence >= SURE_FROM for one in made_for if one in by_id))
            values = measured_whole(session.engine, session.job, PhotoMeasures.of_job(session.photo, session.job),
                                    most_tiles=FEW_TILES)
            out = {one.gauge.id for one in over_limit(values, None)} - {one.gauge.id for one in verdict.before}
            self.assertEqual(out, set(), route)

    def test_over_leaves_the_route_as_it_is_laid(self):
        (asked, left), (unasked, pulled) = passed("veil", True), passed("veil")
        self.assertEqual(left.pulled, [])
        strengths = [[layer.strength for layer in session.job.stage("split").layers] for session in (asked, unasked)]
        self.assertTrue(left.over, "the veil at its start leaves every limit: choose another sitter")
        self.assertTrue(pulled.pulled)
        self.assertLess(sum(strengths[1]), sum(strengths[0]))

    def test_an_edit_that_took_a_contour_is_dropped_and_named(self):
        session = session_of(pixels())
        measures = PhotoMeasures.of_job(session.photo, session.job)
        jaw = max((one for one in Contours.of(measures.people).all if one.what == "jaw"), key=lambda c: len(c.points))
        found = first_pass(session.engine, session.history, route="mend")
        find = next(find for find in session.job.finds if find.kind == "blemish_dark")
        x, y = (float(v) for v in jaw.points[len(jaw.points) // 3])
        layer = session.job.stage("mend").layers[0]
        stroke = replace(dab_stroke(x, y, 0.15 * jaw.head_px, find=find.id), tool="copy",
                         offset=(0, -int(0.3 * jaw.head_px)))
        session.history.do(AddEdits("mend", layer.id, (stroke,)))
        verdict = replace_counts(found)
        judge(session.engine, session.history, measures, verdict)
        edits = [edit.id for one in session.job.stage("mend").layers for edit in one.edits]
        self.assertNotIn(stroke.id, edits)
        self.assertTrue(any("jaw" in str(one.why) for one in verdict.refused))

    def test_the_verdict_in_words(self):
        self.assertEqual(Verdict().lines(), ["every gauge is inside its limits"])
        said = Verdict(left_alone=Counter({"contour": 3}), to_look_at=Counter({"crease": 2})).lines()
        self.assertIn("left alone: 3 contour", said)
        self.assertTrue(any(line.startswith("look yourself: 2") for line in said))

    def test_on_the_command_line(self):
        with tempfile.TemporaryDirectory() as folder:
            photo, out = Path(folder) / "a.png", Path(folder) / "b.png"
            write_picture(photo, pixels(), profile=srgb_profile())
            code, printed = run_here("auto", photo, "--out", out, "--route", "light", "--json")
            self.assertEqual(code, 0, printed)
            told = json.loads(printed)
            self.assertLessEqual({"to_look_at", "left_alone", "dropped", "pulled_back", "over", "gauges", "verdict"},
                                 set(told))
            self.assertEqual(told["over"], {})
            self.assertIn("contours_kept", told["gauges"])
            self.assertTrue(auto._line(told).splitlines()[1:])


def replace_counts(verdict: Verdict) -> Verdict:
    """A verdict that goes on from another."""
    return Verdict(found=verdict.found, mended=dict(verdict.mended))


if __name__ == "__main__":
    unittest.main()
