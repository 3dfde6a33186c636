"""The hand tools of Mend beyond Dab, Carry and Copy: turned sources, Graft, Sweep, Blend-in, Drag, Fence, cards."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

from lather.core.brush.cards import BrushCard, read_cards, shipped_cards, write_cards
from lather.core.brush.values import Brush
from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.live import LiveStroke
from lather.core.errors import RequestError, SaveError
from lather.core.job.commands import AddEdits, ReplaceEdit
from lather.core.job.fence import Fence, polygon_coverage
from lather.core.job.finds import Find
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.job.source_map import SourceTurn, affine, source_rect, turn_from_landmarks
from lather.core.measure.bands import texture_energy, tone_error
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import TEETH, load_sitter
from lather.core.stages.mend.dab import source_candidates
from lather.core.stages.mend.graft import try_graft
from lather.core.stages.mend.grow_fence import grow_fence
from lather.core.stages.mend.source_warning import source_warning
from lather.core.stages.mend.sweep import sweep_hint
from lather.core.stages.patches.grain_noise import grain_noise
from lather.core.tools.registry import TOOLS
from lather.core.types import Rect
from tests.support.pictures import session_of, skin_like


def line(tool, x0, y0, x1, y1, size=30, steps=12, **more):
    brush = Brush(size_px=size, edge=more.pop("edge", 0.4), flow=more.pop("flow", 0.9))
    t = np.linspace(0, 1, steps)
    points = np.column_stack([x0 + t * (x1 - x0), y0 + t * (y1 - y0), np.ones(steps), t])
    return Stroke(new_id(), tool, brush, freeze_points(points), **more)


class ToolCase(unittest.TestCase):
    def begin(self, pixels):
        self.session = session_of(pixels)
        self.engine, self.bounds = self.session.engine, self.session.photo.bounds
        self.layer_id = self.session.job.stage("mend").layers[0].id
        self.photo = self.session.photo.read(self.bounds)

    def after(self, *strokes):
        return self.engine.pixels(AddEdits("mend", self.layer_id, strokes).apply(self.session.job), self.bounds)


class SourceMapTest(ToolCase):
    def test_two_landmarks_land_on_two_landmarks(self):
        source, place = ((100, 100), (140, 110)), ((300, 200), (310, 260))
        for mirror in (False, True):
            offset, turn = turn_from_landmarks(source, place, mirror=mirror)
            matrix = affine(offset, turn)
            for a, b in zip(source, place):
                np.testing.assert_allclose(matrix @ (*b, 1), a, atol=0.8)  # the offset is in whole pixels
        with self.assertRaises(RequestError):
            turn_from_landmarks(source, ((5, 5), (5, 5)))

    def test_a_mirrored_copy_is_the_mirror_picture(self):
        pixels = skin_like(200, 300)
        pixels[80:120, 100:110] = 60000
        pixels[80:90, 110:130] = 60000
        self.begin(pixels)
        pivot = (200.0, 100.0)
        stroke = line("copy", 200, 100, 201, 100, size=80, edge=0.0, flow=1.0, offset=(-90, 0),
                      turn=SourceTurn(True, 0.0, 1.0, pivot))
        out = self.after(stroke)[85:115, 180:221]
        taken = self.photo[85:115, 90:131][:, ::-1]  # pixel x is taken from 2·110 − x
        self.assertLess(np.abs(out[:, :-1] - taken[:, 1:]).mean(), 0.02)

    def test_the_rectangle_read_holds_all_that_is_taken(self):
        turn = SourceTurn(True, 33.0, 0.7, (50.0, 60.0))
        rect = Rect(40, 50, 80, 70)
        matrix, taken = affine((9, -4), turn), source_rect(rect, (9, -4), turn)
        for x in (40, 80):
            for y in (50, 70):
                px, py = matrix @ (x, y, 1)
                self.assertTrue(taken.x0 <= px <= taken.x1 and taken.y0 <= py <= taken.y1)
        self.assertEqual(source_rect(rect, (9, -4), None), rect.shift(9, -4))
        with self.assertRaises(RequestError):
            SourceTurn(scale=0)


class FenceTest(ToolCase):
    def test_nothing_is_laid_outside_and_a_ring_inside_is_a_hole(self):
        self.begin(skin_like(300, 400))
        outer, inner = ((100, 50), (300, 50), (300, 250), (100, 250)), ((180, 120), (220, 120), (220, 180), (180, 180))
        fence = Fence((outer, inner), 5.0)
        for tool, offset in (("copy", (0, 60)), ("carry", (0, 60)), ("drag", None), ("blend_in", None)):
            out = self.after(line(tool, 60, 150, 340, 150, offset=offset, fence=fence))
            changed = np.abs(out - self.photo).max(-1) > 0
            self.assertTrue(changed[140:160, 110:170].any(), tool)
            self.assertFalse(changed[:, :100].any() or changed[:, 301:].any() or changed[125:175, 185:215].any(), tool)

    def test_the_feather_rises_inwards(self):
        coverage = polygon_coverage([((10, 10), (90, 10), (90, 90), (10, 90))], Rect(0, 0, 100, 100), 20)
        self.assertEqual(coverage[50, 5], 0)
        self.assertTrue(0 < coverage[50, 15] < coverage[50, 22] < 1)
        self.assertEqual(coverage[50, 50], 1)

    def test_a_fence_grows_to_edges_and_not_over_them(self):
        pixels = skin_like(300, 400)
        pixels[:, 250:] = (8000, 9000, 20000)
        photo = session_of(pixels).photo
        fence = grow_fence(photo, 100, 100, feather_px=1.0)
        inside = fence.coverage(photo.bounds) > 0.5
        self.assertGreater(inside[:, :245].mean(), 0.97)
        self.assertLess(inside[:, 255:].mean(), 0.01)
        self.assertIsNone(grow_fence(photo, 900, 900))


class GraftTest(ToolCase):
    def outline(self, x, y, r=40, **more):
        t = np.linspace(0, 2 * np.pi, 24, endpoint=False)
        points = np.column_stack([x + r * np.cos(t), y + r * np.sin(t), np.ones(24), np.zeros(24)])
        return Stroke(new_id(), "graft", Brush(size_px=1.7 * r, edge=0.3), freeze_points(points), **more)

    def test_a_donor_is_proposed_and_the_spot_is_gone(self):
        pixels = skin_like(400, 500)
        pixels[190:210, 240:260] = 15000
        self.begin(pixels)
        found = source_candidates(self.engine, self.session.job, self.layer_id, self.outline(250, 200))
        out = self.after(self.outline(250, 200, offset=found[0].offset))
        clean = skin_like(400, 500) / 65535
        self.assertLess(np.abs(out - clean)[190:210, 240:260].mean(), 0.03)
        outside = np.hypot(*(np.mgrid[:400, :500] - np.array([200, 250])[:, None, None])) > 42
        np.testing.assert_array_equal(out[outside], self.photo[outside])

    def test_beside_a_collar_the_border_that_does_not_fit_is_told_and_does_not_smear(self):
        pixels = skin_like(400, 500)
        pixels[:, 292:] = 2500
        pixels[195:205, 245:255] = 15000
        self.begin(pixels)
        stroke = self.outline(250, 200, offset=(-120, 0))
        trial = try_graft(self.engine, self.session.job, self.layer_id, stroke)
        self.assertGreater(len(trial.misfits), 0)
        self.assertTrue((trial.misfits[:, 0] > 280).all())  # only where the collar is
        error = np.abs(self.after(stroke) - skin_like(400, 500) / 65535)[170:230, 215:285]
        self.assertLess(error.mean(), 0.03)

    def test_another_source_in_the_place_of_the_first(self):
        self.begin(skin_like(400, 500))
        first = self.outline(250, 200, offset=(0, 100))
        job = AddEdits("mend", self.layer_id, (first,)).apply(self.session.job)
        second = replace(first, offset=(0, -100))
        changed = ReplaceEdit("mend", self.layer_id, second).apply(job)
        np.testing.assert_array_equal(self.engine.pixels(changed, self.bounds), self.after(second))


class SmoothingToolsTest(ToolCase):
    def test_blend_in_fills_with_the_colours_around_and_their_grain(self):
        _, xs = np.mgrid[:300, :400]
        rng = np.random.default_rng(2)
        clean = 0.5 + 0.2 * xs[..., None] / 400 + rng.normal(0, 0.01, (300, 400, 3)) * [1, 1, 1]
        flawed = clean.copy()
        flawed[140:160, 190:210] = 0.1
        self.begin(np.round(flawed * 65535).astype(np.uint16))
        out = self.after(line("blend_in", 190, 150, 210, 150, size=44, flow=1.0, edge=0.2))
        patch = out[140:160, 190:210]
        shading = clean[140:160, 190:210].mean((0, 2))
        np.testing.assert_allclose(patch.mean((0, 2)), shading, atol=0.012)  # the shape keeps its own shading
        self.assertTrue(0.3 < patch.mean(-1).std() / flawed[20:60, 190:210].mean(-1).std() < 3)

    def test_grain_is_fixed_to_the_picture_so_that_tiles_meet(self):
        whole = grain_noise(Rect(0, 0, 64, 64), size_px=0.6)
        np.testing.assert_allclose(grain_noise(Rect(20, 30, 50, 60), size_px=0.6), whole[30:60, 20:50], atol=1e-7)
        self.assertAlmostEqual(float(whole.std()), 1.0, delta=0.15)

    def test_drag_pulls_pixels_along_the_stroke_and_only_there(self):
        pixels = skin_like(300, 400)
        pixels[:, :100] = 5000
        self.begin(pixels)
        out = self.after(line("drag", 80, 150, 180, 150, size=40, flow=1.0, edge=0.2, steps=60))
        self.assertLess(out[150, 160].mean(), 0.35)  # dark was pulled over the skin
        self.assertGreater(self.photo[150, 160].mean(), 0.5)
        np.testing.assert_array_equal(out[:125], self.photo[:125])

    def test_drag_under_the_pen_is_what_is_kept(self):
        self.begin(skin_like(300, 400))
        stroke = line("drag", 80, 150, 180, 160, size=40)
        live = LiveStroke(self.engine, self.session.job, "mend", self.layer_id, stroke)
        for point in stroke.points:
            live.extend(point[None])
        np.testing.assert_allclose(live.pixels(self.bounds), self.after(stroke), atol=1e-4)

    def test_sweep_goes_along_the_form_and_takes_its_skin_from_there(self):
        ys, _ = np.mgrid[:300, :400]
        ridge = 0.5 + 0.3 * np.exp(-(((ys - 150) / 30.0) ** 2))  # a form that lies level, about 60 px wide
        self.begin(np.round(np.repeat(ridge[..., None], 3, -1) * 65535).astype(np.uint16))
        hint = sweep_hint(self.session.photo.read, 200, 150, 40, self.bounds)
        self.assertGreater(abs(hint.direction[0]), 0.95)
        self.assertGreater(abs(hint.offset[0]), 30)
        self.assertLess(abs(hint.offset[1]), 12)
        self.assertTrue(6 <= hint.size_px <= 30, hint.size_px)

    def test_braces_are_cleaned_with_blend_in_and_drag(self):
        """Every bracket and the wire painted over, then the rim of the enamel pulled along: near the clean teeth."""
        plate = make_plate("tilda", 4, flaws={"braces": 1})
        braces = plate.flaws[0]
        self.begin(plate.photo)
        truth = plate.truth.astype(np.float32) / 65535
        path = np.array(braces.path)
        teeth = plate.zones == TEETH
        ring = [(float(x), float(y)) for x, y in _rim(teeth)]
        fence = Fence((tuple(ring),), 1.0)
        size = 1.2 * braces.width_px
        points = freeze_points(np.column_stack([path, np.ones(len(path)), np.arange(len(path)) * 0.01]))
        blend = Stroke(new_id(), "blend_in", Brush(size_px=size, edge=0.3, flow=1.0), points, fence=fence)
        drag = Stroke(new_id(), "drag", Brush(size_px=0.4 * size, edge=0.9, flow=0.15), points, fence=fence)
        out = self.after(blend, drag)
        changed = (plate.photo != plate.truth).any(-1)
        width = plate.sitter.face_width_px
        before, after = (tone_error(srgb_to_lab(v), srgb_to_lab(truth), width)[changed] for v in (self.photo, out))
        self.assertLess(after.mean(), 0.75 * before.mean())
        raw = [np.abs(v - truth)[changed].mean() for v in (out, self.photo)]
        self.assertLess(raw[0], 0.75 * raw[1])
        outside = cv2.dilate(teeth.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0  # the fence runs through the rim
        np.testing.assert_array_equal(out[outside], self.photo[outside])


def _rim(mask):
    contours, _ = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    return max(contours, key=cv2.contourArea)[:, 0] + 0.5


class SourceWarningTest(ToolCase):
    def test_edges_finds_used_skin_and_the_frame_are_told(self):
        pixels = skin_like(300, 400)
        pixels[:, 300:] = 3000
        self.begin(pixels)
        read = self.session.photo.read
        used = line("carry", 100, 100, 101, 100, offset=(0, 60))
        spot = Find("f", "blemish_red", 100, 220, 12, 6, 0.9)

        def warn(offset, finds=(), edits=()):
            return source_warning(read, 100, 100, 30, offset, self.bounds, finds, edits)

        self.assertEqual(warn((60, 60)), "")
        self.assertIn("edge", warn((200, 0)))
        self.assertIn("outside", warn((900, 0)))
        self.assertIn("red spot", warn((0, 118), [spot]))
        self.assertIn("used", warn((0, 62), (), [used]))


class CardsTest(unittest.TestCase):
    def test_shipped_cards_name_tools_that_exist(self):
        cards = shipped_cards()
        self.assertGreaterEqual(len(cards), 5)
        self.assertTrue(all(card.tool in TOOLS and card.shipped for card in cards))

    def test_own_cards_come_back_and_a_broken_file_costs_nothing(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a" / "cards.json"
            own = BrushCard("Mine", "carry", Brush(size_px=33), hint="for lids")
            write_cards(path, (*shipped_cards(), own))
            self.assertEqual(read_cards(path), (own,))
            path.write_text("{")
            self.assertEqual(read_cards(path), ())
            blocked = Path(folder) / "file"
            blocked.write_text("")
            with self.assertRaises(SaveError):
                write_cards(blocked / "cards.json", (own,))


class SettleTest(ToolCase):
    def test_a_long_stroke_settled_is_the_stroke_kept(self):
        pixels = skin_like(400, 600)
        pixels[:, 300:] = pixels[:, 300:] * 0.7
        self.begin(pixels)
        stroke = line("carry", 200, 200, 420, 240, size=60, steps=40, offset=(-90, 110))
        live = LiveStroke(self.engine, self.session.job, "mend", self.layer_id, stroke)
        for point in stroke.points:
            live.extend(point[None])
        self.assertFalse(live.settled)
        live.settle()
        self.assertTrue(live.settled)
        np.testing.assert_allclose(live.pixels(self.bounds), self.after(stroke), atol=1e-4)


class TextureTest(ToolCase):
    def test_a_graft_keeps_the_texture_of_skin(self):
        sitter = load_sitter("wren")
        plate = make_plate(sitter, 3, flaws={})
        self.begin(plate.photo)
        t = np.linspace(0, 2 * np.pi, 24, endpoint=False)
        points = np.column_stack([860 + 40 * np.cos(t), 1250 + 40 * np.sin(t), np.ones(24), np.zeros(24)])
        stroke = Stroke(new_id(), "graft", Brush(size_px=70, edge=0.3), freeze_points(points))
        found = source_candidates(self.engine, self.session.job, self.layer_id, stroke)
        out = self.after(replace(stroke, offset=found[0].offset))
        places = np.zeros((2, *out.shape[:2]), np.float32)
        places[0, 1225:1275, 835:885] = 1
        places[1] = np.roll(places[0], found[0].offset[::-1], (0, 1))  # the skin that was taken
        energy = [texture_energy(srgb_to_lab(v), where, sitter.face_width_px)
                  for v, where in zip((out, self.photo), places)]
        self.assertTrue(0.85 < energy[0] / energy[1] < 1.18, energy)
