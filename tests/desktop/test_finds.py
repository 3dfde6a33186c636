"""Finds in the real window: looked for, stepped through by key, mended, kept; graft, fence, face map, cards."""

import functools
import json
import os
from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtTest import QTest

from lather.core.brush.cards import read_cards
from lather.core.colour.lab import srgb_to_lab
from lather.core.find.finder import find_all
from lather.core.job.commands import SetFinds
from lather.core.job.finds import Find
from lather.core.measure.bands import tone_error
from lather.core.mending.edit_for_find import SOFTEN_STRENGTH
from lather.core.practice.make import make_plate
from lather.core.practice.score import PracticeFolder, score_picture
from lather.desktop.controls.painting.pointer_overlay import pointer_text
from lather.desktop.input.keys import settings_folder
from tests.support.pictures import session_of, skin_like
from tests.support.remembered import nothing_remembered
from tests.support.window_case import WindowCase

FLAWS = {"blemish_dark": 14, "blemish_red": 14, "blemish_bright": 12, "mole": 2}


@functools.cache
def flawed():
    return make_plate("pip", 21, flaws=FLAWS, edge_margin_px=25)


@functools.cache
def found_on_plate():
    return find_all(session_of(flawed().photo).photo)


class FindsCase(WindowCase):
    def set_linger(self, seconds: float) -> None:
        """How long a mend stays in view, as the person sets it."""
        file = settings_folder() / "settings.json"
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(json.dumps({"linger_s": seconds}))
        self.addCleanup(file.unlink)

    def open_plate(self):
        session = session_of(flawed().photo)
        finds, measures = found_on_plate()
        session.history.amend(SetFinds(finds, measures.face))
        self.take(session)

    def open_small(self, pixels=None, finds=()):
        session = session_of(skin_like(400, 600) if pixels is None else pixels)
        session.history.amend(SetFinds(tuple(finds), None))
        self.take(session)


class SureAndLeftAloneTest(FindsCase):
    def open_some(self):
        pixels = skin_like(400, 600)
        pixels[196:205, 296:305] //= 2
        find = Find("blemish_dark-300-200", "blemish_dark", 300, 200, 9, 20.0, 0.6, "cheek")
        sure = Find("blemish_dark-420-200", "blemish_dark", 420, 200, 9, 3.0, 0.96, "cheek")
        alone = Find("crease-100-100", "crease", 100, 100, 40, 8.0, 0.9, "cheek", left_alone="contour",
                     path=((90, 100), (100, 100), (110, 100)), width_px=3, outline=((90, 98), (110, 98), (110, 102)))
        session = session_of(pixels)
        session.history.amend(SetFinds((sure, find), None, None, (alone,)))
        self.take(session)

    def rows(self) -> list[str]:
        model = self.desk.finds.list.model()
        return [str(model.data(model.index(n, 0), Qt.ItemDataRole.ToolTipRole)) for n in range(model.rowCount())]

    def test_what_is_to_be_looked_at_stands_first_and_is_not_mended_unseen(self):
        self.open_some()
        rows = self.rows()
        self.assertIn("· look", rows[0])
        self.assertNotIn("· look", rows[1])
        self.assertIn("1", self.desk.finds.all.text())
        self.desk.finds.all.click()
        self.rest()
        states = self.desk.found.states()
        self.assertEqual(states["blemish_dark-300-200"], "open")

    def test_they_come_part_by_part_of_the_face_or_the_most_seen_first(self):
        finds = tuple(Find(f"blemish_dark-{n}", "blemish_dark", 40 + 40 * n, 200, 9, 20.0 - n, 0.96, zone)
                      for n, zone in enumerate(("ground", "chin", "cheek, right", "cheek, left", "nose", "forehead")))
        session = session_of(skin_like(400, 600))
        session.history.amend(SetFinds(finds, None))
        self.take(session)
        self.assertEqual([find.zone for find in self.desk.found.shown()],
                         ["forehead", "nose", "cheek, left", "cheek, right", "chin", "ground"])
        self.key(Qt.Key.Key_W)
        self.assertEqual(self.desk.found.current.zone, "forehead")
        box = self.desk.finds.zone
        box.setCurrentIndex(box.findText("Most seen first"))
        box.activated.emit(box.currentIndex())
        self.assertEqual([find.id for find in self.desk.found.shown()], [find.id for find in finds])
        self.assertEqual(box.currentText(), "Most seen first")
        self.assertIn("6", self.desk.finds.all.text())

    def test_left_alone_is_shown_with_its_reason_and_listed_when_it_is_mended(self):
        self.open_some()
        QTest.mouseClick(self.desk.finds.worth.button("alone"), Qt.MouseButton.LeftButton)
        self.pump(0.05)
        self.assertEqual(len(self.rows()), 1)
        self.assertIn("left alone: contour", self.rows()[0])
        self.assertFalse(self.desk.finds.all.isEnabled())
        QTest.keyClick(self.canvas, Qt.Key.Key_W)
        self.assertEqual(self.desk.found.current.id, "crease-100-100")
        self.assertFalse(self.desk.finds.buttons["keep"].isEnabled())
        QTest.keyClick(self.canvas, Qt.Key.Key_E)
        self.rest()
        self.assertEqual(self.job.job.left_alone, ())
        self.assertIn("crease-100-100", [find.id for find in self.job.job.finds])
        QTest.mouseClick(self.desk.finds.worth.button("worth"), Qt.MouseButton.LeftButton)
        self.pump(0.05)
        self.assertEqual(len(self.rows()), 3)


class StepThroughTest(FindsCase):
    def test_a_face_with_forty_finds_is_cleaned_in_under_sixty_presses(self):
        self.set_linger(0.0)
        self.open_plate()
        plate, desk = flawed(), self.desk
        wanted = sum(not f.keeper for f in plate.flaws)
        self.assertEqual(wanted, 40)
        presses = 1
        QTest.keyClick(self.canvas, Qt.Key.Key_W)  # go to the first
        while any(s == "open" for f, s in self.states() if f.worth):
            find = desk.found.current
            if self.job.job.find_state(find) == "open":
                QTest.keyClick(self.canvas, Qt.Key.Key_E)
                self.wait(lambda: not desk.found.mending.lingering)  # the next one comes by itself
            else:
                QTest.keyClick(self.canvas, Qt.Key.Key_W)
            presses += 1
            self.assertLess(presses, 60)
            self.pump(0.005)
        self.rest()
        lab = [srgb_to_lab(v.astype(np.float32) / 65535) for v in (plate.photo, plate.truth)]
        folder = PracticeFolder(*lab, plate.zones, [f.to_json() for f in plate.flaws], None, plate.sitter.face_width_px)
        score = score_picture(folder, srgb_to_lab(self.whole()))
        self.assertGreater(score.removed, 0.85)
        self.assertGreater(score.spared, 0.98)
        self.assertGreater(score.texture, 0.95)
        self.assertGreater(score.score, 90)
        decided = sum(state != "keep" for find, state in self.states() if find.worth)  # what stays by itself is no work
        self.assertEqual(desk.finds.done.text(), f"{decided} of {decided} done")

    def states(self):
        states = self.desk.found.states()
        return [(f, states[f.id]) for f in self.desk.found.finds]

    def test_all_at_once_is_one_step_and_undo_takes_it_back(self):
        self.open_plate()
        before = self.whole()
        self.desk.finds.all.click()
        self.rest()
        edits = sum(1 for _ in self.job.job.edits())
        self.assertGreater(edits, 30)
        keepers = [f for f in flawed().flaws if f.keeper]
        for mole in keepers:
            spot = np.s_[int(mole.y) - 3 : int(mole.y) + 3, int(mole.x) - 3 : int(mole.x) + 3]
            np.testing.assert_allclose(self.whole()[spot], before[spot], atol=0.02)
        self.key(Qt.Key.Key_Z)
        self.assertEqual(sum(1 for _ in self.job.job.edits()), 0)
        self.assertIsNotNone(self.job.job.finds)  # what was found is nobody's step

    def test_finding_runs_behind_painting_and_can_be_stopped(self):
        session = session_of(flawed().photo)
        with nothing_remembered():
            with mock.patch.dict(os.environ, {"LATHER_FINDS_ON_OPENING": "1"}):
                self.take(session)
            self.assertEqual(self.desk.found.busy, "finding")
            self.click(700, 1000)  # the pen works meanwhile
            self.assertEqual(len(self.job.layer.edits), 1)
            self.desk.finds.all.click()  # pressed twice it does not mean another thing
            self.assertEqual((self.desk.found.busy, self.desk.finds.all.isEnabled()), ("finding", False))
            QTest.mouseClick(self.desk.finds.stop, Qt.MouseButton.LeftButton)
            self.rest()
            self.assertIsNone(self.job.job.finds)
            self.assertFalse(self.desk.finds.stop.isVisible())
        self.desk.finds.all.click()
        self.rest()
        self.assertGreater(len(self.job.job.finds), 20)

    def test_filters_keep_and_skip(self):
        finds = [Find(f"{k}-{i}", k, 60.0 + 60 * i, 100.0, 8.0, 6.0, 0.9, z, k == "mole")
                 for i, (k, z) in enumerate([("blemish_red", "chin"), ("blemish_dark", "nose"), ("mole", "chin")])]
        self.open_small(finds=finds)
        found = self.desk.found
        self.key(Qt.Key.Key_W)
        first, second = found.shown()[:2]
        self.assertEqual([first.zone, second.zone], ["nose", "chin"])  # as a hand goes over a face
        self.assertIs(found.current, first)
        self.key(Qt.Key.Key_R)
        self.assertEqual(self.job.job.find_state(first), "keep")
        self.assertIs(found.current, second)
        self.key(Qt.Key.Key_T)
        self.assertEqual(self.job.job.find_state(second), "skip")
        self.desk.finds.kind.setCurrentIndex(self.desk.finds.kind.findData("mole"))
        self.desk.finds.kind.activated.emit(self.desk.finds.kind.currentIndex())
        self.assertEqual([f.kind for f in found.shown()], ["mole"])
        self.mouse(QEvent.Type.MouseMove, finds[2].x, finds[2].y, down=False)
        self.assertIn("keeper", pointer_text(self.desk.control))


class SoftenedTest(FindsCase):
    gauges = True

    def test_a_crease_is_softened_on_a_layer_of_its_own_and_measured(self):
        pixels = skin_like(400, 600)
        pixels[198:203, 150:450] = pixels[198:203, 150:450] * 0.8
        path = tuple((float(x), 200.5) for x in range(150, 451, 10))
        crease = Find("crease-1", "crease", 300.0, 200.5, 300.0, 6.0, 0.9, "forehead", path=path, width_px=6.0)
        self.open_small(pixels, [crease])
        self.key(Qt.Key.Key_W)
        self.key(Qt.Key.Key_E)
        self.rest()
        layer = self.job.stage.layers[-1]
        self.assertEqual((layer.name, layer.strength), ("Creases, forehead", SOFTEN_STRENGTH))
        self.rest()
        share = int(self.desk.restraint.left["crease-1"].text().split()[0]) / 100
        before = pixels.astype(float)[198:203, 200:400].mean() - pixels.astype(float)[170:190, 200:400].mean()
        after = (self.whole()[198:203, 200:400].mean() - self.whole()[170:190, 200:400].mean()) * 65535
        self.assertAlmostEqual(share, after / before, delta=0.08)
        self.assertAlmostEqual(share, 1 - SOFTEN_STRENGTH, delta=0.12)


class AreaToolsTest(FindsCase):
    def test_graft_shows_the_misfit_of_its_border_before_it_is_dropped(self):
        pixels = skin_like(500, 700)
        pixels[:, 450:] = 3000  # a dark collar
        pixels[180:220, 180:220] = 20000
        self.open_small(pixels)
        self.desk.brush_strip.choose("graft")
        self.drag([(165, 165), (235, 165), (235, 235), (165, 235), (168, 170)])
        graft = self.desk.graft
        self.wait(lambda: graft.pending is not None and not graft.trying)
        self.assertLess(graft.disagreement, 0.2)
        self.assertEqual(len(self.job.layer.edits), 0)
        first = graft.pending.offset
        self.key(Qt.Key.Key_F)
        self.wait(lambda: not graft.trying)
        self.assertNotEqual(graft.pending.offset, first)
        dx, dy = graft.pending.offset
        self.drag([(200 + dx, 200 + dy), (440, 200)])  # half skin, half collar
        self.wait(lambda: not graft.trying)
        self.assertGreater(len(graft._misfits), 10)
        self.drag([(440, 200), (200, 330)])
        self.wait(lambda: not graft.trying)
        self.assertLess(graft.disagreement, 0.2)
        self.key(Qt.Key.Key_Return)
        self.assertEqual([e.tool for e in self.job.layer.edits], ["graft"])
        clean = skin_like(500, 700) / 65535
        self.assertLess(np.abs(self.whole() - clean)[175:225, 175:225].mean(), 0.03)

    def test_a_fence_confines_strokes(self):
        self.open_small()
        self.desk.areas.draw.click()
        self.drag([(200, 100), (300, 100), (300, 300), (200, 300), (200, 110)])
        self.assertIsNotNone(self.desk.state.fence)
        self.desk.brush_strip.choose("copy")
        with self.hold(Qt.Key.Key_A):
            self.click(250, 50)
        before = self.whole()
        self.drag([(150 + 10 * i, 200) for i in range(21)])
        changed = np.abs(self.whole() - before).max(-1) > 1e-4
        self.assertTrue(changed[:, 205:295].any())
        self.assertFalse(changed[:, :200].any() or changed[:, 301:].any())
        self.mouse(QEvent.Type.MouseMove, 500, 200, down=False)
        self.assertIn("fence", pointer_text(self.desk.control))
        self.desk.areas.remove.click()
        self.assertIsNone(self.desk.state.fence)

    def test_a_fence_grows_to_the_edges(self):
        pixels = skin_like(400, 600)
        pixels[:, 320:] = (9000, 9000, 20000)
        self.open_small(pixels)
        self.desk.areas.draw.click()
        self.click(100, 200)
        self.wait(lambda: self.desk.state.fence is not None)
        box = self.desk.state.fence.bounds
        self.assertLess(abs(box.x1 - 320), 8)
        self.assertLess(box.x0, 8)

    def test_points_of_the_face_map_are_dragged(self):
        self.open_small()
        self.desk.areas.face.click()
        face = self.desk.face
        self.wait(lambda: face.face is not None)
        x, y = face.face.points["chin"]
        self.drag([(x, y), (x + 20, y + 10), (x + 40, y + 12)])
        self.rest()
        self.assertEqual(self.job.job.face_map.points["chin"], (x + 40, y + 12))
        self.assertTrue(self.job.job.face_map.by_person)
        self.key(Qt.Key.Key_Escape)
        self.assertFalse(face.editing)

    def test_another_source_by_key_and_by_dragging_it(self):
        pixels = skin_like(400, 600)
        pixels[195:205, 295:305] = 20000
        self.open_small(pixels)
        self.desk.brush_strip.size.set_value(24, tell=True)
        self.click(300, 200)
        first = self.job.layer.edits[0].offset
        self.key(Qt.Key.Key_F)
        self.wait(lambda: self.job.layer.edits[0].offset != first)
        dx, dy = self.job.layer.edits[0].offset
        self.drag([(300 + dx, 200 + dy), (300 + dx + 15, 200 + dy), (300 + dx + 30, 200 + dy)])
        self.assertEqual(len(self.job.layer.edits), 1)
        self.assertEqual(self.job.layer.edits[0].offset, (dx + 30, dy))

    def test_a_source_is_aligned_by_two_lines(self):
        self.open_small()
        self.desk.brush_strip.choose("carry")
        with self.hold(Qt.Key.Key_A):
            self.drag([(100, 100), (130, 100), (160, 100)])
            self.drag([(300, 200), (300, 230), (300, 290)])
        turn = self.desk.state.turn
        self.assertAlmostEqual(turn.rotation_deg, 90, delta=1)
        self.assertAlmostEqual(turn.scale, 1.5, delta=0.05)
        self.assertIn("90°", self.desk.brush_strip.turned.text())
        self.drag([(310, 240), (315, 250)])
        self.assertEqual(self.job.layer.edits[0].turn, turn)
        self.desk.brush_strip.turned.click()
        self.assertTrue(self.desk.state.turn.plain)

    def test_s_tapped_measures_the_brush_under_the_pointer(self):
        pixels = skin_like(400, 600)
        ys, xs = np.mgrid[:400, :600]
        pixels[np.hypot(xs - 300, ys - 200) < 12] = 24000
        self.open_small(pixels)
        self.mouse(QEvent.Type.MouseMove, 300, 200, down=False)
        with self.hold(Qt.Key.Key_S):
            pass
        self.assertTrue(26 <= self.desk.state.brush.size_px <= 60, self.desk.state.brush.size_px)

    def test_cards_are_kept_and_two_are_a_key_apart(self):
        self.open_small()
        cards = self.desk.brush_strip.cards
        self.assertGreaterEqual(len(cards.cards), 5)
        cards.use(cards.cards[0])
        self.assertEqual((self.desk.state.tool, self.desk.state.mode), ("copy", "darker"))
        self.assertFalse(self.desk.state.takes_tone_only)
        cards.use(cards.cards[2])
        self.assertTrue(self.desk.state.takes_tone_only and self.desk.brush_strip.own_texture.isChecked())
        cards.keep("My lid")
        self.assertTrue(read_cards(cards._path)[-1].own_texture)
        cards.use(cards.cards[0])
        cards.use(cards.cards[4])
        self.key(Qt.Key.Key_G)
        self.assertEqual(self.desk.state.tool, "copy")
        self.key(Qt.Key.Key_G)
        self.assertEqual(self.desk.state.tool, "blend_in")
        self.desk.brush_strip.size.set_value(77, tell=True)
        cards.keep("My tooth")
        self.assertEqual(read_cards(cards._path)[-1].brush.size_px, 77)

    def test_holding_and_circling_settles_before_the_pen_is_lifted(self):
        pixels = skin_like(500, 700)
        pixels[:, 360:] = pixels[:, 360:] * 0.6  # a light and a dark side
        pixels[240:262, 320:340] = 15000
        self.open_small(pixels)
        self.desk.brush_strip.choose("carry")
        self.desk.brush_strip.size.set_value(40, tell=True)
        with self.hold(Qt.Key.Key_A):
            self.click(250, 120)
        circle = [(330 + 18 * np.cos(t), 250 + 18 * np.sin(t)) for t in np.linspace(0, 9, 50)]
        self.mouse(QEvent.Type.MouseMove, *circle[0], down=False)
        self.mouse(QEvent.Type.MouseButtonPress, *circle[0])
        for place in circle[1:]:
            self.mouse(QEvent.Type.MouseMove, *place)
            self.pump(0.004)
        worker = self.desk.control.worker
        self.wait(lambda: worker.idle() and worker._live is not None and worker._live.settled)
        live = worker._live.pixels(self.job.session.photo.bounds)
        self.mouse(QEvent.Type.MouseButtonRelease, *circle[-1], down=False)
        self.settle()
        jump = tone_error(srgb_to_lab(live), srgb_to_lab(self.whole()), 600)
        self.assertLess(jump.max(), 2.0)


class OtherToolsTest(FindsCase):
    def test_blend_in_drag_and_sweep_lay_edits_that_do_what_they_say(self):
        pixels = skin_like(400, 600)
        pixels[190:210, 290:310] = 15000
        clean = skin_like(400, 600) / 65535
        self.open_small(pixels)
        self.desk.brush_strip.choose("blend_in")
        self.desk.brush_strip.size.set_value(40, tell=True)
        self.drag([(290, 200), (300, 200), (310, 200)])
        self.assertLess(np.abs(self.whole() - clean)[190:210, 290:310].mean(), 0.03)
        self.key(Qt.Key.Key_Z)
        self.desk.brush_strip.choose("drag")
        self.desk.brush_strip.flow.set_value(100, tell=True)
        self.drag([(240 + 3 * i, 200) for i in range(20)])
        self.assertLess(np.abs(self.whole() - clean)[197:203, 291:296].mean(), 0.1)  # clean skin pulled over the spot
        self.key(Qt.Key.Key_Z)
        self.desk.brush_strip.choose("sweep")
        for slider in (self.desk.brush_strip.ceiling, self.desk.brush_strip.flow):
            slider.set_value(40, tell=True)
        before = self.whole()
        self.drag([(100 + 5 * i, 100) for i in range(12)])
        edit = self.job.layer.edits[-1]
        self.assertEqual(edit.tool, "sweep")
        self.assertIsNotNone(edit.offset)
        rough = [v[90:110, 110:150].std((0, 1)).mean() for v in (self.whole(), before)]
        self.assertLess(rough[0], 0.97 * rough[1])  # two textures laid over each other are smoother than either
