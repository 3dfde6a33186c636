"""Light in stops, and what skin needs of it: in linear light, coarse, on bare skin only, the same at any exposure."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from lather.core.colour import srgb
from lather.core.engine.engine import faces_of
from lather.core.job.commands import SetFaceMap
from lather.core.practice.sitters import HAIR, LIPS, SKIN
from lather.core.stages.even.readout import input_of_even
from lather.core.stages.light.cells import Field, Grid, Seen
from lather.core.stages.light.exposure import exposed
from lather.core.stages.light.needed import (
    BARE,
    NEEDED,
    NETWORK,
    SMALL_NETWORK,
    NeededLight,
    needed_lightness,
    new_cells,
)
from lather.core.types import Rect
from tests.support.faces import brighter, made_face
from tests.support.sets import for_release


def needed_of(session, rect=None) -> Field:
    around = input_of_even(session.engine, session.job)
    return session.engine.kinds["even"].stores.needed.over(Seen.input_of(around), rect or around.bounds)


class ExposureTest(unittest.TestCase):
    def test_stops_are_factors_of_linear_light_also_in_the_dark(self):
        values = np.linspace(0, 0.7, 300, dtype=np.float32).reshape(10, 10, 3)
        for stops in (-2.0, -0.3, 0.25, 0.5):
            got = exposed(values, np.full((10, 10), stops, np.float32))
            expected = srgb.encode(srgb.decode(values) * np.float32(2**stops))
            free = expected.max(-1) < 0.8  # no room is missing there
            np.testing.assert_allclose(got[free], expected[free], atol=2e-4)

    def test_a_lift_clips_nothing_and_keeps_the_hue(self):
        values = np.full((4, 4, 3), (0.97, 0.9, 0.8), np.float32)
        got = exposed(values, np.full((4, 4), 1.5, np.float32))
        self.assertLess(got.max(), 0.99)
        self.assertGreater(got.min(), 0.8)
        ratio = srgb.decode(got) / srgb.decode(values)
        np.testing.assert_allclose(ratio, ratio[..., :1].repeat(3, -1), rtol=1e-3)

    def test_no_stops_are_the_very_pixels(self):
        values = np.random.default_rng(1).uniform(0, 1.2, (5, 5, 3)).astype(np.float32)
        np.testing.assert_array_equal(exposed(values, np.zeros((5, 5), np.float32)), values)


class CellsTest(unittest.TestCase):
    def test_the_grid_goes_by_the_largest_face_whichever_is_in_hand(self):
        face = made_face()
        job = face.session().job
        small = replace(job.face_map, mesh=tuple((x / 4, y / 4) for x, y in job.face_map.mesh), points={
            name: (x / 4, y / 4) for name, (x, y) in job.face_map.points.items()})
        bounds = Rect(0, 0, 1200, 1500)
        grids = {Grid.of(bounds, faces_of(SetFaceMap(a, (b,)).apply(job)))
                 for a, b in ((job.face_map, small), (small, job.face_map))}
        self.assertEqual(len(grids), 1)
        step = job.face_map.width_px / 320
        self.assertAlmostEqual(grids.pop().px / 2, max(1.0, step), delta=0.02 * step)

    def test_any_part_of_the_field_is_the_same_as_in_the_whole(self):
        session = made_face().session()
        whole = needed_of(session)
        face = session.job.face_map
        x, y = (int(v) for v in face.points["nose_tip"])
        part = needed_of(session, Rect(x - 30, y - 30, x + 40, y + 40))
        rect = Rect(x // 2 * 2 - 20, y // 2 * 2 - 20, x // 2 * 2 + 30, y // 2 * 2 + 30)
        np.testing.assert_allclose(part.at(rect, 0), whole.at(rect, 0), atol=1e-5)
        halved = cv2.resize(whole.at(rect, 0), (25, 25), interpolation=cv2.INTER_AREA)
        np.testing.assert_allclose(halved[..., NEEDED], whole.at(rect.at_level(1), 1)[..., NEEDED], atol=0.01)


class NeededTest(unittest.TestCase):
    def test_both_networks_are_small_files_and_each_is_asked_at_its_size_of_face(self):
        needed = NeededLight(new_cells())
        for scale, network in ((0.4, SMALL_NETWORK), (0.8, NETWORK)):
            self.assertLess(network.stat().st_size, 1_000_000)
            session = made_face(scale=scale).session()
            self.assertEqual(needed.network_for(Grid.of(session.photo.bounds, faces_of(session.job))), network)

    def test_made_blotches_need_light_of_their_sign(self):
        for sitter in ("wren", "tilda"):
            face = made_face(sitter, stains=8)
            field = needed_of(face.session())
            right = []
            for flaw in face.flaws:
                rect = Rect(int(flaw.x) - 1, int(flaw.y) - 1, int(flaw.x) + 2, int(flaw.y) + 2)
                needed = float(field.at(rect, 0)[..., NEEDED].mean())
                right.append((needed > 0.01) if flaw.kind == "blotch_dark" else (needed < -0.01))
            self.assertGreaterEqual(np.mean(right), 0.75, sitter)

    def test_nothing_is_needed_off_bare_skin(self):
        face = made_face(stains=8)
        field = needed_of(face.session())
        height, width = face.zones.shape
        at = field.at(Rect(0, 0, width, height), 0)
        for zone in (0, LIPS, HAIR, 8):
            inside = cv2.erode((face.zones == zone).astype(np.uint8), np.ones((9, 9))) > 0
            self.assertLess(np.abs(at[inside][:, NEEDED]).mean(), 0.004, zone)
        skin = cv2.erode((face.zones == SKIN).astype(np.uint8), np.ones((25, 25))) > 0
        low, high = face.measures.face.mesh_px.min(0).astype(int), face.measures.face.mesh_px.max(0).astype(int)
        on_face = np.zeros_like(skin)
        on_face[low[1] : high[1], low[0] : high[0]] = True
        self.assertGreater((at[skin & on_face][:, BARE] > 0.5).mean(), 0.8)

    @for_release
    def test_a_brighter_development_of_the_photo_needs_the_same_share(self):
        face = made_face(stains=8)
        dim = brighter(face.photo, -0.7)  # the photo itself is 0.7 stop brighter, and nothing is clipped
        plain, other = (needed_of(face.session(p)).values for p in (None, dim))
        sure = (plain[..., BARE] > 0.9) & (other[..., BARE] > 0.9)
        off = np.abs(plain[..., NEEDED] - other[..., NEEDED])[sure]
        self.assertLess(off.mean(), 0.02 * np.abs(plain[..., NEEDED])[sure].mean())

    @for_release
    def test_the_light_that_falls_is_no_blotch(self):
        """Turned down to one side, the skin needs hardly more than before."""
        face = made_face()
        ramp = np.linspace(-0.5, 0.5, face.photo.shape[1])[None, :, None]
        turned = np.clip(srgb.encode(srgb.decode(face.photo / np.float32(65535)) * np.float32(2**ramp)), 0, 1)
        sessions = face.session(), face.session(np.round(65535 * turned).astype(np.uint16))
        plain, slanted = (needed_of(s) for s in sessions)
        bare = (plain.values[..., BARE] > 0.9) & (slanted.values[..., BARE] > 0.9)
        means = [np.abs(needed_lightness(field))[bare].mean() for field in (plain, slanted)]
        self.assertLess(abs(means[1] - means[0]), 0.2 * means[0])


if __name__ == "__main__":
    unittest.main()
