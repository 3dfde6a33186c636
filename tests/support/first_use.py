"""A window used by hand as somebody would after a start: every stage, every tool, a look around, a save, a delivery.

    python -m tests.support.first_use FOLDER [JOB]

With a job it is only opened. Says as JSON which loops had to be compiled, and which the window's own thread was the
first to call.
"""

import json
import logging
import sys
from pathlib import Path

from PyQt6.QtCore import Qt

from lather.core import loops, warmup
from lather.core.job.model import STAGE_IDS
from lather.core.stages.registry import stage_info
from lather.core.tools.registry import TOOLS
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase

_PLACE = (260, 300)


class FirstUse(WindowCase):
    def runTest(self):
        self.first_of_window: list[str] = []
        self.tools_used = 0
        self._hear_first_calls()
        if sys.argv[2:]:
            self.window.open_path(sys.argv[2])
            self.rest()
        else:
            self._use()

    def _use(self) -> None:
        self.take(session_of(skin_like(600, 600)))
        self.canvas.zoom_to(0.4)  # a photo from a camera is opened smaller than it is
        self.settle()
        for number, stage_id in enumerate(STAGE_IDS, 1):
            self.key(getattr(Qt.Key, f"Key_{number % 10}"))
            self.settle()
            self._paint_with_every_tool(stage_id)
        self.job.save(Path(sys.argv[1]) / "used.lather")
        self.deliver("{client}", size="px", long_edge_px=300)
        self.settle()

    def _hear_first_calls(self) -> None:
        class Hears(logging.Handler):
            def emit(_, record):
                if record.levelno == logging.DEBUG and record.threadName == "MainThread":
                    self.first_of_window.append(record.getMessage().split()[0])

        log = logging.getLogger("lather.core.loops")
        log.setLevel(logging.DEBUG)
        log.addHandler(Hears())

    def _paint_with_every_tool(self, stage_id: str) -> None:
        self.canvas.zoom_to(1.0)
        self.canvas.centre_on(*_PLACE)
        self.settle()
        x, y = _PLACE
        for tool in stage_info(stage_id).tools:
            if not TOOLS[tool].lays:
                continue
            self.desk.brush_strip.choose(tool)
            self.drag([(x - 30, y), (x, y + 8), (x + 30, y + 4)])
            self.settle()
            self.tools_used += 1


if __name__ == "__main__":
    logging.basicConfig(level=logging.WARNING)
    case = FirstUse()
    outcome = case.run()
    for _, failure in outcome.failures + outcome.errors:
        print(failure, file=sys.stderr)
    print(json.dumps({"warm": warmup.is_warm(), "tools": case.tools_used, "compiled": loops.compiled_here,
                      "first_of_window": case.first_of_window}))
    sys.exit(not outcome.wasSuccessful())
