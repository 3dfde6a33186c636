"""Split parts exactly and evens without losing pores; Grain returns only where it is missing; gauges tell both."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from lather.core.brush.values import Brush
from lather.core.engine.live import LiveStroke
from lather.core.errors import RequestError
from lather.core.gauges.compared import Compared
from lather.core.gauges.registry import measure_gauges
from lather.core.job.fence import Fence
from lather.core.job.grain_model import GrainModel, correlation, diagonal_gain
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.lamps.registry import PLAIN, under_lamp
from lather.core.levels import halve
from lather.core.measure.grain import measure_grain
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.bare_skin import skin_fence
from lather.core.practice.sitters import BROWS, EYE_WHITE, LIPS
from lather.core.stages.grain.kind import grain_settings
from lather.core.stages.grain.missing import TOUCHED, missing_cells, needed, spacing
from lather.core.stages.grain.put_back import match_grain
from lather.core.stages.patches.coarse import coarse
from lather.core.stages.patches.grain_noise import add_grain, grain_noise
from lather.core.stages.split.area import mixes_light_and_shade
from lather.core.stages.split.bands import BandSettings, guided, guided_halo, low_pass, part
from lather.core.types import Rect
from tests.support.layers import outline, stroke, with_layer
from tests.support.pictures import plate, session_of, skin_like
from tests.support.sets import for_release

SQUARE = Fence((((100.0, 90.0), (300.0, 90.0), (300.0, 250.0), (100.0, 250.0)),), 2.0)


def blotchy() -> np.ndarray:
    """Skin with pores and two soft blotches, uint16."""
    ys, xs = np.mgrid[:340, :400]
    values = skin_like(340, 400, seed=5).astype(float)
    for x, y, sign in ((160, 150, -1), (240, 190, 1)):
        values += sign * 2600 * np.exp(-(((xs - x) ** 2 + (ys - y) ** 2) / (2 * 17**2)))[..., None]
    return np.clip(values, 0, 65535).astype(np.uint16)


def finest(pixels):
    """Diagonal differences of grey, of the picture's size."""
    return np.pad(np.diff(np.diff(pixels.mean(-1), axis=0), axis=1) / 2, ((0, 1), (0, 1)))


class SplitTest(unittest.TestCase):
    def setUp(self):
        self.session = session_of(blotchy())
        self.photo = self.session.photo.read(self.session.photo.bounds)

    def pixels(self, job):
        return self.session.engine.pixels(job, self.session.photo.bounds)

    def test_the_two_bands_add_up_to_the_photo(self):
        for edge_keeping in (True, False):
            tone, texture = part(self.photo, 6.0, edge_keeping)
            self.assertLess(np.abs(tone + texture - self.photo).max(), 1 / 65535)
            self.assertLess(np.abs(np.diff(tone, axis=1)).mean(), 0.2 * np.abs(np.diff(self.photo, axis=1)).mean())

    def test_a_large_picture_worked_in_halves_is_the_same_at_every_width(self):
        pixels = np.random.default_rng(2).random((420, 560, 3), np.float32)
        for width in (3.0, 40.0, 200.0):  # the last reaches further than the picture is high
            whole = guided(pixels, max(1, round(1.22 * width)), 0.15, smooth_px=0.6 * width)
            np.testing.assert_allclose(low_pass(pixels, width, True), whole, atol=2e-5)

    def test_tiles_of_the_guided_filter_meet_wherever_they_begin(self):
        pixels = np.random.default_rng(3).random((300, 320, 3), np.float32)
        for radius in (4, 7, 13, 15):
            whole, halo = guided(pixels, radius, 0.06), guided_halo(radius)
            for x, y in ((70, 80), (71, 83), (97, 110)):
                tile = np.s_[y - halo : y + 64 + halo, x - halo : x + 64 + halo]
                own = guided(pixels[tile], radius, 0.06, corner=(x - halo, y - halo))
                np.testing.assert_allclose(own[halo:-halo, halo:-halo], whole[y : y + 64, x : x + 64], atol=1e-6)

    def test_the_guided_filter_on_cells_is_nearly_that_on_pixels(self):
        step = 0.4 + 0.3 * (np.arange(260) > 130) + 0.02 * np.random.default_rng(4).standard_normal((240, 260))
        pixels = np.repeat(step[..., None], 3, -1).astype(np.float32)
        for radius in (7, 13):
            side = (2 * radius + 1,) * 2
            mean = cv2.blur(pixels, side)
            variance = cv2.blur(pixels**2, side) - mean**2
            gain = variance / (variance + 0.06**2)
            exact = cv2.blur(gain, side) * pixels + cv2.blur(mean * (1 - gain), side)
            off = np.abs(guided(pixels, radius, 0.06) - exact)[40:-40, 40:-40]
            self.assertLess(off.mean(), 0.001)
            self.assertLess(off.max(), 0.02)  # at the edge itself, where 0.3 is the step

    def test_what_mix_leaves_out_is_fine_and_what_it_lays_down_is_coarse(self):
        xs = np.arange(800)
        for wave in (300, 100, 60, 20):
            g = np.exp(-2 * (np.pi * 15 / wave) ** 2)
            delta = np.repeat(np.tile(np.sin(2 * np.pi * xs / wave), (200, 1))[..., None], 3, -1).astype(np.float32)
            left = np.abs(coarse(delta, 15.0))[100, 200:600].max()
            self.assertAlmostEqual(left, 3 * g**2 - 2 * g**3, delta=0.03, msg=f"{wave} px")

    def test_an_unknown_band_and_a_width_out_of_range_are_refused(self):
        for settings in ({"band": "middle"}, {"width_px": 0.1}, {"width_px": 900}):
            with self.assertRaises(RequestError):
                BandSettings.of(settings)

    def test_area_evens_blotches_and_keeps_the_pores(self):
        edit = stroke("area", outline(60, 60, 340, 280), 40, feather=20.0)
        out = self.pixels(with_layer(self.session.job, "split", edit, band="tone", width_px=5.0))
        inner = np.s_[100:240, 110:300]
        ratio = [np.std(finest(p)[inner]) for p in (out, self.photo)]
        self.assertAlmostEqual(ratio[0] / ratio[1], 1.0, delta=0.02)
        small = [halve(halve(halve(p.mean(-1)))) for p in (out, self.photo)]
        ys, xs = (v.ravel() for v in np.mgrid[:18, :23])
        plane = np.stack([np.ones_like(xs), xs, ys], 1)
        slopes = [np.linalg.lstsq(plane, s[12:30, 14:37].ravel(), rcond=None)[0] for s in small]
        flat = [s[12:30, 14:37].ravel() - plane @ slope for s, slope in zip(small, slopes)]
        self.assertLess(flat[0].std(), 0.5 * flat[1].std())
        np.testing.assert_allclose(slopes[0][1:], slopes[1][1:], rtol=0.2)  # the form stays, or a disc would show
        np.testing.assert_array_equal(out[:59], self.photo[:59])  # nothing outside the outline

    def test_what_lies_outside_the_fence_is_neither_changed_nor_taken_in(self):
        dark = self.session.photo.picture.pixels.copy()
        dark[:, 300:] = 3000
        session = session_of(dark)
        edit = stroke("area", outline(120, 60, 380, 280), 40, feather=10.0)
        job = with_layer(session.job, "split", edit, band="tone", width_px=3.0, fence=SQUARE)
        out, was = session.engine.pixels(job, session.photo.bounds), session.photo.read(session.photo.bounds)
        np.testing.assert_array_equal(out[:, 302:], was[:, 302:])
        self.assertLess(np.abs(out - was)[100:240, 270:290].mean(), 0.02)

    def test_a_highlight_and_a_shadow_in_one_outline_are_told(self):
        pixels = self.session.photo.picture.pixels.copy()
        pixels[:, :200] //= 3
        photo = session_of(pixels).photo
        both = mixes_light_and_shade(stroke("area", outline(80, 80, 320, 260), 20), photo.read, photo.bounds)
        one = mixes_light_and_shade(stroke("area", outline(220, 80, 320, 260), 20), photo.read, photo.bounds)
        self.assertGreater(both, 22)
        self.assertIsNone(one)

    def test_texture_copy_moves_pores_without_their_tone(self):
        edit = stroke("copy", [(160, 150, 1, 0)], 60, offset=(120, 60))
        out = self.pixels(with_layer(self.session.job, "split", edit, band="texture", width_px=4.0))
        self.assertLess(abs(float((out - self.photo)[140:160, 150:170].mean())), 0.002)
        self.assertGreater(float(np.abs(out - self.photo)[140:160, 150:170].mean()), 0.004)

    def test_mix_looks_the_same_while_painted_and_after(self):
        points = np.array([(120 + 4 * i, 150 + i, 1, 0.02 * i) for i in range(30)], np.float32)
        edit = Stroke(new_id(), "mix", Brush(size_px=70, edge=0.9, flow=0.3), freeze_points(points[:1]))
        job = with_layer(self.session.job, "split", band="tone", width_px=4.0)
        layer_id = job.stage("split").layers[0].id
        live = LiveStroke(self.session.engine, job, "split", layer_id, edit)
        for start in range(0, 30, 6):
            live.extend(points[start : start + 6])
        rect = Rect(80, 100, 300, 240)
        painted = live.pixels(rect)
        layer = replace(job.stage("split").layers[0], edits=(live.finish().edit,))
        final = self.session.engine.pixels(job.with_layer("split", layer), rect)
        self.assertLess(np.abs(painted - final).max(), 0.004)
        self.assertGreater(np.abs(final - self.session.photo.read(rect)).max(), 0.01)

    def test_looks_show_one_band_and_are_never_delivered(self):
        looked = under_lamp(self.session.job, "texture", {"width_px": 5.0})
        shown = self.session.engine.pixels(looked, Rect(50, 50, 300, 300))
        self.assertAlmostEqual(float(shown.mean()), 0.5, delta=0.01)
        self.assertEqual(under_lamp(self.session.job, PLAIN, {}), self.session.job)

    def test_bare_skin_leaves_lips_eyes_and_brows_out(self):
        made = plate()
        fence = skin_fence(PhotoMeasures(session_of(made.photo).photo))
        inside = fence.coverage(Rect(0, 0, *made.zones.shape[::-1])) > 0.5
        self.assertGreater(inside[made.zones == 1].mean(), 0.6)
        for zone, most in ((LIPS, 0.06), (EYE_WHITE, 0.02), (BROWS, 0.15)):
            self.assertLess(inside[made.zones == zone].mean(), most, zone)


class GrainTest(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(6)
        level = 0.45 + 0.1 * np.mgrid[:700, :720][1] / 720
        common, colour = rng.standard_normal((700, 720, 1)), rng.standard_normal((700, 720, 3))
        noisy = level[..., None] + 0.008 * common + 0.002 * colour
        self.session = session_of(np.round(np.clip(noisy, 0, 1) * 65535).astype(np.uint16))
        self.bounds = self.session.photo.bounds
        veil = stroke("veil", [(200, 170, 1, 0)], 600, fence=SQUARE)
        self.smooth = with_layer(self.session.job, "split", veil, band="veil", width_px=5.0)
        self.model = measure_grain(self.session.photo)

    def ratio(self, out, was, area):
        return float(np.sqrt((finest(out)[area] ** 2).mean() / (finest(was)[area] ** 2).mean()))

    def test_it_returns_where_it_was_taken_and_nowhere_else(self):
        engine, was = self.session.engine, self.session.photo.read(self.bounds)
        inner = np.s_[110:230, 120:280]
        self.assertLess(self.ratio(engine.pixels(self.smooth, self.bounds), was, inner), 0.2)
        job = match_grain(self.smooth, self.model).apply(self.smooth)
        out = engine.pixels(job, self.bounds)
        self.assertAlmostEqual(self.ratio(out, was, inner), 1.0, delta=0.06)
        outside = np.ones(out.shape[:2], bool)
        outside[89:251, 99:301] = False
        np.testing.assert_array_equal(out[outside], was[outside])
        for level in (1, 2):
            out = halve(out)
            got = engine.pixels(job, self.session.photo.level_bounds(level), level)
            self.assertLess(np.abs(got - out).max(), 2e-4)

    def test_made_grain_has_its_size_its_colour_and_no_period(self):
        noise = grain_noise(Rect(-40, -60, 1200, 1100), size_px=0.7, chroma_share=0.4)
        np.testing.assert_allclose(noise.std((0, 1)), 1, atol=0.03)
        grey = noise[..., 0]
        for d in (1, 2):
            beside = np.corrcoef(grey[:, d:].ravel(), grey[:, :-d].ravel())[0, 1]
            self.assertAlmostEqual(beside, correlation(0.7, d), delta=0.03)
        shared = 1 / (1 + 0.4**2)
        self.assertAlmostEqual(np.corrcoef(noise[..., 0].ravel(), noise[..., 2].ravel())[0, 1], shared, delta=0.03)
        for period in (960, 1024):
            again = np.corrcoef(grey[:, period:].ravel(), grey[:, :-period].ravel())[0, 1]
            self.assertLess(again, 0.6)  # one of the two planes comes round, never both

    def test_nothing_happens_on_an_untouched_photo(self):
        job = match_grain(self.session.job, self.model).apply(self.session.job)
        out = self.session.engine.pixels(job, self.bounds)
        np.testing.assert_array_equal(out, self.session.photo.read(self.bounds))
        self.assertIsNone(match_grain(job, self.model))
        self.assertIsNone(match_grain(job, GrainModel((), 0.0, 0.0)))

    def test_cleared_hairs_were_no_grain_but_lost_relief_is_made_up_for(self):
        was = self.session.photo.read(self.bounds)
        rng = np.random.default_rng(8)
        cells, inner = Rect(4, 4, 40, 40), np.s_[32:320, 32:320]
        hairs = np.zeros(was.shape[:2], np.float32)
        for x in range(-700, 700, 14):
            cv2.line(hairs, (x, 0), (x + 700, 700), 0.2, 2, cv2.LINE_AA)  # slanting: the finest band sees them
        with_hairs = was - hairs[..., None]
        where = np.s_[needed(cells).y0 : needed(cells).y1, needed(cells).x0 : needed(cells).x1]
        cleared = was[where]
        touched = np.abs(cleared - with_hairs[where]).max(-1) > TOUCHED
        added = missing_cells(cleared, with_hairs[where], touched, cells, self.model)
        self.assertLess(float((added**2).mean()), 0.1 * 0.008**2)  # of the grain that lies there
        rough = was + 0.012 * rng.standard_normal(was.shape[:2])[..., None].astype(np.float32)
        flat = cv2.GaussianBlur(was, (0, 0), 4.0)
        added = missing_cells(flat[where], rough[where], np.ones(touched.shape, bool), cells, self.model)
        wanted = np.sqrt((finest(rough)[inner] ** 2).mean() / diagonal_gain(self.model.size_px, spacing(0.6)))
        self.assertAlmostEqual(float(added.mean()) / wanted, 1.0, delta=0.12)

    def test_amount_and_painting_by_hand(self):
        was = self.session.photo.read(self.bounds)
        edit = stroke("grain", [(200, 170, 1, 0)], 160)
        for amount, more in ((1.0, 1.0), (2.0, 4.0)):
            settings = grain_settings(self.model, everywhere=False, amount=amount)
            out = self.session.engine.pixels(with_layer(self.session.job, "grain", edit, **settings), self.bounds)
            added = (out - was).mean(-1)[150:190, 180:220]
            self.assertAlmostEqual(float(added.std()) / (0.008 * np.sqrt(more)), 1.0, delta=0.2)


    def test_grain_for_a_moment_is_as_strong_as_that_of_a_finished_tile(self):
        bounds, rect = Rect(0, 0, 512, 512), Rect(256, 0, 512, 256)
        cells, at, touched = np.full((34, 34), 0.02, np.float32), Rect(31, -1, 65, 33), np.ones((256, 256), np.uint8)
        touched[:, 128:] = 0
        for level in (1, 2, 3):
            seen = rect.at_level(level)
            made = []
            for quick in (False, True):
                out = np.zeros((seen.height, seen.width, 3), np.float32)
                add_grain(out, seen, rect, level, cells, at, touched, cell=8, size_px=0.6, chroma_share=0.3, amount=1.0,
                          bounds=bounds, quick=quick)
                made.append(out)
            half = seen.width // 2
            self.assertEqual(np.abs(made[1][:, half:]).max(), 0)
            spreads = [out[:, :half].std() for out in made]
            self.assertAlmostEqual(spreads[1] / spreads[0], 1.0, delta=0.12, msg=level)


@for_release
class GaugeTest(unittest.TestCase):
    def test_smoothing_is_told_by_texture_and_grain_and_an_untouched_picture_by_none(self):
        made = plate()
        session = session_of(made.photo)
        measures = PhotoMeasures(session.photo)
        x, y = made.sitter.landmarks["nose_tip"]
        veil = stroke("veil", [(x, y, 1, 0)], 1900, fence=skin_fence(measures))
        job = with_layer(session.job, "split", veil, band="veil", width_px=6.0)
        values = {}
        for name, state in (("same", session.job), ("veil", job)):
            def after(rect, level, state=state):
                return session.engine.pixels(state, rect, level)

            pictures = Compared(session.photo.bounds, session.photo.profile, session.photo.read, after, measures)
            values[name] = measure_gauges(pictures)
        same, veiled = values["same"], values["veil"]
        self.assertAlmostEqual(same["texture_kept"], 100, delta=0.01)
        self.assertAlmostEqual(same["modelling_kept"], 100, delta=0.01)
        self.assertEqual((same["skin_touched"], same["grain_match"], same["halo"]), (0.0, 1.0, 0.0))
        self.assertLess(veiled["texture_kept"], 85)
        self.assertLess(veiled["grain_match"], 0.5)
        self.assertAlmostEqual(veiled["modelling_kept"], 100, delta=3)
