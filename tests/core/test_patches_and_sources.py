"""Patches kept and read back at every level, and where the search takes skin from."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from lather.core.stages.mend.dab import dab_stroke
from lather.core.stages.mend.solve import solve_stroke
from lather.core.stages.mend.source_search import find_sources
from lather.core.stages.patches.patch import Patch, PatchStore
from lather.core.types import Rect

BOUNDS = Rect(0, 0, 61, 45)


def change(rect: Rect, seed: int = 1) -> np.ndarray:
    """A smooth change that is 0 at the rim."""
    rng = np.random.default_rng(seed)
    delta = cv2.GaussianBlur(rng.normal(0, 0.4, (rect.height, rect.width, 3)).astype(np.float32), (0, 0), 2)
    delta[:2] = delta[-2:] = delta[:, :2] = delta[:, -2:] = 0
    return delta


class PatchTest(unittest.TestCase):
    def setUp(self):
        self.rect = Rect(10, 6, 40, 31)
        self.delta = change(self.rect)
        self.patch = Patch.from_blocks([(self.rect, self.delta)], BOUNDS)

    def whole(self, patch: Patch, strength: float = 1.0, bounds: Rect = BOUNDS) -> np.ndarray:
        out = np.zeros((bounds.height, bounds.width, 3), np.float32)
        patch.add_to(out, bounds, 0, strength)
        return out

    def test_a_change_comes_back_to_half_a_step_and_its_empty_rim_is_not_kept(self):
        out = self.whole(self.patch)
        np.testing.assert_allclose(out[self.rect.slices(BOUNDS)], self.delta, atol=0.51 / 32767)
        self.assertEqual(np.abs(out).sum(), np.abs(out[8:29, 12:38]).sum())
        self.assertEqual(self.patch.pieces[0][0], Rect(12, 8, 38, 29))
        self.assertEqual(Patch.from_blocks([(self.rect, np.zeros_like(self.delta))], BOUNDS).pieces, [])

    def test_strength_scales_it_and_a_part_of_the_picture_gets_its_part(self):
        part = Rect(20, 10, 30, 60)
        out = np.full((50, 10, 3), 0.25, np.float32)
        self.patch.add_to(out, part, 0, 0.5)
        np.testing.assert_allclose(out[:35], 0.25 + 0.5 * self.whole(self.patch)[10:45, 20:30], atol=1e-6)
        np.testing.assert_array_equal(out[35:], 0.25)

    def test_every_level_is_the_mean_of_the_one_below_also_at_an_odd_border(self):
        at_rim = Rect(50, 30, 61, 45)
        delta = change(at_rim, 2)
        delta[-2:, 2:] = delta[2:, -2:] = 0.3
        patch = Patch.from_blocks([(at_rim, delta)], BOUNDS)
        below = np.pad(self.whole(patch), ((0, 1), (0, 1), (0, 0)), mode="edge")
        expected = below.reshape(23, 2, 31, 2, 3).mean((1, 3))
        out = np.zeros((23, 31, 3), np.float32)
        patch.add_to(out, Rect(0, 0, 31, 23), 1)
        np.testing.assert_allclose(out, expected, atol=1e-6)
        self.assertGreater(out[-1, -1].min(), 0.29)

    def test_as_png_it_is_the_same_to_the_bit_and_what_is_damaged_is_refused(self):
        encoded = self.patch.to_png_pieces()
        back = Patch.from_png_pieces(encoded, BOUNDS)
        np.testing.assert_array_equal(back.pieces[0][1], self.patch.pieces[0][1])
        x0, y0, png = encoded[0]
        self.assertIsNone(Patch.from_png_pieces([(x0, y0, png[: len(png) // 2])], BOUNDS))
        self.assertIsNone(Patch.from_png_pieces([(x0 + 40, y0, png)], BOUNDS))

    def test_a_fence_lets_through_its_share(self):
        half = self.patch.times(lambda rect: np.full((rect.height, rect.width), 0.5, np.float32))
        np.testing.assert_allclose(self.whole(half), 0.5 * self.whole(self.patch), atol=1 / 32767)

    def test_the_store_drops_what_was_not_used_for_longest_but_not_what_waits_as_png(self):
        store = PatchStore(limit_bytes=2 * self.patch.nbytes)
        other = Patch.from_blocks([(self.rect, change(self.rect, 3))], BOUNDS)
        store.offer_encoded({b"c": other.to_png_pieces()})
        store.put(b"a", self.patch)
        store.put(b"b", self.patch)
        self.assertIs(store.get(b"a", BOUNDS), self.patch)
        back = store.get(b"c", BOUNDS)
        np.testing.assert_array_equal(back.pieces[0][1], other.pieces[0][1])
        self.assertIsNone(store.get(b"b", BOUNDS))
        self.assertIs(store.get(b"a", BOUNDS), self.patch)


class SourceSearchTest(unittest.TestCase):
    BOUNDS = Rect(0, 0, 240, 200)
    AREA = Rect(108, 88, 132, 112)

    def skin(self, slope=0.0):
        rng = np.random.default_rng(4)
        texture = 0.02 * cv2.GaussianBlur(rng.normal(0, 1, (200, 240)), (0, 0), 1.0)
        light = 0.55 + texture + slope * (np.arange(240) - 120)[None]
        return np.stack([light, 0.78 * light, 0.66 * light], -1).astype(np.float32)

    def search(self, picture, area=AREA, **more):
        ys, xs = np.mgrid[area.y0 : area.y1, area.x0 : area.x1] + 0.5
        (cx, cy), half = ((area.x0 + area.x1) / 2, (area.y0 + area.y1) / 2), np.array([area.width, area.height]) / 2
        disc = (((xs - cx) / half[0]) ** 2 + ((ys - cy) / half[1]) ** 2 < 1).astype(np.float32)
        return find_sources(disc, area, read=lambda r: picture[r.slices(self.BOUNDS)], bounds=self.BOUNDS, **more)

    def test_sources_lie_in_the_picture_off_the_place_and_apart_best_first(self):
        found = self.search(self.skin())
        self.assertGreaterEqual(len(found), 4)
        self.assertEqual([c.fit for c in found], sorted((c.fit for c in found), reverse=True))
        offsets = np.array([c.offset for c in found])
        self.assertGreater(np.hypot(*offsets.T).min(), 20)
        for dx, dy in offsets:
            self.assertTrue(self.BOUNDS.contains(self.AREA.shift(int(dx), int(dy)).expand(-1)))
        gaps = np.hypot(*(offsets[:, None] - offsets[None]).transpose(2, 0, 1)) + 99 * np.eye(len(offsets))
        self.assertGreater(gaps.min(), 0.35 * 24)

    def test_no_skin_is_taken_that_holds_a_spot_whether_seen_or_known(self):
        picture = self.skin()
        spots = [(120 + 34 * np.cos(t), 100 + 34 * np.sin(t)) for t in np.arange(9) * 2 * np.pi / 9]
        ys, xs = np.mgrid[:200, :240]
        for x, y in spots:  # soft ones, whose texture is like all skin's
            picture *= 1 - 0.15 * np.exp(-np.hypot(xs - x, ys - y)[..., None] ** 2 / 30).astype(np.float32)

        def nearest(found):
            dx, dy = found[0].offset
            return min(np.hypot(120 + dx - x, 100 + dy - y) for x, y in spots)

        self.assertGreater(nearest(self.search(picture)), 14)
        known = Rect(60, 40, 106, 160)  # all that is to the left
        self.assertGreaterEqual(self.search(picture, flaws=[known])[0].offset[0], -3)

    def test_where_light_falls_off_sideways_skin_is_taken_from_above_or_below(self):
        dx, dy = self.search(self.skin(slope=0.0035))[0].offset
        self.assertGreater(abs(dy), 1.5 * abs(dx))

    def test_skin_that_was_used_is_left_for_other_skin(self):
        first = self.search(self.skin())[0].offset
        again = self.search(self.skin(), used=[self.AREA.shift(*first)])[0].offset
        self.assertGreater(np.hypot(again[0] - first[0], again[1] - first[1]), 12)

    def test_a_long_stroke_steps_aside(self):
        dx, dy = self.search(self.skin(), Rect(60, 94, 180, 106))[0].offset
        self.assertGreater(abs(dy), 10)
        self.assertLess(abs(dx), 60)

    def test_cloth_is_not_taken_for_skin_though_it_is_as_light_and_as_smooth(self):
        picture = self.skin()
        middle = picture.mean((0, 1))
        rougher = middle + 2.5 * (picture - middle)  # all other skin fits less well
        for part in np.s_[:, 140:], np.s_[:80], np.s_[120:]:
            picture[part] = rougher[part]
        cloth = np.s_[80:120, :100]
        picture[cloth] = picture[cloth] @ np.full((3, 3), 1 / 3, np.float32)
        for candidate in self.search(picture)[:3]:
            self.assertGreater(candidate.offset[0], -12)

    def test_a_hair_in_the_skin_that_is_taken_leaves_no_line(self):
        clean, haired = self.skin(), self.skin()
        haired[99:101, 40:100] *= 0.45  # in what lies to the left
        stroke = replace(dab_stroke(120, 100, 30), offset=(-50, 0))
        healed = []
        for picture in (clean, haired):
            out = picture.copy()
            patch = solve_stroke(stroke, read=lambda r, p=picture: p[r.slices(self.BOUNDS)], original=None,
                                 bounds=self.BOUNDS)
            patch.add_to(out, self.BOUNDS, 0)
            healed.append(out[90:110, 110:130])
        usual = np.abs(clean[90:110, 110:130] - clean[90:110, 110:130].mean((0, 1))).mean()
        self.assertLess(np.abs(healed[1] - healed[0]).max(), 12 * usual)  # 78 without
        self.assertGreater(healed[0].std((0, 1)).mean(), 0.8 * clean[90:110, 110:130].std((0, 1)).mean())

    def test_a_flaw_beside_the_ring_and_shading_do_not_count_as_texture(self):
        skin = self.skin()
        fine = skin - cv2.GaussianBlur(skin, (0, 0), 3)
        bowed = 0.25 * ((np.arange(skin.shape[1]) - 60) / 120) ** 2
        clean = cv2.GaussianBlur(skin, (0, 0), 20) + fine + bowed[None, :, None].astype(np.float32)
        picture = clean.copy()
        picture[94:107, 20:200] -= np.float32([0.02, 0.12, 0.1])  # a red mark, as wide as what is painted
        path = [(float(x), 100.5) for x in range(60, 181, 4)]
        stroke = replace(dab_stroke(120, 100, 15, path=path), offset=(0, -45))
        patch = solve_stroke(stroke, read=lambda r: picture[r.slices(self.BOUNDS)], original=None, bounds=self.BOUNDS)
        patch.add_to(picture, self.BOUNDS, 0)
        inside = np.s_[96:105, 65:175]
        energy = [(p - cv2.GaussianBlur(p, (0, 0), 2))[inside].var() for p in (picture, clean)]
        self.assertTrue(0.8 < energy[0] / energy[1] < 1.4, energy)  # 2.7 by a low-pass

    def test_pores_are_matched_to_the_place_and_grain_stays_as_it_is(self):
        rng = np.random.default_rng(5)
        pores = cv2.GaussianBlur(rng.normal(0, 1, (200, 240)).astype(np.float32), (0, 0), 2)
        strength = np.where(np.arange(200) < 70, 0.04, 0.06)[:, None]  # smoother skin above, which is taken
        light = 0.55 + strength * pores + 0.008 * rng.normal(0, 1, pores.shape)
        clean = np.repeat(light[..., None], 3, 2).astype(np.float32)
        picture, inside = clean.copy(), np.s_[92:109, 65:175]
        stroke = replace(dab_stroke(120, 100, 20, path=[(float(x), 100.5) for x in range(60, 181, 4)]), offset=(0, -55))
        patch = solve_stroke(stroke, read=lambda r: clean[r.slices(self.BOUNDS)], original=None, bounds=self.BOUNDS)
        patch.add_to(picture, self.BOUNDS, 0)
        fine = [cv2.Laplacian(p[..., 0], cv2.CV_32F)[inside].std() for p in (picture, clean)]
        soft = [[cv2.GaussianBlur(p, (0, 0), sigma)[inside] for sigma in (1, 4)] for p in (picture, clean)]
        band = [(finer - coarser).std() for finer, coarser in soft]
        self.assertAlmostEqual(fine[0] / fine[1], 1.0, delta=0.08)
        self.assertGreater(band[0] / band[1], 0.85)


if __name__ == "__main__":
    unittest.main()
