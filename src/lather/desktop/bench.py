"""The speed table, measured on the real window: from an event handed to it to finished pixels painted.

Every row has a job of its own, opened afresh. Machines are noisy: each row also gives its ratio to a plain copy of the
memory it touches and, where a general library does the same job, to that library, in the same run.
"""

import gc
import os
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import cv2
import numpy as np
from PyQt6.QtCore import QEvent, QPointF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

from lather.core import warmup
from lather.core.brush.values import Brush
from lather.core.colour import profiles
from lather.core.engine.engine import Engine
from lather.core.engine.export import Output, export
from lather.core.engine.photo import Photo
from lather.core.errors import RequestError
from lather.core.find.finder import find_all
from lather.core.imageio.picture import Picture
from lather.core.imageio.write import write_picture
from lather.core.job.commands import AddEdits, AddLayer
from lather.core.job.grain_model import GrainModel
from lather.core.job.history import History
from lather.core.job.model import Layer, Stroke, freeze_points, new_id, new_job
from lather.core.memory import give_back_memory
from lather.core.practice.sitters import load_sitter
from lather.core.session import Session
from lather.core.stages.grain.kind import grain_settings
from lather.core.stages.mend.dab import dab_stroke, source_candidates
from lather.core.stages.registry import make_kinds
from lather.core.stages.strands.propose import strand_stroke
from lather.core.types import Rect
from lather.desktop.app import make_application
from lather.desktop.window import MainWindow

_CLOSING_MS = 300
# row: (target, unit)
ROWS = {
    "open_jpeg": (1000, "ms"), "brush_100px": (16, "ms"), "brush_450px": (33, "ms"), "heal_settled": (30, "ms"),
    "dab": (40, "ms"), "pan_zoom": (16, "ms"), "before_after": (16, "ms"), "strength_first": (100, "ms"),
    "strength_done": (1500, "ms"), "reopen_2000": (2000, "ms"), "find_all": (4000, "ms"),
    "brush_400_edits": (16, "ms"), "export_tiff": (6000, "ms"),
    "export_peak_mib": (2500, "MiB"),
}


def large_photo(megapixels: float) -> np.ndarray:
    """A portrait of the wanted size: a shipped sitter enlarged, with grain, in camera shape 3:2 upright."""
    height = round((megapixels * 1e6 * 1.5) ** 0.5)
    width = round(megapixels * 1e6 / height)
    picture = cv2.resize(load_sitter("wren").picture.pixels, (width, height), interpolation=cv2.INTER_CUBIC)
    noise = np.random.default_rng(1).integers(-3, 4, (1024, 1024, 3), np.int16)
    for y in range(0, height, 1024):
        for x in range(0, width, 1024):
            part = picture[y : y + 1024, x : x + 1024]
            part[:] = np.clip(part + noise[: part.shape[0], : part.shape[1]], 0, 255).astype(np.uint8)
    return picture


class Bench:
    """One window on one large photo; each method measures a row and returns (times, ratio, library)."""

    def __init__(self, megapixels: float, events: int):
        self.events = events
        self.folder = tempfile.TemporaryDirectory(prefix="lather-bench-")
        os.environ["XDG_STATE_HOME"] = self.folder.name
        os.environ["LATHER_FINDS_ON_OPENING"] = "0"
        self.jpeg = Path(self.folder.name) / "photo.jpg"
        write_picture(self.jpeg, large_photo(megapixels), profile=profiles.srgb_profile(), quality=92)
        warmup.run()  # the window does the same in the background when it starts
        self.app = make_application()
        self.window = MainWindow()
        self.window.resize(1280, 800)
        self.window.show()
        self._open(self.jpeg)

    def close(self) -> None:
        self.window._close_job()
        self.window.close()
        self.folder.cleanup()

    def _open(self, path: Path) -> None:
        self.window._take(Session.open(path))
        self.desk = self.window.screens["desk"]
        self.canvas = self.desk.canvas
        self._settle()

    def fresh(self) -> None:
        """The photo without a job, as for the first row."""
        self._open(self.jpeg)
        QTimer.singleShot(_CLOSING_MS, self.app.exit)  # what was closed goes only when the event loop runs
        self.app.exec()
        gc.collect()
        give_back_memory()

    def _pump(self, condition: Callable[[], bool], seconds: float = 30) -> None:
        end = time.perf_counter() + seconds
        while not condition():
            self.app.processEvents()
            if time.perf_counter() > end:
                raise TimeoutError("the window did not come to rest")
            time.sleep(0.0002)

    def _settle(self) -> None:
        self._pump(lambda: self.canvas.ready() and self.desk.control.worker.idle(), 60)
        for _ in range(3):
            self.app.processEvents()

    def _send(self, kind: QEvent.Type, x: float, y: float) -> None:
        """A mouse event at a source place."""
        sx, sy = self.canvas.view.to_screen(x, y)
        at = QPointF(sx, sy) / self.canvas.devicePixelRatioF()
        down = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseButtonRelease else Qt.MouseButton.LeftButton
        button = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseMove else Qt.MouseButton.LeftButton
        event = QMouseEvent(kind, at, self.canvas.mapToGlobal(at), button, down, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(self.canvas, event)

    def _copy_ms(self, byte_count: float) -> float:
        data = np.ones(int(byte_count), np.uint8)
        times = []
        for _ in range(9):
            start = time.perf_counter()
            data.copy()
            times.append(time.perf_counter() - start)
        return 1000 * float(np.median(times))

    def _ten_layers(self) -> None:
        """The job that most rows are measured on, on the desk."""
        self._job_with(40, 9)
        self.canvas.fit()
        self._settle()

    def _job_with(self, count_per_layer: int, layers: int) -> None:
        """Layers over four stages, with mends all over the face, as a day's work leaves them."""
        job, rng = self.window.job, np.random.default_rng(5)
        width, height = self.canvas.picture.x1, self.canvas.picture.y1
        for number in range(layers - 4):
            layer = Layer(new_id(), f"Bench {number}", edits=tuple(
                Stroke(new_id(), "carry", Brush(size_px=40, edge=0.3),
                       freeze_points([[rng.uniform(0.3, 0.7) * width, rng.uniform(0.2, 0.6) * height, 1, 0]]),
                       offset=(60, 40))
                for _ in range(count_per_layer)
            ))
            job.do(AddLayer("mend", layer, 1))
        job.choose_layer(job.stage.layers[-1].id)
        self._later_stages(job, rng, width, height)

    @staticmethod
    def _later_stages(job, rng, width: int, height: int) -> None:
        """A layer of cleared hairs, evened tone, a veil over the face, and grain put back."""
        x, y, face = 0.5 * width, 0.4 * height, 0.3 * height
        hairs = tuple(
            strand_stroke([(a + 6 * i, b + 3 * i) for i in range(40)], 3.0)
            for a, b in zip(rng.uniform(0.1, 0.9, 40) * width, rng.uniform(0.02, 0.2, 40) * height)
        )
        rim = [(x + 0.5 * face * np.cos(t), y + 0.4 * face * np.sin(t), 1, 0) for t in np.linspace(0, 6.2, 40)]
        area = Stroke(new_id(), "area", Brush(size_px=40, edge=0.0), freeze_points(rim), feather=40.0)
        veil = Stroke(new_id(), "veil", Brush(size_px=min(2000.0, face), edge=0.8), freeze_points([[x, y, 1, 0]]))
        band = {"width_px": 6.0, "edge_keeping": True}
        grain = grain_settings(GrainModel(((0.2, 0.6), (0.8, 0.6)), 0.6, 0.3))
        for stage_id, edits, settings in (
            ("strands", hairs, {}), ("split", (area,), band | {"band": "tone"}),
            ("split", (veil,), band | {"band": "veil"}), ("grain", (), grain),
        ):
            layer = Layer(new_id(), stage_id, stage_id, edits=edits, settings=settings, strength=0.8)
            job.do(AddLayer(stage_id, layer, 0))

    # rows

    def open_jpeg(self):
        times = []
        for _ in range(5):
            start = time.perf_counter()
            self.window._take(Session.open(self.jpeg))
            self.desk = self.window.screens["desk"]
            self.canvas = self.desk.canvas
            self._settle()
            times.append(1000 * (time.perf_counter() - start))
        start = time.perf_counter()
        cv2.imread(str(self.jpeg))
        return times, self.canvas.picture.width * self.canvas.picture.height * 3, (
            "OpenCV's decoding alone", 1000 * (time.perf_counter() - start))

    def _brush(self, size: float):
        strip, state = self.desk.brush_strip, self.desk.state
        strip.choose("carry")
        strip.size.set_value(size, tell=True)
        width, height = self.canvas.picture.x1, self.canvas.picture.y1
        x, y = 0.48 * width, 0.33 * height
        self.canvas.centre_on(x, y, 1.0)
        self._settle()
        state.take(x + size * 1.1, y + size * 0.5)
        times = []
        painted = []
        self.canvas.painted.connect(lambda: painted.append(time.perf_counter()))
        worker = self.desk.control.worker
        live = []
        worker.painted.connect(lambda _: live.append(True))
        for number in range(self.events):
            step = number % 50
            way = max(20.0, 0.11 * size)  # a quick hand: every event lays down at least one touch
            px, py = x - 200 + abs((way * step) % 800 - 400), y + 60 * np.sin(step / 8)
            if step == 0:
                self._send(QEvent.Type.MouseButtonPress, px, py)
                self._pump(worker.idle)
                self.app.processEvents()
                continue
            live.clear()
            painted.clear()
            start = time.perf_counter()
            self._send(QEvent.Type.MouseMove, px, py)
            self._pump(worker.idle)
            self.app.processEvents()
            if not live:
                continue  # the way was shorter than the spacing: nothing was laid down
            self._pump(lambda begun=start: painted and painted[-1] > begun)
            times.append(1000 * (painted[-1] - start))
            if step == 49 or number == self.events - 1:
                self._send(QEvent.Type.MouseButtonRelease, px, py)
                self._pump(lambda: not self.desk.control.painting)
                self._settle()
                self.window.job.undo()
                self._settle()
        return times, (size + 8) ** 2 * 12, None

    def brush_100px(self):
        self._ten_layers()
        return self._brush(100)

    def brush_450px(self):
        self._ten_layers()
        return self._brush(450)

    def _fresh(self) -> tuple[Engine, History, str]:
        """The core alone, without the window, on the same photo."""
        photo = self.window.job.session.photo
        engine, history = Engine(photo, make_kinds()), History(new_job(photo.source))
        return engine, history, history.job.stage("mend").layers[0].id

    def heal_settled(self):
        """Pen-up to settled: the whole stroke solved anew and its tiles rendered, 200×200 px region."""
        engine, history, layer_id = self._fresh()
        times, library = [], []
        rng = np.random.default_rng(2)
        width, height = engine.photo.width, engine.photo.height
        for _ in range(min(self.events, 200)):
            x, y = rng.uniform(0.35, 0.6) * width, rng.uniform(0.25, 0.5) * height
            points = np.array([[x + 20 * i, y + 20 * i, 1, 0.01 * i] for i in range(6)], np.float32)
            stroke = Stroke(new_id(), "carry", Brush(size_px=100, edge=0.5, flow=0.6), freeze_points(points), (150, 90))
            start = time.perf_counter()
            history.do(AddEdits("mend", layer_id, (stroke,)))
            rect = stroke.bounds.intersect(engine.photo.bounds)
            engine.pixels(history.job, rect)
            times.append(1000 * (time.perf_counter() - start))
            library.append(self._seamless(engine, rect))
            history.undo()
        return times, 200 * 200 * 12, ("OpenCV's seamlessClone", float(np.median(library)))

    @staticmethod
    def _seamless(engine: Engine, rect: Rect) -> float:
        wide = rect.expand(8).intersect(engine.photo.bounds)
        dest = np.ascontiguousarray(engine.photo.picture.pixels[wide.y0 : wide.y1, wide.x0 : wide.x1])
        taken = np.roll(dest, 30, 1)
        mask = np.zeros(dest.shape[:2], np.uint8)
        cv2.ellipse(mask, (dest.shape[1] // 2, dest.shape[0] // 2), (dest.shape[1] // 2 - 9, dest.shape[0] // 2 - 9),
                    0, 0, 360, 255, -1)
        start = time.perf_counter()
        cv2.seamlessClone(taken, dest, mask, (dest.shape[1] // 2, dest.shape[0] // 2), cv2.NORMAL_CLONE)
        return 1000 * (time.perf_counter() - start)

    def dab(self):
        """One 40 px Dab: search of its source, heal, tiles."""
        engine, history, layer_id = self._fresh()
        times, rng = [], np.random.default_rng(3)
        width, height = engine.photo.width, engine.photo.height
        for _ in range(self.events):
            x, y = rng.uniform(0.35, 0.6) * width, rng.uniform(0.25, 0.5) * height
            start = time.perf_counter()
            stroke = dab_stroke(x, y, 40)
            found = source_candidates(engine, history.job, layer_id, stroke)
            if found:
                stroke = Stroke(stroke.id, "dab", stroke.brush, stroke.points, found[0].offset)
                history.do(AddEdits("mend", layer_id, (stroke,)))
                engine.pixels(history.job, stroke.bounds)
            times.append(1000 * (time.perf_counter() - start))
        return times, 40 * 40 * 12, None

    def pan_zoom(self):
        """A frame after each step of panning and zooming, tiles at hand as while working."""
        self._ten_layers()
        times, view = [], self.canvas.view
        middle = (self.canvas.width() / 2, self.canvas.height() / 2)
        for number in range(self.events):
            if number % 2:
                target = view.zoomed(1.0 + 0.05 * (number % 10), *middle)
            else:
                target = view.moved(-4 * (number % 30), 3 * (number % 20))
            start = time.perf_counter()
            self.canvas.set_view(target)
            self.canvas.repaint()
            self.app.processEvents()
            times.append(1000 * (time.perf_counter() - start))
        self._settle()
        return times, self.canvas.width() * self.canvas.height() * 4, None

    def before_after(self):
        self._ten_layers()
        times = []
        for number in range(self.events):
            start = time.perf_counter()
            self.canvas.set_mode("before" if number % 2 == 0 else "after")
            self.canvas.repaint()
            self.app.processEvents()
            times.append(1000 * (time.perf_counter() - start))
        self.canvas.set_mode("after")
        return times, self.canvas.width() * self.canvas.height() * 4, None

    def _strength(self, lowest: int):
        self._ten_layers()
        first, done, arrived = [], [], []
        panel = self.desk.layers
        self.canvas.store.arrived.connect(lambda *_: arrived.append(time.perf_counter()))
        for number in range(min(40, self.events)):
            arrived.clear()
            start = time.perf_counter()
            panel.strength.set_value(lowest + 39 - number % 40, tell=True, dragging=True)
            self.canvas.repaint()
            self._pump(lambda: bool(arrived) or self.canvas.ready())
            first.append(1000 * (time.perf_counter() - start))
            self._settle()
            done.append(1000 * (time.perf_counter() - start))
        return first, done

    def strength_first(self):
        return self._strength(51)[0], self.canvas.width() * self.canvas.height() * 12, None

    def strength_done(self):
        return self._strength(11)[1], self.canvas.width() * self.canvas.height() * 12, None

    def reopen_2000(self):
        """A job with 2,000 edits, from its file to the whole picture on screen."""
        engine, history, layer_id = self._fresh()
        rng = np.random.default_rng(4)
        width, height = engine.photo.width, engine.photo.height
        strokes = tuple(
            Stroke(new_id(), "carry", Brush(size_px=float(rng.uniform(16, 44)), edge=0.3), freeze_points(
                [[rng.uniform(0.2, 0.8) * width, rng.uniform(0.1, 0.8) * height, 1, 0]]), (50, 30))
            for _ in range(2000)
        )
        history.do(AddEdits("mend", layer_id, strokes))
        session = Session(engine.photo, history)
        for y in range(0, height, 512):
            session.engine.pixels(session.job, Rect(0, y, width, min(height, y + 512)))
        path = Path(self.folder.name) / "two-thousand.lather"
        session.save(path)
        times = []
        for _ in range(3):
            start = time.perf_counter()
            self._open(path)
            times.append(1000 * (time.perf_counter() - start))
        return times, path.stat().st_size, None

    def find_all(self):
        """All finders and the face, from nothing measured; the loops are compiled before."""
        photo = self.window.job.session.photo
        small = Photo(Picture(cv2.resize(photo.picture.pixels, None, fx=0.2, fy=0.2)), b"", "small")
        find_all(small)
        times = []
        for _ in range(3):
            start = time.perf_counter()
            find_all(Photo(photo.picture, photo.file_bytes, photo.name))
            times.append(1000 * (time.perf_counter() - start))
        return times, photo.width * photo.height * 3, None

    def brush_400_edits(self):
        """A 100 px brush on a layer of 400 mends, beside the same on a layer of 10."""
        latencies = {}
        for count in (10, 400):
            self.fresh()
            self._job_with(count, 1)
            times, touched, _ = self._brush(100)
            latencies[count] = times
        return latencies[400], touched, ("the same with 10 mends", float(np.percentile(latencies[10], 95)))

    def export_tiff(self):
        self._ten_layers()
        session = self.window.job.session
        target = Path(self.folder.name) / "out.tif"
        times = []
        for _ in range(2):
            start = time.perf_counter()
            export(session.engine, session.job, target, Output(bits=16))
            times.append(1000 * (time.perf_counter() - start))
        return times, session.photo.width * session.photo.height * 12, None

    def export_peak_mib(self):
        """Resident memory of the whole program at its highest while exporting after some work, sampled every 10 ms."""
        self._strength(51)
        session = self.window.job.session
        peak, stop = [0.0], threading.Event()
        page = os.sysconf("SC_PAGE_SIZE") / 2**20

        def watch():
            while not stop.wait(0.01):
                peak[0] = max(peak[0], int(Path("/proc/self/statm").read_text().split()[1]) * page)

        thread = threading.Thread(target=watch)
        thread.start()
        export(session.engine, session.job, Path(self.folder.name) / "out.tif", Output(bits=16))
        stop.set()
        thread.join()
        return [peak[0]], 0, None


def run_rows(megapixels: float, rows: list[str], events: int) -> Iterator[dict]:
    """Measure rows one by one. Raises RequestError for an unknown row."""
    for row in rows:
        if row not in ROWS:
            raise RequestError(f"There is no row “{row}”; choose from {', '.join(ROWS)}.")
    bench = Bench(megapixels, events)
    try:
        for number, row in enumerate(rows):
            if number:
                bench.fresh()
            times, touched_bytes, library = getattr(bench, row)()
            value = float(np.percentile(times, 95))
            target, unit = ROWS[row]
            copy = bench._copy_ms(touched_bytes) if touched_bytes else None
            yield {
                "row": row, "p95": round(value, 2), "median": round(float(np.median(times)), 2), "unit": unit,
                "target": target, "met": value <= target,
                "ratio_to_copy": round(value / copy, 2) if copy else None,
                "ratio_to_library": round(value / library[1], 3) if library else None,
                "library": library[0] if library else None, "megapixels": megapixels,
            }
    finally:
        bench.close()
