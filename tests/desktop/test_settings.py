"""Settings by their controls: theme, keys, pen, the screen's profile, memory, folders, units, money."""

import json
import os
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QInputDevice, QPointingDevice, QTabletEvent
from PyQt6.QtTest import QTest
from Xlib import Xatom, display, error

from lather.core.colour import profiles
from lather.core.imageio.write import write_picture
from lather.core.job.brief import JobSheet
from lather.core.job.outputs import OutputSpec
from lather.core.journal.journal import read_records
from lather.desktop import settings
from lather.desktop.delivery.output_form import OutputForm
from lather.desktop.input import keys, pressure
from lather.desktop.input.keys import ACTIONS, BY_ID, settings_folder
from lather.desktop.input.pressure import PressureCurve
from lather.desktop.settings import display as display_settings
from lather.desktop.settings.applied import apply
from lather.desktop.settings.declared import SETTINGS
from lather.desktop.settings.display import forget_desktop
from tests.support.pictures import WIDE, session_of, skin_like
from tests.support.window_case import WindowCase

SRGB = profiles.srgb_profile()


class SettingsCase(WindowCase):
    def setUp(self):
        self._forget()
        self.addCleanup(self._forget)
        super().setUp()

    @staticmethod
    def _forget():
        for name in ("settings.json", "keys.json"):
            (settings_folder() / name).unlink(missing_ok=True)
        apply()
        forget_desktop()

    @property
    def screen(self):
        return self.window.screens["settings"]

    def open_settings(self):
        QTest.keyClick(self.window.screen, Qt.Key.Key_Comma, Qt.KeyboardModifier.ControlModifier)
        self.pump()
        self.assertIs(self.window.screen, self.screen)
        return self.screen

    def wait_for_another(self, screen):
        """Until the settings were made anew."""
        self.wait(lambda: self.window.screens.made.get("settings") not in (None, screen))

    def written(self) -> dict:
        return json.loads((settings_folder() / "settings.json").read_text())

    def type_into(self, field, text: str):
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.pump()

    def press_for(self, action_id: str, key, modifiers=Qt.KeyboardModifier.NoModifier):
        button = self.screen.keys.buttons[action_id]
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.assertEqual(button.text(), "press a key")
        QTest.keyClick(button, key, modifiers)
        self.pump()


class ValuesTest(SettingsCase):
    def test_a_value_that_cannot_be_is_as_it_starts_and_one_as_it_starts_is_not_written(self):
        settings_folder().mkdir(parents=True, exist_ok=True)
        nonsense = {one.id: [1, {}] for one in SETTINGS} | {"recent": ["/a.png"]}
        (settings_folder() / "settings.json").write_text(json.dumps(nonsense))
        for one in SETTINGS:
            if one.id != "finds_on_opening":  # the tests say that one by the environment
                self.assertEqual(settings.value(one.id), one.start, one.id)
        for value, held in ((99.0, 10.0), (-1, 0.0), (float("nan"), 0.8)):
            settings.set_value("linger_s", value)
            self.assertEqual(settings.value("linger_s"), held)
        self.assertNotIn("linger_s", self.written())
        self.assertEqual(self.written()["recent"], ["/a.png"])

    def test_every_control_keeps_what_is_chosen_and_all_go_back_as_they_start(self):
        screen = self.open_settings()
        screen.rows["scale"].control.button("150").click()
        screen.rows["length"].control.button("in").click()
        screen.rows["linger_s"].control.set_value(3.0, tell=True)
        self.type_into(screen.rows["currency"].control, "CHF")
        wanted = {"scale": "150", "length": "in", "linger_s": 3.0, "currency": "CHF"}
        self.assertEqual(self.written(), wanted)
        self.assertTrue(screen.again.isVisible())  # the size of everything wants it
        screen.usual.click()
        self.assertEqual(self.written(), {})
        self.assertEqual(screen.rows["currency"].control.text(), "EUR")
        self.assertEqual(screen.rows["length"].control.value, "cm")

    def test_what_cannot_be_written_is_told_and_not_shown_as_chosen(self):
        screen = self.open_settings()
        with mock.patch("lather.desktop.settings.store.write_own", side_effect=OSError):
            screen.rows["length"].control.button("in").click()
        self.assertIn("could not be written", screen.messages.text())
        self.assertEqual(screen.rows["length"].control.value, "cm")

    def test_esc_and_the_same_key_go_back_to_where_one_was(self):
        self.take(session_of(skin_like(80, 120)))
        for leave in (lambda s: QTest.keyClick(s, Qt.Key.Key_Escape),
                      lambda s: QTest.keyClick(s, Qt.Key.Key_Comma, Qt.KeyboardModifier.ControlModifier)):
            self.window.show_screen("review")
            self.open_settings()
            leave(self.screen)
            self.assertIs(self.window.screen, self.window.screens["review"])

    def test_the_menu_at_the_end_of_the_top_line_leads_there(self):
        header = self.window.header
        QTest.mouseClick(header.more_button, Qt.MouseButton.LeftButton)
        next(a for a in header.more_menu.actions() if a.text().startswith("Settings")).trigger()
        header.more_menu.close()
        self.pump()
        self.assertIs(self.window.screen, self.screen)


class ThemeTest(SettingsCase):
    def test_the_dark_theme_is_there_at_once_and_the_job_goes_on(self):
        self.take(session_of(skin_like(200, 300)))
        self.canvas.zoom_to(1.0)
        self.settle()
        self.click(150, 100)
        job, edits = self.window.job.job, self.window.job.job.edit_count
        self.assertEqual(edits, 1)
        kept = self.window.job.journal.path
        screen = self.open_settings()
        light = self.window.grab().toImage().pixelColor(5, 400).lightness()
        screen.rows["theme"].control.button("dark").click()
        self.wait_for_another(screen)
        self.assertIs(self.window.screen, self.screen)
        dark = self.window.grab().toImage().pixelColor(5, 400).lightness()
        self.assertGreater(light, 200)
        self.assertLess(dark, 60)
        self.assertEqual(self.window.job.job, job)
        self.assertFalse(self.window.job.saved)
        self.assertTrue(self.window.job.journal.path.is_file())
        self.assertFalse(kept.exists())  # its steps are in the new one
        self.assertGreater(len(read_records(self.window.job.journal.path)), 1)
        QTest.keyClick(self.window.screen, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
        self.settle()
        QTest.keyClick(self.canvas, Qt.Key.Key_Z)
        self.assertEqual(self.window.job.job.edit_count, 0)

    def test_where_no_journal_can_be_written_the_one_before_is_kept(self):
        self.take(session_of(skin_like(200, 300)))
        self.canvas.zoom_to(1.0)
        self.settle()
        self.click(150, 100)
        kept = self.window.job.journal.path
        self.addCleanup(kept.unlink, missing_ok=True)
        with mock.patch("lather.core.journal.journal.Journal._write_file", side_effect=OSError("no room")):
            self.window.rooms.make_anew()
        self.assertTrue(self.window.job.journal.problem)
        self.assertGreater(len(read_records(kept)), 1)

    def test_without_a_job_too(self):
        screen = self.open_settings()
        screen.rows["theme"].control.button("dark").click()
        self.wait_for_another(screen)
        self.assertLess(self.window.grab().toImage().pixelColor(5, 400).lightness(), 60)


class KeysTest(SettingsCase):
    def test_a_key_is_bound_by_pressing_it_and_works_and_is_named_at_once(self):
        self.take(session_of(skin_like(200, 300)))
        self.open_settings()
        self.press_for("fold", Qt.Key.Key_F6)
        self.assertEqual(keys.load_bindings()["fold"], "F6")
        self.assertEqual(json.loads((settings_folder() / "keys.json").read_text()), {"fold": "F6"})
        QTest.keyClick(self.window.screen, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
        QTest.keyClick(self.canvas, Qt.Key.Key_X)
        self.assertTrue(self.desk.left.isVisible())
        QTest.keyClick(self.canvas, Qt.Key.Key_F6)
        self.assertFalse(self.desk.left.isVisible())
        self.assertEqual(keys.keyed("{fold} folds; {unknown} stays"), "F6 folds; {unknown} stays")

    def test_a_clash_is_told_before_anything_changes_and_swapped_or_left(self):
        screen = self.open_settings()
        self.press_for("mend_find", Qt.Key.Key_R)
        self.assertIn("keep it", screen.keys.question.text())
        self.assertEqual(keys.load_bindings()["mend_find"], "E")
        screen.keys.leave.click()
        self.assertFalse(screen.keys.swap.isVisible())
        self.assertEqual(keys.load_bindings()["mend_find"], "E")
        self.press_for("mend_find", Qt.Key.Key_R)
        screen.keys.swap.click()
        bound = keys.load_bindings()
        self.assertEqual((bound["mend_find"], bound["keep_find"]), ("R", "E"))
        self.assertEqual(len(set(bound.values())), len(bound))
        self.assertEqual(screen.keys.buttons["keep_find"].text(), "E")
        screen.keys.usual.click()
        self.assertEqual(keys.load_bindings(), {action.id: action.key for action in ACTIONS})

    def test_tab_can_be_bound_esc_gives_up_and_a_held_key_stands_alone(self):
        screen = self.open_settings()
        self.press_for("before", Qt.Key.Key_F6)
        self.press_for("drag_size", Qt.Key.Key_Tab)
        self.assertEqual(keys.load_bindings()["drag_size"], "Tab")
        button = screen.keys.buttons["fit"]
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        QTest.keyClick(button, Qt.Key.Key_Escape)
        self.assertEqual(button.text(), "Y")
        self.assertIs(self.window.screen, screen)
        self.press_for("move", Qt.Key.Key_J, Qt.KeyboardModifier.ControlModifier)
        self.assertIn("stands alone", screen.messages.text())
        self.assertEqual(keys.load_bindings()["move"], "Space")

    def test_the_list_is_searched(self):
        listed = self.open_settings().keys
        listed.search.setFocus()
        QTest.keyClicks(listed.search, "undo")
        shown = {one for one, row in listed._rows.items() if not row.isHidden()}
        self.assertEqual(shown, {one for one in BY_ID if "undo" in BY_ID[one].label})

    def test_keys_that_clash_in_the_file_are_marked(self):
        settings_folder().mkdir(parents=True, exist_ok=True)
        (settings_folder() / "keys.json").write_text(json.dumps({"fit": "W"}))
        self.window.close_job()
        self.window.show_start()
        listed = self.open_settings().keys
        self.assertEqual([listed.buttons[one].text() for one in ("fit", "next_find")], ["W !", "W !"])


class PenTest(SettingsCase):
    def test_the_curve_keeps_its_ends_never_falls_and_bends_either_way(self):
        self.assertEqual([PressureCurve()(p) for p in (0, 0.3, 1)], [0, 0.3, 1])
        for bend in (-100, -30, 0, 55, 100):
            feel = PressureCurve(0.1, 0.8, bend)
            given = np.array([feel(p) for p in np.linspace(0, 1, 101)])
            self.assertTrue((np.diff(given) >= 0).all())
            self.assertEqual((feel(0.1), feel(0.8), feel(1.0)), (0, 1, 1))
        self.assertGreater(PressureCurve(bend=-60)(0.3), 0.3)
        self.assertLess(PressureCurve(bend=60)(0.3), 0.3)

    def test_it_is_tried_in_the_settings_and_the_canvas_lays_down_by_it(self):
        self.take(session_of(skin_like(200, 300)))
        screen = self.open_settings()
        screen.rows["pen_bend"].control.set_value(-100, tell=True)
        screen.rows["pen_full"].control.set_value(60, tell=True)
        self.assertEqual(pressure.curve(), PressureCurve(0, 0.6, -100))
        tried = []
        screen.pen.tried.connect(lambda pressed, given: tried.append((pressed, given)))
        place = screen.pen.pad().center()
        before = screen.pen.grab().toImage()
        for kind, force in ((QEvent.Type.TabletPress, 0.1), (QEvent.Type.TabletMove, 0.4)):
            place += QPointF(20, 4)
            self.tablet_on(screen.pen, kind, place, force)
        self.assertNotEqual(screen.pen.grab().toImage(), before)
        self.assertAlmostEqual(tried[0][1], (0.1 / 0.6) ** 0.25, places=3)
        self.assertAlmostEqual(tried[1][1], (0.4 / 0.6) ** 0.25, places=3)
        self.window.show_screen("desk")
        self.settle()
        heard = []
        self.canvas.pen.connect(heard.append)
        self.tablet_on(self.canvas, QEvent.Type.TabletMove, QPointF(50, 50), 0.1)
        self.assertAlmostEqual(heard[-1].pressure, (0.1 / 0.6) ** 0.25, places=3)

    def tablet_on(self, widget, kind, place: QPointF, force: float):
        pen = QPointingDevice("pen", 7, QInputDevice.DeviceType.Stylus, QPointingDevice.PointerType.Pen,
                              QInputDevice.Capability.Pressure, 1, 3)
        event = QTabletEvent(kind, pen, place, QPointF(widget.mapToGlobal(QPoint(0, 0))) + place, force, 0, 0, 0, 0, 0,
                             Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton, Qt.MouseButton.LeftButton)
        self.app.sendEvent(widget, event)


class DisplayTest(SettingsCase):
    def test_the_property_of_the_x_server_is_read_and_what_is_no_profile_is_not_taken(self):
        read, write = os.pipe()
        server = subprocess.Popen(["Xvfb", "-displayfd", str(write), "-screen", "0", "640x480x24"], pass_fds=[write],
                                  stderr=subprocess.DEVNULL)
        self.addCleanup(server.wait)
        self.addCleanup(server.terminate)
        os.close(write)
        with os.fdopen(read) as told:
            name = f":{told.readline().strip()}"
        with mock.patch.dict(os.environ, {"DISPLAY": name}):
            self.assertIsNone(display_settings.from_x11())
            for _ in range(20):  # a server that has just begun may drop its first client
                with suppress(ConnectionError, error.ConnectionClosedError):
                    x = display.Display(name)
                    break
                time.sleep(0.1)
            self.addCleanup(x.close)
            for atom, data in (("_ICC_PROFILE", WIDE), ("_ICC_PROFILE_1", b"rubbish")):
                x.screen().root.change_property(x.intern_atom(atom), Xatom.CARDINAL, 8, data)
            x.sync()
            forget_desktop()
            self.assertEqual(display_settings.from_x11(), WIDE)
            self.assertIsNone(display_settings.from_x11(1))
            shown = settings.display_profile()
            self.assertEqual(shown.profile, WIDE)
            self.assertIn("the X server", shown.said)
            settings.set_value("display_from", "srgb")
            self.assertIsNone(settings.display_profile().profile)

    def test_colord_is_asked_by_the_bus(self):
        path = self.folder / "screen.icc"
        path.write_bytes(WIDE)
        bus = subprocess.Popen(["dbus-daemon", "--session", "--nofork", "--print-address=1"], stdout=subprocess.PIPE,
                               text=True)
        self.addCleanup(lambda: (bus.terminate(), bus.wait(), bus.stdout.close()))
        address = bus.stdout.readline().strip()
        with mock.patch.dict(os.environ, {"DBUS_SYSTEM_BUS_ADDRESS": address}):
            os.environ.pop("DISPLAY", None)
            self.assertIsNone(display_settings.from_colord())
            service = subprocess.Popen([sys.executable, "-m", "lather.desktop.settings.colord_stand_in", str(path)],
                                       stdout=subprocess.PIPE, text=True, env=os.environ | {
                                           "PYTHONPATH": str(Path(settings.__file__).parents[3])})
            self.addCleanup(lambda: (service.terminate(), service.wait(), service.stdout.close()))
            self.assertEqual(service.stdout.readline().strip(), "ready")
            self.assertEqual(settings.display_profile().profile, WIDE)
            self.assertIn("colord", settings.display_profile().said)
            path.write_bytes(b"rubbish")
            self.assertEqual(settings.display_profile().profile, WIDE)  # asked once
            forget_desktop()
            self.assertIsNone(settings.display_profile().profile)

    def test_on_another_screen_the_picture_is_shown_through_its_profile(self):
        write_picture(self.folder / "a.png", skin_like(60, 90), profile=SRGB)
        by_screen = mock.patch.object(display_settings, "from_x11", lambda number: WIDE if number else None)
        with by_screen, mock.patch.object(display_settings, "from_colord", lambda number: None):
            forget_desktop()
            self.open_on_desk(self.folder / "a.png")
            plain, desk = np.array(self.shown(30.5, 30.5)), self.desk
            handle = self.window.windowHandle()
            handle.screenChanged.emit(handle.screen())  # another one with the same profile
            self.settle()
            self.assertIs(self.desk, desk)
            with mock.patch.object(display_settings, "_screen_in_use", lambda: 1):
                handle.screenChanged.emit(handle.screen())
                self.settle()
                self.assertIsNot(self.desk, desk)
                self.assertGreater(np.abs(np.array(self.shown(30.5, 30.5)) - plain).max(), 3)

    def test_a_file_is_taken_and_the_picture_shown_through_it(self):
        write_picture(self.folder / "a.png", skin_like(60, 90), profile=SRGB)
        self.open_on_desk(self.folder / "a.png")
        plain = np.array(self.shown(30.5, 30.5))
        path = self.folder / "wide.icc"
        path.write_bytes(WIDE)
        screen = self.open_settings()
        self.assertFalse(screen.rows["display_profile"].isVisible())
        screen.rows["display_from"].control.button("file").click()
        self.wait_for_another(screen)
        screen = self.screen
        self.assertIn("Choose the file", screen.display.text())
        self.type_into(screen.rows["display_profile"].control, str(path))
        self.wait_for_another(screen)
        self.assertIn("In use", self.screen.display.text())
        self.window.show_screen("desk")
        self.settle()
        self.assertGreater(np.abs(np.array(self.shown(30.5, 30.5)) - plain).max(), 3)


class WorkTest(SettingsCase):
    def test_the_memory_limit_is_the_next_photos(self):
        self.take(session_of(skin_like(60, 90)))
        before = self.window.job.session.engine.budget.limit
        screen = self.open_settings()
        screen.rows["memory_mb"].control.set_value(512, tell=True)
        self.take(session_of(skin_like(60, 90)))
        self.assertEqual(self.window.job.session.engine.budget.limit, 512 * 1024**2)
        self.open_settings().usual.click()
        self.take(session_of(skin_like(60, 90)))
        self.assertEqual(self.window.job.session.engine.budget.limit, before)

    def test_folders_units_and_money_are_what_a_new_photo_starts_with(self):
        write_picture(self.folder / "a.png", skin_like(60, 90), profile=SRGB)
        for key, value in (("jobs_folder", str(self.folder / "jobs")), ("delivery_folder", str(self.folder / "out")),
                           ("length", "in"), ("currency", "CHF"), ("rate", "96.50")):
            settings.set_value(key, value)
        self.assertTrue(self.window.open_path(self.folder / "a.png"))
        self.settle()
        self.assertIs(self.window.screen, self.window.screens["brief"])
        sheet = JobSheet.of(self.window.job.job.brief)
        self.assertEqual((sheet.currency, sheet.rate_cents), ("CHF", 9650))
        self.assertEqual(settings.new_job_file(self.window.job.session), self.folder / "jobs" / "a.lather")
        deliver = self.list_output("x", size="cm", width_cm=20.0, height_cm=25.0)
        self.assertIn("7.87 × 9.84 in", deliver.rows[0].size.text())
        self.window.close_job()
        self.window.show_start()
        self.window.open_path(self.folder / "a.png")
        self.assertEqual(self.window.screens["deliver"].folder.text(), str(self.folder / "out"))

    def test_inches_round_nothing_away_and_an_hour_that_is_no_number_is_refused(self):
        settings.set_value("length", "in")
        self.take(session_of(skin_like(60, 90)))
        form = OutputForm(OutputSpec("one", "Out", size="cm", width_cm=21.0, height_cm=29.7), self.window)
        form.pop_up(self.window.header)
        self.assertEqual(form.print_width.suffix(), " in")
        form.count.setValue(3)
        self.assertEqual((form.spec.width_cm, form.spec.height_cm, form.spec.count), (21.0, 29.7, 3))
        form.print_width.setValue(10.0)
        self.assertEqual((form.spec.width_cm, form.spec.height_cm), (25.4, 29.7))
        form.close()
        self.window.activateWindow()
        self.type_into(self.open_settings().rows["rate"].control, "much")
        self.assertIn("is a number", self.screen.messages.text())
        self.assertEqual(settings.value("rate"), "")


_AT_EACH_START = """
from lather.desktop import app, settings
made = app.make_application

def make():
    from PyQt6.QtCore import QTimer
    application = made()
    ratio = application.primaryScreen().devicePixelRatio()
    print(ratio, flush=True)

    def act():
        window = next(one for one in application.topLevelWidgets() if hasattr(one, "again"))
        settings.set_value("scale", "200")
        window.rooms.start_again() if ratio == 1.5 else window.close()

    QTimer.singleShot(300, act)
    return application

app.make_application = make
"""


class StartTest(SettingsCase):
    def test_the_scale_is_taken_at_the_start_and_starting_again_takes_another(self):
        settings.set_value("scale", "150")
        (self.folder / "sitecustomize.py").write_text(_AT_EACH_START)
        code = str(Path(settings.__file__).parents[3])
        environment = {key: value for key, value in os.environ.items() if key != "QT_SCALE_FACTOR"}
        run = subprocess.run([sys.executable, "-m", "lather", "open"], capture_output=True, text=True, timeout=120,
                             env=environment | {"PYTHONPATH": f"{self.folder}{os.pathsep}{code}"})
        self.assertEqual(run.stdout.split(), ["1.5", "2.0"], run.stderr)
