"""A real window that paints, saves and undoes without end, and says what it has done: to be killed by tests.

    python -m tests.support.painting_window PHOTO JOB SEED
"""

import random
import sys

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtTest import QTest

from tests.support.window_case import WindowCase


class Painter(WindowCase):
    def runTest(self):
        photo, job_file, seed = sys.argv[1], sys.argv[2], int(sys.argv[3])
        rng = random.Random(seed)
        self.window.open_path(photo)
        self.settle()
        self.canvas.zoom_to(1.0)
        self.settle()
        self.desk.state.take(60, 60)
        print("0", flush=True)
        while True:
            tool = rng.choice(("dab", "carry", "copy"))
            self.desk.brush_strip.choose(tool)
            x, y = rng.uniform(90, 250), rng.uniform(90, 210)
            if rng.random() < 0.3:
                self.job.save(job_file)  # goes on beside the next strokes
            self.mouse(QEvent.Type.MouseMove, x, y, down=False)
            self.mouse(QEvent.Type.MouseButtonPress, x, y)
            for step in range(rng.randrange(4)):
                self.mouse(QEvent.Type.MouseMove, x + 5 * step, y + 3)
                self.pump(0.003)
            self.mouse(QEvent.Type.MouseButtonRelease, x + 9, y, down=False)
            self.settle()
            print(len(self.job.layer.edits), flush=True)
            if rng.random() < 0.15:
                print(len(self.job.layer.edits), "undoing", flush=True)
                QTest.keyClick(self.canvas, Qt.Key.Key_Z)
                self.pump(0.01)
                print(len(self.job.layer.edits), flush=True)


if __name__ == "__main__":
    case = Painter()
    case.setUp()
    case.runTest()
