"""What tools for skin leave out: where it lies, how a stroke gets it as its fence, and that fences may be cut."""

import functools
import unittest

import cv2
import numpy as np

from lather.core.engine.engine import faces_of
from lather.core.job.face_mesh import BROWS, EYES, LIPS_OUTER, NOSTRILS
from lather.core.job.fence import Fence
from lather.core.job.finds import Find
from lather.core.mending.under_pointer import look_under
from lather.core.people.guard import Guard
from lather.core.people.reading import people_of
from lather.core.types import Rect
from tests.support.faces import made_face
from tests.support.pictures import session_of


@functools.cache
def face(sitter: str = "wren"):
    return made_face(sitter)


@functools.cache
def guard(sitter: str = "wren") -> Guard:
    session = face(sitter).session()
    return Guard.of(people_of(session.photo), faces_of(session.job), session.photo.bounds)


def cheek(sitter: str = "wren") -> tuple[float, float]:
    points = face(sitter).measures.face.points
    x, y = 0.5 * (np.array(points["eye_left"]) + points["mouth_left"])
    return float(x), float(y)


class GuardTest(unittest.TestCase):
    def test_features_hair_and_what_is_behind_are_closed_and_cheeks_are_open(self):
        for sitter in ("wren", "tilda"):
            mesh, own = face(sitter).measures.face.mesh_px, guard(sitter)
            for ring in (LIPS_OUTER, EYES["left"], EYES["right"], NOSTRILS["left"], BROWS["right"]):
                self.assertTrue(own.is_closed(*mesh[list(ring)].mean(0)), (sitter, ring))
            self.assertTrue(own.is_closed(3, 3), sitter)
            x, y = cheek(sitter)
            self.assertFalse(own.is_closed(x, y), sitter)
            self.assertFalse(own.is_closed(*face(sitter).measures.face.points["chin"]), sitter)

    def test_a_fence_lets_skin_through_and_fades_beside_what_is_left_out(self):
        x, y = face().measures.face.mesh_px[list(LIPS_OUTER)].mean(0)
        rect = Rect(int(x) - 60, int(y) - 60, int(x) + 60, int(y) + 60)
        cover = guard().fence(rect).coverage(rect)
        self.assertEqual(float(cover[60, 60]), 0.0)
        self.assertGreater(float((cover == 1).mean()), 0.2)
        between = ((cover > 0.05) & (cover < 0.95)).mean()
        self.assertGreater(float(between), 0.01)
        self.assertLess(float(np.abs(np.diff(cover, axis=0)).max()), 0.75)

    def test_tools_for_a_part_keep_inside_of_it_and_of_the_fence_of_the_person(self):
        session = face("tilda").session()
        own = guard("tilda").with_parts(face("tilda").measures.zones, faces_of(session.job))
        iris = face("tilda").measures.face.irises["left"][:2]
        eyes = own.only(("irises", "eye_whites"))
        self.assertTrue(eyes.reaches(*iris, 1.0))  # an iris lies in its eye white, and is no hole in it
        self.assertFalse(eyes.reaches(*cheek("tilda"), 1.0))
        half = Fence((((0, 0), (iris[0], 0), (iris[0], 5000), (0, 5000)),), 2.0)
        both = own.only(("irises",), half)
        self.assertTrue(both.reaches(iris[0] - 6, iris[1], 1.0))
        self.assertFalse(both.reaches(iris[0] + 6, iris[1], 1.0))
        self.assertIs(guard("tilda").only(("teeth",), half), half)  # not seen: as the person has it

    def test_a_stroke_may_work_on_what_it_begins_on_and_on_nothing_else(self):
        mesh = face().measures.face.mesh_px
        lips = tuple(float(v) for v in mesh[list(LIPS_OUTER)].mean(0))
        nostril = tuple(float(v) for v in mesh[list(NOSTRILS["left"])].mean(0))
        fence = guard().fence(from_place=lips)
        self.assertTrue(fence.reaches(*lips, 1.0))
        self.assertFalse(fence.reaches(*nostril, 0.5))
        self.assertFalse(guard().fence().reaches(*lips, 1.0))

    def test_keepers_stay_and_the_own_fence_holds_as_well(self):
        x, y = cheek()
        mole = Find("mole-1", "mole", x, y, 10.0, 9.0, 0.9, keeper=True)
        around = Rect(int(x) - 50, int(y) - 50, int(x) + 50, int(y) + 50)
        fence = guard().fence(around, from_place=(x + 30, y), keepers=[mole])
        self.assertFalse(fence.reaches(x, y, 1.0))
        self.assertTrue(fence.reaches(x + 20, y, 1.0))
        near_lips = Rect(*around[:2], around.x1, around.y1 + 400)  # there is a fence, and the mole is open in it
        self.assertTrue(guard().fence(near_lips, from_place=(x, y), keepers=[mole]).reaches(x, y, 1.0))
        left = Fence((((x - 40, y - 40), (x, y - 40), (x, y + 40), (x - 40, y + 40)),), 2.0)
        both = guard().fence(around, keepers=[mole], own=left)
        self.assertTrue(both.reaches(x - 20, y, 1.0))
        for away in (0, 20):
            self.assertFalse(both.reaches(x + away, y, 1.0))

    def test_it_is_the_same_whichever_part_of_it_is_asked_for(self):
        x, y = (int(v) for v in face().measures.face.points["mouth_left"])
        rect = Rect(x - 30, y - 30, x + 30, y + 30)
        whole, part = guard().fence(), guard().fence(rect)
        np.testing.assert_allclose(part.coverage(rect), whole.coverage(rect), atol=0.02)
        cut = whole.clipped(rect)
        self.assertLess(cut.corners, 0.2 * whole.corners)
        np.testing.assert_allclose(cut.coverage(rect), whole.coverage(rect), atol=0.02)

    def test_where_nobody_is_there_is_no_guard(self):
        session = face().session(np.full((300, 300, 3), 20000, np.uint16))
        self.assertIsNone(Guard.of(people_of(session.photo), (), session.photo.bounds))


class MeasuredTest(unittest.TestCase):
    def test_spots_beside_edges_are_measured_as_if_there_were_none(self):
        """Of forty spots of 6 to 14 px, within two of their widths of a feature, hair or the ground."""
        right = 0
        for sitter in ("wren", "tilda"):
            own, shot, rng = guard(sitter), face(sitter).photo, np.random.default_rng(7)
            away = own.step * cv2.distanceTransform((own.closed == 0).astype(np.uint8), cv2.DIST_L2, 5)
            mesh = face(sitter).measures.face.mesh_px
            ys, xs = (own.step * n for n in np.nonzero(away > 0))
            on_face = (xs > mesh[:, 0].min()) & (xs < mesh[:, 0].max()) & (ys > mesh[:, 1].min()) & (
                ys < mesh[:, 1].max())
            for _ in range(20):
                size = rng.uniform(6, 14)
                off = away[ys // own.step, xs // own.step]
                x, y = rng.choice(np.stack([xs, ys], 1)[on_face & (off > 0.8 * size) & (off < 2 * size)])
                here = np.s_[y - 40 : y + 41, x - 40 : x + 41]
                rows, columns = np.mgrid[here]
                spot = np.clip((size / 2 + 1 - np.hypot(columns - x, rows - y)) / 2, 0, 1)
                made = shot.copy()
                made[here] = made[here] * (1 - 0.3 * spot[..., None])
                found = look_under(session_of(made).photo, float(x), float(y), guard=own)
                right += found is not None and abs(found.size_px / (1.4 * size + 3) - 1) < 0.3
        self.assertGreaterEqual(right, 36)


class ClippedTest(unittest.TestCase):
    def test_cut_fences_cover_the_same_inside(self):
        rng = np.random.default_rng(4)
        for _ in range(40):
            rings = tuple(tuple((float(x), float(y)) for x, y in rng.uniform(-60, 160, (int(rng.integers(3, 9)), 2)))
                          for _ in range(int(rng.integers(1, 4))))
            fence = Fence(rings, float(rng.choice([0.0, 4.0])))
            rect = Rect(20, 30, 70, 60)
            off = np.abs(fence.clipped(rect).coverage(rect) - fence.coverage(rect))
            self.assertLess(float((off > 0.45).mean()), 0.04)  # pixels of the rims

    def test_a_touch_is_seen_inside_or_not(self):
        ring = ((10.0, 10.0), (50.0, 10.0), (50.0, 50.0), (10.0, 50.0))
        hole = ((20.0, 20.0), (40.0, 20.0), (40.0, 40.0), (20.0, 40.0))
        fence = Fence((ring, hole), 0.0)
        for place, radius, inside in (((15, 15), 1, True), ((30, 30), 4, False), ((30, 30), 12, True),
                                      ((5, 30), 2, False), ((5, 30), 8, True), ((300, 30), 500, True)):
            self.assertEqual(fence.reaches(*place, radius), inside, (place, radius))


if __name__ == "__main__":
    unittest.main()
