"""What goes on beside the window: a reopened job shows its photo first, clicks are done in turn and told as they were
meant, nothing is waited for, and the window stays within the screen.
"""

import threading
import time
from contextlib import contextmanager
from unittest import mock

import numpy as np
from PyQt6.QtCore import QMargins, QRect, QSize, Qt
from PyQt6.QtTest import QTest

from lather.core import warmup
from lather.core.engine.engine import Engine
from lather.core.job.commands import AddLayer, RemoveLayer, SetLayer
from lather.core.job.finds import Find
from lather.core.job.model import Layer
from lather.core.job.purpose import of_crisp
from lather.core.session import Session
from lather.desktop.controls.finds import mending
from lather.desktop.settings import store
from lather.desktop.stages.adjust import part as adjust_part
from lather.desktop.stages.crisp import part as crisp_part
from lather.desktop.stages.sculpt import part as sculpt_part
from lather.desktop.window import placement
from tests.support.pictures import session_of, skin_like
from tests.support.watchdog import Watchdog, slowness
from tests.support.window_case import WindowCase

_MOST_S = 0.25


@contextmanager
def held(module, name: str, answer=None):
    """A function that is worked out only once the gate is opened; gives the gate."""
    gate, real = threading.Event(), getattr(module, name)

    def wait(*given, **named):
        gate.wait(20)
        return answer(*given, **named) if answer is not None else real(*given, **named)

    with mock.patch.object(module, name, wait):
        try:
            yield gate
        finally:
            gate.set()


class ReopenedTest(WindowCase):
    def job_with_a_layer(self):
        session = session_of(skin_like(400, 500))
        self.take(session)
        kinds = self.desk.stages["finish"].kinds
        self.kind = next(kind for kind in kinds.values() if any(one.id == "exposure" for one in kind.own))
        settings = {"everywhere": True, "exposure": -1.0}
        session.history.do(AddLayer("finish", Layer("dark", "Dark", self.kind.id, settings=settings), 0))
        return session

    def test_the_photo_is_seen_first_then_the_retouch_and_only_then_is_anything_measured(self):
        session = self.job_with_a_layer()
        real, gate = Engine.tile, threading.Event()

        def slow(engine, job, stage_id, *place, key=None):
            if stage_id is None:
                gate.wait(20)
            return real(engine, job, stage_id, *place, key=key)

        with mock.patch.object(Engine, "tile", slow):
            self.window.take(session)
            place = (250, 200)
            photo = 255 * session.photo.read(session.photo.bounds)[place[1], place[0]]
            self.wait(lambda: np.abs(np.subtract(self.shown(*place), photo)).max() < 6)
            self.assertIn("Working out 1 layer", self.window.notice.text())
            self.assertTrue(self.desk.settling.waiting)
            self.assertFalse(self.desk.idle())
            self.assertTrue(self.desk.measured.background.idle() and self.desk.gauging.background.idle())
            self.desk.gauging._later.stop()
            self.desk.gauging._measure()  # asked by a step: it waits all the same
            self.assertTrue(self.desk.gauging.background.idle())
            gate.set()
            self.wait(lambda: not self.desk.settling.waiting)
        self.settle()
        self.assertNotIn("Working out", self.window.notice.text())
        self.assertLess(np.sum(self.shown(*place)), 0.8 * photo.sum())
        self.rest()

    def test_where_the_desk_is_not_in_sight_nothing_is_waited_for(self):
        session = self.job_with_a_layer()
        self.window.take(session)
        self.window.show_screen("brief")
        self.wait(lambda: not self.desk.settling.waiting)


class InTurnTest(WindowCase):
    def open(self):
        self.take(session_of(skin_like(400, 500)))

    def test_two_proposals_clicked_one_after_the_other_are_both_laid(self):
        self.open()
        self.key(Qt.Key.Key_9)
        part = self.desk.part

        def proposal(engine, job, name, grain):
            return AddLayer("crisp", Layer(f"of-{name}", name, "crisp", purpose=of_crisp(name)), 0)

        with held(crisp_part, "crisp_proposal", proposal) as gate:
            for name in ("eyes", "lips", "eyes"):
                QTest.mouseClick(part.proposals.buttons[name], Qt.MouseButton.LeftButton)
            self.assertIn("Looking at", self.window.notice.text())
            self.assertEqual(self.job.stage.layers, ())
            gate.set()
            self.wait(part.idle)
        self.assertEqual(sorted(layer.name for layer in self.job.stage.layers), ["eyes", "lips"])
        self.assertNotIn("Looking at", self.window.notice.text())

    def test_two_adjustments_clicked_one_after_the_other_are_both_made(self):
        self.open()
        self.key(Qt.Key.Key_6)
        part = self.desk.part
        with held(adjust_part, "measured_settings", lambda *given, **named: {}) as gate:
            for kind in ("calm", "hues"):
                part.take_kind(kind)
            gate.set()
            self.wait(part.idle)
        self.assertEqual([layer.kind for layer in self.job.stage.layers], ["calm", "hues"])

    def test_e_while_the_light_is_looked_at_lays_the_paths_when_they_are_known(self):
        self.open()
        path = sculpt_part.Proposal
        laid: list[tuple] = []
        with held(sculpt_part, "proposals", lambda *_: [mock.Mock(spec=path, id="brow", left_out=False)]) as gate, \
                mock.patch.object(sculpt_part, "lay_command", lambda job, chosen, share: laid.append(tuple(chosen))), \
                mock.patch.object(sculpt_part.PathsPanel, "show_paths"), \
                mock.patch.object(sculpt_part.SculptPart, "draw"):
            self.key(Qt.Key.Key_5)
            self.desk.press("mend_find")
            self.assertIn("as soon as they are known", self.window.notice.text())
            self.assertEqual(laid, [])
            gate.set()
            self.wait(self.desk.part.idle)
            self.assertEqual([len(one) for one in laid], [1])

    def test_paths_asked_for_before_the_stage_was_left_are_not_laid_behind_ones_back(self):
        self.open()
        with held(sculpt_part, "proposals", lambda *_: []) as gate:
            self.key(Qt.Key.Key_5)
            part = self.desk.part
            self.desk.press("mend_find")
            self.key(Qt.Key.Key_1)
            gate.set()
            self.wait(part.idle)
        self.assertIn("none was laid down", self.window.notice.text())
        self.assertEqual(self.job.job.stage("sculpt").layers, ())

    def test_work_that_was_asked_for_in_one_stage_is_told_as_of_that_stage(self):
        self.open()
        layer = self.job.layer.id
        finds = [Find(f"f{n}", "blemish_dark", 60.0 + 40 * n, 100, 8, 6, 0.9) for n in range(3)]
        command = SetLayer("mend", layer, "strength", 0.5)
        with held(mending, "mend_all", lambda *given, **named: (command, 3)) as gate, \
                mock.patch.object(type(self.desk.found), "shown", lambda _: finds), \
                mock.patch.object(type(self.desk.found), "states", lambda _: {f.id: "open" for f in finds}):
            self.desk.found.mending.mend_shown()
            self.key(Qt.Key.Key_2)
            gate.set()
            self.wait(self.desk.found.idle)
        self.assertIn("Mended 3 finds", self.window.notice.text())
        self.assertEqual(self.job.job.stage("mend").layers[0].strength, 0.5)
        with held(mending, "mend_all", lambda *given, **named: (command, 3)) as gate, \
                mock.patch.object(type(self.desk.found), "shown", lambda _: finds), \
                mock.patch.object(type(self.desk.found), "states", lambda _: {f.id: "open" for f in finds}):
            self.key(Qt.Key.Key_1)
            self.desk.found.mending.mend_shown()
            self.job.do(RemoveLayer("mend", layer))
            gate.set()
            self.wait(self.desk.found.idle)
        self.assertIn("nothing was laid down", self.window.notice.text())

    def test_a_find_that_waits_is_mended_in_the_stage_it_was_asked_for_in(self):
        self.open()
        asked: list[tuple] = []
        find = Find("a", "blemish_dark", 60.0, 100, 8, 6, 0.9)
        other = Find("b", "blemish_dark", 90.0, 100, 8, 6, 0.9)

        def command(engine, job, find, layer_id, stage_id, share):
            asked.append((find.id, stage_id))

        with held(mending, "mend_command", command) as gate, mock.patch.object(
                type(self.desk.found), "states", lambda _: {"a": "open", "b": "open"}):
            for one in (find, other):
                self.desk.found.current = one
                self.desk.found.mending.mend()
            self.key(Qt.Key.Key_4)
            gate.set()
            self.wait(self.desk.found.mending.background.idle)
        self.assertEqual(asked, [("a", "mend"), ("b", "mend")])

    def test_a_message_of_the_stage_that_was_left_goes_and_undo_stays_told(self):
        self.open()
        self.click(200, 200)
        self.window.say("Something of Mend.")
        self.key(Qt.Key.Key_2)
        self.assertNotIn("of Mend", self.window.notice.text())
        self.key(Qt.Key.Key_Z)
        self.assertIn("Undone", self.window.notice.text())
        self.window.warn("A problem.")
        self.key(Qt.Key.Key_3)
        self.assertIn("A problem", self.window.notice.text())


class NeverWaitsTest(WindowCase):
    """The window's thread goes on whatever is worked out beside it."""

    def watched(self, act, seconds: float = 0.4) -> float:
        """The longest stall while something is done and a moment after, in seconds of the usual machine."""
        with Watchdog() as dog:
            act()
            self.pump(seconds)
        self.stall = dog.longest
        return dog.longest.seconds / slowness()

    def test_closing_reading_and_new_layers_hold_nothing_up(self):
        warmup.read_ahead()
        self.take(session_of(skin_like(400, 500)))
        self.key(Qt.Key.Key_6)
        part = self.desk.part
        with held(adjust_part, "measured_settings", lambda *given, **named: {}) as gate:
            threading.Timer(0.8, gate.set).start()
            # the layer is there when it comes back, and until then the window goes on being drawn
            self.assertLess(self.watched(lambda: self.desk._add_layer()), _MOST_S, self.stall)
            self.assertEqual(len(self.job.stage.layers), 1)
        for work in ("a", "b"):
            part._background.run(work, lambda task: time.sleep(1.0), lambda _: None, failed=lambda _: None)
        self.canvas.store._scheduler._engine.tile = lambda *given, **named: time.sleep(1.0)
        self.canvas.ask()
        begun = time.monotonic()
        self.assertLess(self.watched(self.window.close_job, 0.2), _MOST_S, self.stall)
        self.assertLess(time.monotonic() - begun, 0.9)

    def test_a_photo_is_read_while_the_window_is_drawn(self):
        session, gate = session_of(skin_like(400, 500)), threading.Event()
        threading.Timer(0.7, gate.set).start()
        path = self.folder / "a.png"
        path.write_bytes(b"x")

        def read(*given, **named):
            gate.wait(10)
            return session

        with mock.patch.object(Session, "open", read):
            self.assertLess(self.watched(lambda: self.window.open_path(path)), 2 * _MOST_S, self.stall)
        self.assertIs(self.job.session, session)


class PlacementTest(WindowCase):
    FRAME = QMargins(4, 30, 4, 4)

    def on(self, width: int, height: int):
        """Context: a screen of that size, with a bar of 40 px at its top."""
        area = QRect(0, 40, width, height - 40)
        patch = mock.patch.multiple(placement, free_area=lambda window: area, frame_of=lambda window: self.FRAME)
        return patch, area

    def outer(self) -> QRect:
        return self.window.geometry().marginsAdded(self.FRAME)

    def test_with_its_frame_it_lies_within_the_free_area_of_the_screen(self):
        for size in ((1280, 800), (1100, 720), (1920, 1080)):
            patch, area = self.on(*size)
            with patch:
                placement.place(self.window)
                self.window.move(300, 300)
                placement.fit(self.window)
                self.pump()
                self.assertTrue(area.contains(self.outer()), (size, self.outer()))

    def test_the_size_that_was_left_comes_back_and_a_small_screen_does_not_shrink_it_for_ever(self):
        patch, _ = self.on(1920, 1080)
        with patch:
            placement.place(self.window)
            self.window.resize(1500, 900)
            placement.keep(self.window)
        small, area = self.on(1280, 800)
        with small:
            placement.place(self.window)
            placement.fit(self.window)
            self.assertTrue(area.contains(self.outer()))
            placement.keep(self.window)
        patch, _ = self.on(1920, 1080)
        with patch:
            placement.place(self.window)
            self.assertEqual(self.window.size(), QSize(1500, 900))
            for wrong in ("x", [1], [0, 5], [10**9, 5], {"size": [1.5, 2]}, {"size": None}, {"size": [True, 1]}):
                store.store({"window": wrong if isinstance(wrong, dict) else {"size": wrong}})
                placement.place(self.window)
                self.assertEqual(self.window.size(), placement.USUAL)
        store.store({})
