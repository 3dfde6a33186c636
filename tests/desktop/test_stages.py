"""Strands, Split and Grain in the real window: their finds, tools and panels, by mouse, key and pen; pixels checked."""

import functools

import cv2
import numpy as np
from PyQt6.QtCore import Qt

from lather.core.brush.values import Brush
from lather.core.job.commands import AddEdits, AddLayer, SetFinds
from lather.core.job.finds import Find
from lather.core.job.model import Layer, Stroke, freeze_points, new_id
from lather.core.session import Session
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase

HAIR = [(120 + 8 * i, 90 + 3 * i + 0.1 * i * i) for i in range(30)]


@functools.cache
def with_hair() -> np.ndarray:
    """Plain ground with fine grain and one dark hair along HAIR, uint16."""
    rng = np.random.default_rng(4)
    values = 0.6 + 0.006 * rng.standard_normal((420, 600, 3))
    mask = np.zeros((420, 600), np.uint8)
    cv2.polylines(mask, [np.round((np.array(HAIR) - 0.5) * 16).astype(np.int32)], False, 255, 2, cv2.LINE_AA, 4)
    values += (mask / 255.0)[..., None] * (0.15 - values)
    return np.round(np.clip(values, 0, 1) * 65535).astype(np.uint16)


def hair_find() -> Find:
    x, y = HAIR[15]
    return Find("hair-1", "stray_hair", x, y, 250.0, 20.0, 0.9, "hair", path=tuple(HAIR), width_px=3.0)


class StageCase(WindowCase):
    def open(self, pixels, finds=()):
        session = session_of(pixels)
        session.history.amend(SetFinds(tuple(finds), None))
        self.take(session)
        self.canvas.zoom_to(1.0)
        self.canvas.centre_on(300, 210)
        self.settle()
        self.photo = session.photo.read(session.photo.bounds)

    def to_stage(self, key):
        self.key(key)
        self.wait(self.desk.measured.idle, 60)
        self.settle()


class DraftTest(StageCase):
    def test_a_moved_strength_shows_a_draft_first_and_the_finished_picture_after(self):
        self.open(skin_like(420, 600))
        spot = Stroke(new_id(), "copy", Brush(size_px=120), freeze_points([[200, 200, 1, 0]]), (220, 60))
        self.job.do(AddEdits("mend", self.job.layer.id, (spot,)))
        veil = Stroke(new_id(), "veil", Brush(size_px=200), freeze_points([[230, 200, 1, 0]]))
        settings = {"band": "veil", "width_px": 6.0}
        self.job.do(AddLayer("split", Layer(new_id(), "Veil", "split", edits=(veil,), settings=settings), 0))
        self.settle()
        store, seen = self.canvas.store, []
        was = self.shown(200, 200)
        store.arrived.connect(lambda *_: seen.append(bool(store._drafts)))
        self.desk.layers.strength.set_value(0, tell=True)
        self.settle()
        self.assertTrue(seen[0])
        self.assertFalse(store._drafts)
        x, y = 200, 200
        self.assertNotEqual(self.shown(x, y), was)
        np.testing.assert_allclose(self.shown(x, y), 255 * self.whole()[y, x], atol=6)


class StrandsTest(StageCase):
    def test_a_hair_is_stepped_to_cleared_by_key_and_undone(self):
        self.open(with_hair(), [hair_find()])
        self.assertEqual(self.desk.found.shown(), [])  # a stray hair is none of Mend's
        self.to_stage(Qt.Key.Key_2)
        self.assertEqual([f.id for f in self.desk.found.shown()], ["hair-1"])
        self.assertIn("Clear", self.desk.finds.buttons["mend"].text())
        self.key(Qt.Key.Key_W)
        self.key(Qt.Key.Key_E)
        self.rest()
        layer = self.job.job.stage("strands").layers[0]
        self.assertEqual([(e.tool, e.find) for e in layer.edits], [("strand", "hair-1")])
        x, y = (int(v) for v in HAIR[15])
        self.assertLess(self.photo[y, x].mean(), 0.4)
        self.assertGreater(self.whole()[y - 2 : y + 3, x - 2 : x + 3].mean(), 0.57)
        self.assertGreater(min(self.shown(x + 0.5, y + 0.5)), 140)
        self.key(Qt.Key.Key_Z)
        np.testing.assert_array_equal(self.whole(), self.photo)

    def test_painting_along_a_hair_with_the_pen_clears_it_and_misses_are_told(self):
        self.open(with_hair())
        self.to_stage(Qt.Key.Key_2)
        self.assertEqual(self.desk.state.tool, "strand")
        self.pen_stroke([(x + 2, y - 1, 0.7) for x, y in HAIR[2:28:3]])
        self.assertEqual([len(x.edits) for x in self.job.stage.layers], [1])
        for x, y in HAIR[5:25:5]:
            self.assertGreater(self.whole()[int(y) - 1 : int(y) + 2, int(x) - 1 : int(x) + 2].mean(), 0.56)
        self.drag([(150, 320), (200, 330), (260, 340)])
        self.assertEqual([len(x.edits) for x in self.job.stage.layers], [1])
        self.assertIn("No hair", self.window.notice.text())

    def test_sensitivity_filters_and_safe_ground_is_shown(self):
        faint = Find("faint", "stray_hair", 300, 300, 40, 4, 0.3, "hair", path=((280, 300), (320, 300)), width_px=1.5)
        self.open(with_hair(), [hair_find(), faint])
        self.to_stage(Qt.Key.Key_2)
        panel = self.desk.stages["strands"].panel
        self.assertEqual(len(self.desk.found.shown()), 1)
        panel.sensitivity.set_value(80, tell=True)
        self.assertEqual(len(self.desk.found.shown()), 2)
        panel.soft.set_value(50, tell=True)
        self.assertEqual([f.id for f in self.desk.found.shown()], ["hair-1"])
        before = self.canvas.grab().toImage()
        panel.ground.click()
        self.wait(lambda: self.desk.measured.measures is not None)
        self.pump(0.1)
        self.assertNotEqual(self.canvas.grab().toImage(), before)


class SplitTest(StageCase):
    def setUp(self):
        super().setUp()
        pixels = skin_like(420, 600).astype(float)
        ys, xs = np.mgrid[:420, :600]
        pixels -= 5000 * np.exp(-(((xs - 300) ** 2 + (ys - 210) ** 2) / (2 * 25**2)))[..., None]
        self.open(np.clip(pixels, 0, 65535).astype(np.uint16))
        self.to_stage(Qt.Key.Key_3)

    def outline(self):
        angle = np.linspace(0, 2 * np.pi, 25)
        return [(300 + 110 * np.cos(a), 210 + 110 * np.sin(a)) for a in angle]

    def blotch_left(self) -> float:
        """Spread of the tone inside the outline against the same skin without the blotch."""
        clean = skin_like(420, 600).astype(np.float32) / 65535
        off = cv2.GaussianBlur((self.whole() - clean).mean(-1), (0, 0), 6.0)
        ys, xs = np.mgrid[:420, :600]
        return float(off[np.hypot(xs - 300, ys - 210) < 80].std())

    def test_an_outline_evens_the_tone_and_f_does_it_again(self):
        self.assertEqual(self.desk.state.tool, "area")
        self.desk.brush_strip.size.set_value(45, tell=True)
        left = [self.blotch_left()]
        self.drag(self.outline())
        edit = self.job.layer.edits[0]
        self.assertEqual((edit.tool, edit.brush.size_px, edit.feather), ("area", 45, 32))
        lift = self.whole()[200:220, 290:310].mean() - self.photo[200:220, 290:310].mean()
        self.assertGreater(lift, 0.6 * 5000 / 65535)
        left.append(self.blotch_left())
        self.assertLess(left[1], 0.25 * left[0])
        np.testing.assert_array_equal(self.whole()[:95], self.photo[:95])
        self.key(Qt.Key.Key_F)
        self.assertEqual(len(self.job.layer.edits), 2)
        left.append(self.blotch_left())
        self.assertLess(left[2], min(left[1], 0.2 * left[0]))
        self.desk.brush_strip.modes["area"].button("flat").click()
        self.drag(self.outline())
        self.assertEqual(self.job.layer.edits[-1].mode, "flat")

    def test_an_outline_over_light_and_shade_is_warned_of(self):
        pixels = skin_like(420, 600)
        pixels[:, :300] //= 4
        self.open(pixels)
        self.to_stage(Qt.Key.Key_3)
        self.drag(self.outline())
        self.assertIn("a highlight and a shadow", self.window.notice.text())

    def test_mix_copy_and_veil_work_on_their_own_layers(self):
        split = self.desk.stages["split"].panel
        split.new["tone"].click()
        self.desk.brush_strip.choose("mix")
        self.drag([(200 + 10 * i, 210) for i in range(21)])
        self.assertGreater(np.abs(self.whole() - self.photo).max(), 0.003)
        split.new["texture"].click()
        self.assertEqual(self.desk.state.tools, ("dab", "carry", "copy", "give_back"))
        before = self.whole()
        self.desk.brush_strip.choose("copy")
        self.desk.state.take(450, 90)
        self.drag([(300, 210), (310, 212)])
        change = (self.whole() - before)[200:220, 290:310]
        self.assertGreater(float(np.abs(change).mean()), 0.003)
        self.assertLess(abs(float(change.mean())), 0.002)  # pores only: the tone stays
        split.new["veil"].click()
        self.assertEqual((self.job.layer.name, self.job.layer.strength), ("Veil", 0.5))
        self.drag([(150, 100), (160, 102)])
        area = np.s_[90:110, 145:165]
        self.assertLess(np.diff(self.whole()[area], axis=0).std(), 0.9 * np.diff(before[area], axis=0).std())

    def test_looks_width_and_settings_of_all_layers(self):
        split = self.desk.stages["split"].panel
        split.new["tone"].click()
        split.new["texture"].click()
        split.width_px.set_value(9, tell=True)
        split.edges.click()
        self.assertEqual([(x.settings["width_px"], x.settings["edge_keeping"]) for x in self.job.stage.layers],
                         [(9.0, False), (9.0, False)])
        self.desk.lamps.choose("texture")
        self.settle()
        shown = [self.shown(x, 210) for x in range(250, 350, 10)]
        self.assertAlmostEqual(np.mean(shown), 127, delta=8)  # pores around grey
        self.to_stage(Qt.Key.Key_1)
        self.settle()
        self.assertEqual(self.canvas.lamp, "plain")
        self.assertGreater(self.shown(100, 300)[0], 160)


class GrainTest(StageCase):
    def test_grain_is_put_back_by_one_switch_and_all_survives_saving(self):
        rng = np.random.default_rng(8)
        values = 0.5 + 0.008 * rng.standard_normal((700, 700, 1)) + 0.002 * rng.standard_normal((700, 700, 3))
        path = self.folder / "grainy.png"
        cv2.imwrite(str(path), np.round(np.clip(values[..., ::-1], 0, 1) * 65535).astype(np.uint16))
        self.take(Session.open(path))
        self.canvas.zoom_to(1.0)
        self.canvas.centre_on(350, 300)
        self.settle()
        self.photo = self.job.session.photo.read(self.job.session.photo.bounds)
        self.to_stage(Qt.Key.Key_3)
        self.desk.stages["split"].panel.new["veil"].click()
        self.desk.layers.strength.set_value(100, tell=True)
        self.desk.brush_strip.flow.set_value(100, tell=True)
        self.drag([(300, 200), (330, 210)])
        area = np.s_[180:220, 290:330]
        smooth = self.whole()[area].std()
        self.to_stage(Qt.Key.Key_8)
        panel = self.desk.stages["grain"].panel
        self.assertIn("%", panel.note.text())
        plain = [self.shown(x, y) for x in range(300, 322) for y in (200, 420)]
        panel.missing.click()
        self.wait(self.desk.stages["grain"].idle)
        hatched = [self.shown(x, y) for x in range(300, 322) for y in (200, 420)]
        moved = [max(np.abs(np.subtract(a, b))) for a, b in zip(plain, hatched)]
        self.assertGreater(max(moved[::2]), 40)  # where the veil took it
        self.assertEqual(max(moved[1::2]), 0)
        self.assertIn("Switch on", self.desk.mends.empty.text())
        panel.missing.click()
        panel.everywhere.click()
        self.settle()
        self.assertIn("follows every change", self.desk.mends.empty.text())
        self.assertGreater(self.whole()[area].std(), 2 * smooth)
        self.assertAlmostEqual(self.whole()[area].std() / self.photo[area].std(), 1, delta=0.2)
        np.testing.assert_array_equal(self.whole()[400:], self.photo[400:])
        panel.amount.set_value(0, tell=True)
        self.assertAlmostEqual(self.whole()[area].std(), smooth, delta=0.001)
        panel.amount.set_value(100, tell=True)
        self.drag([(450, 420), (460, 421)])  # painted by hand
        self.assertGreater(np.abs(self.whole() - self.photo)[410:430, 440:460].mean(), 0.002)
        wanted = self.whole()
        path = self.folder / "all.lather"
        self.job.save(path)
        self.wait(lambda: not self.job.saving)
        again = Session.open(path)
        self.assertEqual([x.settings for x in again.job.stage("split").layers],
                         [x.settings for x in self.job.job.stage("split").layers])
        np.testing.assert_allclose(again.engine.pixels(again.job, again.photo.bounds), wanted, atol=1e-6)
