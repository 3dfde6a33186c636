"""The desk for ten stages, and stages that only the test folder has: painted on, saved, recovered, exported."""

import json
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import Qt

from lather.core.colour.profiles import srgb_profile
from lather.core.deliver.export import Output
from lather.core.imageio.read import read_picture
from lather.core.imageio.write import write_picture
from lather.core.job.commands import AddLayer
from lather.core.job.model import STAGE_IDS, Layer
from lather.core.journal.journal import leftovers_of
from lather.core.journal.recovery import recover
from lather.core.session import Session
from lather.core.stages.registry import STAGES
from lather.desktop.stages.registry import PARTS
from tests.support.pictures import session_of, skin_like
from tests.support.toys import ADJUSTING, BRIGHTEN, MAPPING, MASK, with_toys
from tests.support.window_case import WindowCase


class TenStagesTest(WindowCase):
    def test_all_ten_stand_in_the_strip_at_1280_and_each_has_its_key(self):
        self.take(session_of(skin_like(400, 600)))
        cells = self.desk.course.cells
        self.assertEqual(list(cells), list(STAGE_IDS))
        self.assertLessEqual(self.desk.minimumSizeHint().width(), 1280)
        edges = [cell.geometry() for cell in cells.values()]
        self.assertTrue(all(a.right() < b.left() + 1 for a, b in zip(edges, edges[1:])))
        self.assertLessEqual(edges[-1].right(), 1280)
        self.assertGreaterEqual(min(edge.width() for edge in edges), 124)
        for number, stage_id in enumerate(STAGE_IDS, 1):
            self.key(Qt.Key(ord(str(number % 10))))
            self.assertEqual(self.job.stage_id, stage_id)
            for label in (cells[stage_id].title, cells[stage_id].count):
                self.assertLessEqual(label.fontMetrics().horizontalAdvance(label.text()), label.width() + 1)
        self.key(Qt.Key.Key_9)
        self.desk.part.take_part("")
        self.wait(lambda: self.job.layer is not None)
        self.drag([(200, 200), (260, 220)])
        self.assertEqual((cells["crisp"].count.text(), cells["crisp"].strength.text()), ("1 stroke", "100 %"))
        self.assertEqual(cells["finish"].count.text(), "")


class MissingStageTest(WindowCase):
    def test_the_key_of_a_stage_that_is_not_there_says_so(self):
        self.addCleanup(STAGES.__setitem__, slice(None), [*STAGES])
        STAGES[:] = [info for info in STAGES if info.id != "finish"]
        self.take(session_of(skin_like(300, 400)))
        before = self.job.stage_id
        self.key(Qt.Key.Key_0)
        self.assertEqual(self.job.stage_id, before)
        self.assertIn("Finish is not part of this version", self.window.notice.text())


class UnknownKindTest(WindowCase):
    def test_a_layer_of_tomorrow_is_left_alone_and_strokes_make_one_beside_it(self):
        session = session_of(skin_like(300, 400))
        session.history.do(AddLayer("mend", Layer("odd", "Tomorrow's", "shimmer"), 1))
        self.take(session)
        self.job.choose_layer("odd")
        self.click(200, 150)
        layers = self.job.job.stage("mend").layers
        self.assertEqual([(layer.kind, len(layer.edits)) for layer in layers],
                         [("mend", 0), ("shimmer", 0), ("mend", 1)])
        self.assertGreater(np.abs(self.whole() - session.photo.read(session.photo.bounds)).max(), 0)


class ToyStagesTest(WindowCase):
    """As docs/architecture.md says: a stage is a folder and a line in the registry, and all of the program takes it."""

    def setUp(self):
        with_toys(self, MAPPING, ADJUSTING)
        for stage_id in ("colour", "crisp"):  # toys have no part of their own on the desk
            self.addCleanup(PARTS.__setitem__, stage_id, PARTS.pop(stage_id))
        super().setUp()
        photo = self.folder / "photo.png"
        write_picture(photo, skin_like(420, 560), profile=srgb_profile())
        self.window.open_path(photo)
        self.settle()
        self.canvas.zoom_to(1.0)
        self.settle()
        self.photo = self.job.session.photo.read(self.job.session.photo.bounds)

    def paint(self) -> None:
        """Mends below, light and warmth painted, tone evened between."""
        self.click(420, 300)
        self.key(Qt.Key.Key_6)
        self.drag([(150, 150), (220, 160), (300, 170)])
        self.key(Qt.Key.Key_9)
        self.drag([(200, 260), (300, 270)])

    def test_painted_pixels_are_those_of_the_kind_and_shift_gives_back(self):
        self.paint()
        whole = self.whole()
        self.assertGreater((whole - self.photo)[155, 200].mean(), 0.02)
        self.assertGreater((whole - self.photo)[264, 250, 0], 0.02)
        self.assertLess(np.abs((whole - self.photo)[264, 250, 1:]).max(), 1e-4)
        shown = np.array(self.shown(200, 155))
        self.assertLess(np.abs(shown - whole[155, 200] * 255).max(), 4)
        self.key(Qt.Key.Key_6)
        self.assertEqual(self.desk.state.tool, BRIGHTEN.id)
        self.desk.state.change(flow=1.0, ceiling=1.0)
        for _ in range(3):
            self.drag([(150, 150), (220, 160), (300, 170)], Qt.KeyboardModifier.ShiftModifier)
        self.assertLess((self.whole() - self.photo)[155, 200].mean(), 0.01)

    def test_a_box_is_made_from_the_parameters_and_sets_them(self):
        self.key(Qt.Key.Key_9)
        part = self.desk.stages["crisp"]
        self.assertTrue(part.panel.isVisible())
        self.assertEqual(set(part.controls), {"everywhere", "mask_feather_px", "turned", "warmth", "side", "gentle"})
        part.controls["everywhere"].click()
        part.controls["warmth"].set_value(100, tell=True)
        self.settle()
        added = self.whole() - self.photo
        np.testing.assert_allclose(added[..., 0], 0.1, atol=1e-3)
        self.assertEqual(self.desk.course.cells["crisp"].count.text(), "all over")
        part.controls["side"].setCurrentIndex(1)
        part.controls["side"].activated.emit(1)
        self.settle()
        np.testing.assert_allclose((self.whole() - self.photo)[..., 2], 0.1, atol=1e-3)
        self.assertEqual(self.desk.brush_strip.state.tool, MASK.id)

    def test_saved_opened_exported_and_undone(self):
        self.paint()
        whole, path, out = self.whole(), self.folder / "job.lather", self.folder / "out.tif"
        self.assertTrue(self.job.save(path))
        self.wait(lambda: not self.job.saving)
        self.assertTrue(self.job.saved)
        back = Session.open(path)
        self.assertEqual(back.notes, [])
        np.testing.assert_array_equal(back.engine.pixels(back.job, back.photo.bounds), whole)
        back.export(out, Output(bits=16, to_srgb=False))
        np.testing.assert_allclose(read_picture(out).pixels / 65535, np.clip(whole, 0, 1), atol=2e-5)
        for _ in range(4):
            self.key(Qt.Key.Key_Z)
        self.assertLess(np.abs((self.whole() - self.photo)[100:280, 100:340]).max(), 1e-6)

    def test_the_journal_keeps_it_through_a_crash(self):
        self.paint()
        whole = self.whole()
        self.window.close_job(keep_journal=True)
        left = leftovers_of(self.folder / "photo.png")
        self.assertEqual(len(left), 1)
        session = recover(left[0])
        np.testing.assert_allclose(session.engine.pixels(session.job, session.photo.bounds), whole, atol=1e-6)

    def test_with_split_between_and_a_strength_moved_above_and_below(self):
        self.paint()
        split = next(info for info in STAGES if info.id == "split")
        for layer in split.example()[:2]:
            self.job.do(AddLayer("split", layer, 0))
        self.settle()
        before = self.whole()
        self.key(Qt.Key.Key_6)
        self.desk.layers.strength.set_value(0, tell=True)
        self.settle()
        job = self.job.job
        none = job.with_stage(replace(job.stage("colour"), layers=()))
        np.testing.assert_allclose(self.whole(), self.job.session.engine.pixels(none, self.canvas.picture), atol=1e-6)
        self.desk.layers.strength.set_value(100, tell=True)
        self.settle()
        np.testing.assert_allclose(self.whole(), before, atol=1e-6)
        self.assertIn("toy_light", json.dumps([layer.kind for layer in job.stage("colour").layers]))
