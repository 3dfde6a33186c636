"""Every lesson of the practice room done in the real window by a hand that knows the truth, with keys and pen.

./lather benchmarks lessons_by_hand [LESSON …] [--seed N]

The hand goes through the finds of each stage by key, keeps what is a keeper, and then takes the pen to whatever is
still wrong, twice at most. An idle and a smearing hand do the same lessons.
"""

import argparse
import os
import sys
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parents[1])]

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from tests.support.smearing import take_full_veil
from tests.support.window_case import WindowCase

from lather.core.colour.lab import srgb_lightness, srgb_to_lab
from lather.core.job.model import STAGE_IDS
from lather.core.practice.lessons import LESSONS
from lather.core.practice.outcome import LEFT, SMEARED
from lather.core.types import Rect
from lather.desktop.practice.open_lesson import begin_lesson, score_it

STAGES = {1: ("mend",), 2: ("mend",), 3: ("strands",), 4: (), 5: (), 6: (), 7: ("mend",), 8: ("colour",), 9: (),
          10: ("mend", "strands", "colour")}
"""Stages whose finds are gone through, by lesson."""
MOST_KEYS, MOST_STROKES = 200, 14
LINES = ("scar", "hair_on_skin", "jewellery_mark", "stray_hair", "brow_hair", "vein_eye")
HAIRS = ("stray_hair", "brow_hair")


class Hand(WindowCase):
    """Not a test: its means of driving the window."""

    def open(self, number: int, seed: int) -> None:
        self.lesson = begin_lesson(number, seed)
        self.window.open_lesson(self.lesson)
        self.wait(self.desk.idle, 300)
        self.settle()

    def take_stage(self, stage: str) -> None:
        QTest.keyClick(self.canvas, getattr(Qt.Key, f"Key_{(STAGE_IDS.index(stage) + 1) % 10}"))
        self.wait(self.desk.idle, 300)
        self.settle()

    def perfect(self) -> None:
        for stage in STAGES[self.lesson.lesson.number]:
            self.take_stage(stage)
            self.by_key()
        for _ in range(2):
            wrong = [one for one in self.score().outcomes if one.state in (LEFT, SMEARED)]
            for one in wrong:
                self.by_pen(one.flaw, one.state)

    def by_key(self) -> None:
        """Every find once: mended, unless the truth keeps it."""
        keepers = [f for f in self.lesson.plate.flaws if f.keeper]
        found, seen = self.desk.found, set()
        QTest.keyClick(self.canvas, Qt.Key.Key_W)
        for _ in range(MOST_KEYS):
            find = found.current
            if find is None or find.id in seen:
                return
            seen.add(find.id)
            kept = any(np.hypot(f.x - find.x, f.y - find.y) < 0.6 * max(f.size_px, find.size_px) for f in keepers)
            if not kept and self.job.job.find_state(find) == "open":
                QTest.keyClick(self.canvas, Qt.Key.Key_E)
                self.wait(found.mending.idle, 120)
                self.wait(lambda: not found.mending.lingering, 20)
            if found.current is find:
                QTest.keyClick(self.canvas, Qt.Key.Key_W)
            self.settle()

    def by_pen(self, flaw, state: str) -> None:
        kind, size = flaw["kind"], flaw["size_px"]
        if kind in ("warp_cheek", "hair_bump"):
            self.take_stage("shape")
            dx, dy = flaw["move"]
            self.brush("push", 2 * flaw["reach_px"], ceiling=1.0, flow=1.0)
            self.canvas.centre_on(flaw["x"], flaw["y"], 1.0)
            self.stroke([(flaw["x"] + t * dx, flaw["y"] + t * dy) for t in np.linspace(1, 0, 9)])
            return
        if kind.startswith("blotch"):
            self.even_out(flaw)
            return
        if kind == "red_neck":
            self.match_neck(flaw)
            return
        if kind in ("dull_eyes", "yellow_teeth"):
            self.whiten("eye_whites" if kind == "dull_eyes" else "teeth", flaw)
            return
        if kind == "shine":
            box = self.take_kind("shine")
            self.brush("mask", 1.3 * size, ceiling=1.0, flow=1.0)
            self.canvas.centre_on(flaw["x"], flaw["y"], 1.0)
            self.stroke([(flaw["x"], flaw["y"])])
            box.controls["amount"].set_value(100, tell=True)
            return
        if kind in HAIRS:
            self.take_stage("strands")
            self.brush("strand", 3 * flaw["width_px"] + 6)
        elif "label" in flaw or kind == "redness":
            return  # done by key; a whole part is not gone over with the pen
        else:
            self.take_stage("mend")
            tool = "blend_in" if kind == "vein_eye" else "dab"
            self.brush(tool, 3 * flaw["width_px"] + 6 if kind in LINES else 1.5 * size + 5)
        path = flaw.get("path") if kind in LINES else [(flaw["x"], flaw["y"])]
        self.canvas.centre_on(flaw["x"], flaw["y"], 1.0)
        self.stroke(path)

    def even_out(self, flaw) -> None:
        """Light strokes, lifted or lowered by what the truth says, until little is left."""
        self.take_stage("even")
        self.desk.brush_strip.modes["lift"].button("free").click()
        for _ in range(MOST_STROKES):
            off = self.off_by(flaw)
            if abs(off) < 0.35:
                return
            share = float(np.clip(abs(off) / 30, 0.01, 0.2))
            self.brush("lift" if off < 0 else "lower", 1.25 * flaw["size_px"], ceiling=share, flow=share, edge=0.4)
            self.canvas.centre_on(flaw["x"], flaw["y"], 1.0)
            self.stroke([(flaw["x"], flaw["y"])])

    def off_by(self, flaw) -> float:
        """L* of the middle of a flaw, over the truth's."""
        r, x, y = max(2, int(0.2 * flaw["size_px"])), int(flaw["x"]), int(flaw["y"])
        part = Rect(x - r, y - r, x + r + 1, y + r + 1)
        truth = self.lesson.plate.truth[part.y0 : part.y1, part.x0 : part.x1] / np.float32(65535)
        now = self.job.session.engine.pixels(self.job.job, part)
        return float(srgb_lightness(now).mean() - srgb_lightness(truth).mean())

    def whiten(self, part: str, flaw) -> None:
        """Both sliders where the truth is nearest."""
        box = self.take_kind("whiten")
        self.choose(box.controls["part"], part)
        zone = np.argwhere(self.lesson.plate.zones == flaw["label"])
        (y0, x0), (y1, x1) = zone.min(0), zone.max(0) + 1
        inside = self.lesson.plate.zones[y0:y1, x0:x1] == flaw["label"]
        truth = srgb_to_lab(self.lesson.plate.truth[y0:y1, x0:x1] / np.float32(65535))[inside]

        def error() -> float:
            lab = srgb_to_lab(self.job.session.engine.pixels(self.job.job, Rect(x0, y0, x1, y1)))[inside]
            return float(np.hypot(*(lab.mean(0) - truth.mean(0))[[0, 2]]))

        for name in ("yellow_out", "lighter", "yellow_out"):
            slider, found = box.controls[name], []
            for value in np.linspace(0, 100, 11):
                slider.set_value(value, tell=True)
                found.append((error(), value))
            slider.set_value(min(found)[1], tell=True)
        self.settle()

    def match_neck(self, flaw) -> None:
        """The neck matched to the part of the face that brings it nearest to the truth."""
        box = self.take_kind("match")
        self.choose(box.zones["target"], "neck")
        choice, found = box.zones["reference"], []
        for zone in filter(None, (choice.itemData(n) for n in range(choice.count()))):
            if zone != "neck":
                self.choose(choice, zone)
                found.append((next(o.error_de for o in self.score().outcomes if o.flaw["id"] == flaw["id"]), zone))
        self.choose(choice, min(found)[1])

    def take_kind(self, kind: str):
        self.take_stage("colour")
        QTest.mouseClick(self.desk.part.list.rows[kind], Qt.MouseButton.LeftButton)
        self.wait(lambda: self.desk.part.idle(), 60)
        self.settle()
        return self.desk.part.box[kind]

    def choose(self, box, value: str) -> None:
        box.setCurrentIndex(box.findData(value))
        box.activated.emit(box.currentIndex())
        self.wait(lambda: self.desk.part.idle(), 60)
        self.settle()

    def brush(self, tool: str, size: float, **values) -> None:
        self.desk.brush_strip.choose(tool)
        self.desk.state.change(size_px=float(size), **values)

    def stroke(self, path) -> None:
        self.wait(self.canvas.ready)
        self.pen_stroke([(x, y, 1.0) for x, y in path])
        self.wait(self.desk.idle, 120)

    def smear(self) -> None:
        self.take_stage("split")
        take_full_veil(self.desk)
        self.canvas.fit()
        zones = np.argwhere(self.lesson.plate.zones == 1)
        (y0, x0), (y1, x1) = zones.min(0), zones.max(0)
        for y in np.arange(y0, y1, 150):
            self.stroke([(x, y) for x in np.linspace(x0, x1, 8)])

    def score(self):
        return score_it(self.lesson, self.job.job, 0.0)

    def runTest(self):
        """So that it can be made without a runner."""


def done(number: int, seed: int, way: str):
    hand = Hand()
    hand.setUp()
    try:
        hand.open(number, seed)
        getattr(hand, way, lambda: None)()
        return hand.score()
    finally:
        hand.tearDown()
        hand.doCleanups()


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("lessons", nargs="*", type=int)
    parser.add_argument("--seed", type=int, default=0)
    wanted = parser.parse_args()
    for one in LESSONS:
        if wanted.lessons and one.number not in wanted.lessons:
            continue
        start = time.monotonic()
        perfect, idle, smeared = (done(one.number, wanted.seed, way) for way in ("perfect", "idle", "smear"))
        wrong = {f"{o.flaw['kind']} {o.state}" for o in perfect.outcomes if o.state in (LEFT, SMEARED)}
        print(f"lesson {one.number} {one.label}: perfect {perfect.score:.1f}, idle {idle.score:.1f}, "
              f"smearing {smeared.score:.1f}; {time.monotonic() - start:.0f} s; {dict(perfect.points)} {sorted(wrong)}",
              flush=True)


if __name__ == "__main__":
    main()
