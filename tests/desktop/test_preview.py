"""Before a touch the ring shows, at half strength, what would be laid down, in the real window."""

import numpy as np
from PyQt6.QtCore import QEvent, Qt

from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase

_X, _Y, _RADIUS = 160, 150, 9


class PreviewTest(WindowCase):
    def setUp(self):
        super().setUp()
        pixels = skin_like(300, 340)
        ys, xs = np.mgrid[:300, :340]
        pixels[np.hypot(xs - _X, ys - _Y) < _RADIUS] //= 2
        self.take(session_of(pixels))
        self.canvas.zoom_to(1.0)
        self.desk.state.change(size_px=30)
        self.settle()

    def seen(self) -> float:
        """Mean of what the screen shows of the spot."""
        image = self.canvas.grab().toImage()
        at = self.at(_X, _Y)
        values = [image.pixelColor(round(at.x()) + dx, round(at.y()) + dy).green() for dx in (-3, 0, 3)
                  for dy in (-3, 0, 3)]
        return float(np.mean(values))

    def hover(self, x: float, y: float) -> None:
        self.mouse(QEvent.Type.MouseMove, x, y, down=False)

    def test_a_dab_is_shown_half_laid_and_not_laid(self):
        preview = self.desk.control.preview
        bare = self.seen()
        self.hover(_X, _Y)
        self.wait(lambda: preview.shown is not None)
        half = self.seen()
        self.assertEqual(self.job.job.edit_count, 0)
        self.hover(_X + 60, _Y)
        self.assertIsNone(preview.shown)
        self.assertAlmostEqual(self.seen(), bare, delta=1)
        self.click(_X, _Y)
        self.hover(_X + 90, _Y + 60)
        laid = self.seen()
        self.assertGreater(laid, bare + 20)
        self.assertAlmostEqual(half, (bare + laid) / 2, delta=0.12 * (laid - bare))

    def test_carry_shows_it_fitted_and_no_preview_where_nothing_would_show(self):
        self.desk.brush_strip.choose("carry")
        self.desk.state.change(size_px=30)
        self.desk.state.take(_X + 80, _Y + 60)
        preview = self.desk.control.preview
        bare = self.seen()
        self.hover(_X, _Y)
        self.wait(lambda: preview.shown is not None)
        self.assertGreater(self.seen(), bare + 10)
        self.desk.layers.stage_on.click()
        self.hover(_X + 40, _Y)
        self.pump(0.3)
        self.assertIsNone(preview.shown)
        self.key(Qt.Key.Key_J)
        self.desk.layers.stage_on.click()
        self.hover(_X, _Y)
        self.pump(0.3)
        self.assertIsNone(preview.shown)
