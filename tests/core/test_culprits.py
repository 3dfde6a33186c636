"""Gauges that come from single edits: the edit is changed, measured, and all others stay as they are."""

import unittest

import numpy as np

from lather.core.gauges.pull_back import FEW_TILES, pull_back
from lather.core.gauges.registry import measured_whole
from lather.core.job.commands import SetFinds
from lather.core.job.finds import Find
from lather.core.mending.culprits import culprits, way_back
from tests.core.test_restraint import dabbed, laid, skin_places, stroke
from tests.support.faces import made_face

_KIND = "natural portrait"


def values_of(session, face) -> dict:
    return measured_whole(session.engine, session.job, face.measures, most_tiles=FEW_TILES)


class WayBackTest(unittest.TestCase):
    def setUp(self):
        self.face = made_face()
        self.session = self.face.session()
        self.width = self.face.measures.face_width_px

    def edits(self) -> tuple:
        return self.session.job.stage("mend").layers[0].edits

    def offer(self, **more):
        return way_back(self.session.engine, self.session.job, self.face.measures, values_of(self.session, self.face),
                        _KIND, **more)

    def test_one_repeat_among_twenty_five_mends_takes_other_skin_and_the_rest_stays(self):
        places, rng = skin_places(0.05), np.random.default_rng(2)
        chosen: list[tuple[float, float]] = []
        for n in rng.permutation(len(places)):
            if all(np.hypot(places[n][0] - x, places[n][1] - y) > 0.06 * self.width for x, y in chosen):
                chosen.append(places[n])
            if len(chosen) == 24:
                break
        self.assertEqual(dabbed(self.session, chosen, 0.02 * self.width), 24)
        first = self.edits()[0]
        x, y = first.points[0, :2]
        off = np.array(first.offset)
        far = max(chosen[1:], key=lambda p: np.hypot(p[0] - x, p[1] - y))
        again = stroke("dab", [(far[0] + 0.03 * self.width, far[1])], first.brush.size_px, offset=tuple(
            int(v) for v in np.array([x, y]) + off - (far[0] + 0.03 * self.width, far[1])))
        laid(self.session, again)
        before = self.edits()
        self.assertEqual([edit.id for _, _, edit in culprits(self.session.engine, self.session.job, self.face.measures,
                                                             "repeats")], [again.id])
        offer = self.offer(only=["repeats"])
        self.assertEqual((offer.steps, [step.edit_id for step in offer.edits]), ((), [again.id]))
        self.assertIn("repeats", offer.helped)
        self.assertIn("1 mend with other skin", str(offer.lines()[0]))
        self.session.history.do(offer.command)
        after = self.edits()
        self.assertTrue(all(a is b for a, b in zip(before[:24], after[:24])))
        self.assertNotEqual(after[24].offset, before[24].offset)
        self.assertEqual(values_of(self.session, self.face)["repeats"], 0)
        self.session.history.undo()
        self.assertEqual(self.edits()[24].offset, again.offset)

    def test_a_mend_over_a_keeper_is_kept_off_it(self):
        x, y = skin_places()[len(skin_places()) // 2]
        shot = self.face.photo.copy()
        size = 0.025 * self.width
        ys, xs = np.mgrid[: shot.shape[0], : shot.shape[1]]
        shot[np.hypot(xs - x, ys - y) < size / 2] //= 2
        self.session = self.face.session(shot)
        mole = Find("mole-1", "mole", x, y, size, 20.0, 0.95, keeper=True)
        self.session.history.do(SetFinds((mole,), self.session.job.face_map))
        laid(self.session, stroke("copy", [(x + 0.01 * self.width, y)], 0.06 * self.width,
                                  offset=(int(0.12 * self.width), 0)))
        values = values_of(self.session, self.face)
        self.assertLess(values["keepers_intact"], 1)
        offer = self.offer(only=["keepers_intact"])
        self.assertEqual((offer.steps, [step.what for step in offer.edits]), ((), ["kept off a mole"]))
        self.session.history.do(offer.command)
        self.assertEqual(values_of(self.session, self.face)["keepers_intact"], 1)

    def test_a_stroke_that_spills_is_kept_on_skin(self):
        mesh, up = self.face.measures.face.mesh_px, (0, -int(0.3 * self.width))
        for x, y in (mesh[[0, 17]].mean(0), mesh[[159, 145]].mean(0), mesh[[386, 374]].mean(0)):
            laid(self.session, stroke("copy", [(x - 0.12 * self.width, y), (x, y)], 0.2 * self.width, offset=up))
        spilled = values_of(self.session, self.face)["spill"]
        offer = way_back(self.session.engine, self.session.job, self.face.measures, {"spill": 9.0}, _KIND)
        self.assertEqual({(step.gauge, step.what) for step in offer.edits}, {("spill", "kept on skin")})
        self.session.history.do(offer.command)
        self.assertLess(values_of(self.session, self.face)["spill"], 0.8 * spilled)

    def test_no_layer_that_hides_flaws_is_turned_down_far(self):
        places = [skin_places()[n] for n in np.linspace(0, len(skin_places()) - 1, 150).astype(int)]
        laid(self.session, *(stroke("blend_in", [(x, y)], 0.26 * self.width) for x, y in places))
        values = values_of(self.session, self.face)
        self.assertLess(values["texture_kept"], 94)
        offer = pull_back(self.session.engine, self.session.job, self.face.measures, values, "identity-true",
                          only=["texture_kept"])
        for step in offer.steps:
            self.assertGreaterEqual(step.after, 0.69 * step.before)
            self.assertEqual(step.mends, 150)
            self.assertIn("mends weaker", str(step.text()))
        if not offer.steps:
            self.assertIn("bring back", str(offer.beyond["texture_kept"]))


if __name__ == "__main__":
    unittest.main()
