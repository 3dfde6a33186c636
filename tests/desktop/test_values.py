"""Values by hand: typed, stepped, set back, and taken hold of without a jump, in the real window."""

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lather.core.job.model import STAGE_IDS
from lather.desktop.widgets.value_slider import ValueSlider
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase

_NUMBER_Y, _TRACK_Y = 8, 28
_SHARE = {"Leave": 0.8}  # a kind of job leaves no less than 40 %


class ValuesTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.take(session_of(skin_like(300, 340)))
        self.size = self.desk.brush_strip.size

    def type(self, slider: ValueSlider, text: str, end=Qt.Key.Key_Return) -> None:
        QTest.mouseDClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(slider.width() - 5, _NUMBER_Y))
        self.assertIsNotNone(slider.editor, slider.name)
        QTest.keyClicks(slider.editor, text)
        QTest.keyClick(slider.editor, end)

    def test_every_value_on_the_desk_can_be_typed_and_set_back_by_its_name(self):
        typed = 0
        for number, _ in enumerate(STAGE_IDS, 1):
            self.key(getattr(Qt.Key, f"Key_{number % 10}"))
            self.settle()
            for slider in self.desk.findChildren(ValueSlider):
                if not slider.isVisible() or not slider.isEnabled():
                    continue
                with self.subTest(stage=number, slider=slider.name):
                    wanted = round(slider.low + _SHARE.get(slider.name, 0.37) * (slider.high - slider.low), 1)
                    self.type(slider, f"{wanted}".replace(".", ","))
                    self.assertAlmostEqual(slider.value, wanted, delta=0.06 * slider.step + 1e-6)
                    QTest.mouseDClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(3, _NUMBER_Y))
                    self.assertAlmostEqual(slider.value, slider.start, delta=slider.step)
                    typed += 1
        self.assertGreater(typed, 20)

    def test_a_typed_size_is_the_brush_and_escape_leaves_it(self):
        self.type(self.size, "33.5 px")
        self.assertEqual(self.desk.state.brush.size_px, 33.5)
        self.assertIn("33.5", self.size.text())
        self.type(self.size, "90", Qt.Key.Key_Escape)
        self.assertEqual(self.desk.state.brush.size_px, 33.5)
        self.type(self.size, "999999")
        self.assertEqual(self.desk.state.brush.size_px, 2000)
        self.type(self.size, "wide")
        self.assertEqual(self.desk.state.brush.size_px, 2000)

    def test_the_knob_does_not_jump_and_the_number_is_no_track(self):
        ceiling = self.desk.brush_strip.ceiling
        ceiling.set_value(50, tell=True)
        x = int(ceiling._knob())
        QTest.mousePress(ceiling, Qt.MouseButton.LeftButton, pos=QPoint(x + 4, _TRACK_Y))
        self.assertEqual(ceiling.value, 50)
        QTest.mouseRelease(ceiling, Qt.MouseButton.LeftButton, pos=QPoint(x + 4, _TRACK_Y))
        self.assertEqual(ceiling.value, 50)
        QTest.mouseClick(ceiling, Qt.MouseButton.LeftButton, pos=QPoint(ceiling.width() - 4, _NUMBER_Y))
        self.assertEqual(ceiling.value, 50)
        QTest.mouseClick(ceiling, Qt.MouseButton.LeftButton, pos=QPoint(ceiling.width() - 8, _TRACK_Y))
        self.assertGreater(ceiling.value, 90)

    def turn(self, slider: ValueSlider, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
        at = QPointF(10, _TRACK_Y)
        QApplication.sendEvent(slider, QWheelEvent(
            at, slider.mapToGlobal(at), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton, modifiers,
            Qt.ScrollPhase.NoScrollPhase, False))

    def test_wheel_and_arrows_step_shift_tenfold_alt_by_a_tenth(self):
        edge = self.desk.brush_strip.edge
        edge.set_value(20, tell=True)
        for modifiers, after in ((Qt.KeyboardModifier.NoModifier, 21.0), (Qt.KeyboardModifier.ShiftModifier, 31.0),
                                 (Qt.KeyboardModifier.AltModifier, 31.1)):
            self.turn(edge, modifiers)
            self.assertAlmostEqual(edge.value, after, places=5)
        edge.setFocus()
        QTest.keyClick(edge, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
        QTest.keyClick(edge, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
        self.assertAlmostEqual(edge.value, 21.0, places=5)
        QTest.keyClick(edge, Qt.Key.Key_Return)
        QTest.keyClicks(edge.editor, "44")
        QTest.keyClick(edge.editor, Qt.Key.Key_Return)
        self.assertEqual(edge.value, 44)

    def test_keys_step_size_and_ceiling(self):
        size, ceiling = self.desk.state.brush.size_px, self.desk.state.brush.ceiling
        self.key(Qt.Key.Key_O)
        self.assertGreater(self.desk.state.brush.size_px, size)
        self.key(Qt.Key.Key_I)
        self.assertAlmostEqual(self.desk.state.brush.size_px, size, delta=1)
        QTest.keyClick(self.canvas, Qt.Key.Key_I, Qt.KeyboardModifier.ShiftModifier)
        self.assertAlmostEqual(self.desk.state.brush.ceiling, ceiling - 0.05, places=5)
        QTest.keyClick(self.canvas, Qt.Key.Key_O, Qt.KeyboardModifier.ShiftModifier)
        self.assertAlmostEqual(self.desk.state.brush.ceiling, ceiling, places=5)
        self.assertIn("I smaller", self.size.toolTip())
