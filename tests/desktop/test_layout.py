"""At 1280×800 everything fits: no tool and no screen makes the window wider, nothing overlaps or is cut."""

from PyQt6.QtWidgets import QLabel, QPushButton, QToolButton

from lather.core.job.source_map import SourceTurn
from lather.core.stages.registry import STAGES
from lather.core.stages.split.kind import TOOLS_OF_BAND
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase


class LayoutTest(WindowCase):
    def every_tool(self):
        """Each tool of each stage in hand in turn; of Split, on each of its bands."""
        for info in STAGES:
            self.window.job.choose_stage(info.id)
            for band in TOOLS_OF_BAND if info.id == "split" else ("",):
                if band:
                    self.desk.stages["split"].panel.new[band].click()
                for tool in info.tools_for(self.window.job.layer):
                    self.desk.brush_strip.choose(tool)
                    self.pump(0.03)
                    yield f"{info.id} {band} {tool}"

    def test_every_tool_fits_and_every_word_is_whole(self):
        self.take(session_of(skin_like(400, 600)))
        self.desk.state.turn = SourceTurn(True, -120.0, 1.25)
        for tool in self.every_tool():
            self.assertEqual((self.window.width(), self.window.height()), (1280, 800), tool)
            self.assertLessEqual(self.desk.minimumSizeHint().width(), 1280, tool)
            for button in self.desk.findChildren((QPushButton, QToolButton)):
                if button.isVisible() and button.text():
                    need = button.fontMetrics().horizontalAdvance(button.text())
                    self.assertLessEqual(need, button.width(), f"{tool}: {button.text()}")
            for label in self.desk.findChildren(QLabel):
                if label.isVisible() and not label.wordWrap():
                    need = label.fontMetrics().horizontalAdvance(label.text())
                    self.assertLessEqual(need, label.width() + 1, label.text())
        for screen in ("brief", "review", "deliver", "logbook", "desk"):
            self.window.show_screen(screen)
            self.pump(0.05)
            self.assertEqual((self.window.width(), self.window.height()), (1280, 800), screen)

    def test_neighbours_in_the_strip_do_not_overlap(self):
        self.take(session_of(skin_like(400, 600)))
        for tool in self.every_tool():
            strip = self.desk.brush_strip
            shown = [w for w in (*strip.tools.values(), strip.size, strip.edge, strip.ceiling, strip.flow, strip.graph,
                                 strip.cards) if w.isVisible()]
            boxes = sorted((w.mapTo(strip, w.rect().topLeft()).x(), w.width()) for w in shown)
            for (x, width), (following, _) in zip(boxes, boxes[1:]):
                self.assertLessEqual(x + width, following + 1, tool)
            self.assertLessEqual(boxes[-1][0] + boxes[-1][1], 1280)
