"""The real window on a large photo, driven by events: what all rows of the speed table share."""

import gc
import os
import tempfile
import time
from collections.abc import Callable
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
from lather.core.imageio.write import write_picture
from lather.core.job.commands import AddLayer
from lather.core.job.grain_model import GrainModel
from lather.core.job.history import History
from lather.core.job.model import Layer, Stroke, freeze_points, new_id, new_job
from lather.core.memory import give_back_memory
from lather.core.practice.sitters import load_sitter
from lather.core.session import Session
from lather.core.stages.grain.kind import grain_settings
from lather.core.stages.registry import make_kinds
from lather.core.stages.strands.propose import strand_stroke
from lather.desktop.app import make_application
from lather.desktop.window.main_window import MainWindow

_CLOSING_MS = 300
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
    """One window on one large photo, with what the rows share."""

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
        self.open(self.jpeg)

    def close(self) -> None:
        self.window.close_job()
        self.window.close()
        self.folder.cleanup()

    def open(self, path: Path) -> None:
        self.window.take(Session.open(path))
        self.desk = self.window.screens["desk"]
        self.canvas = self.desk.canvas
        self.settle()

    def fresh(self) -> None:
        """The photo without a job, as for the first row."""
        self.open(self.jpeg)
        QTimer.singleShot(_CLOSING_MS, self.app.exit)  # what was closed goes only when the event loop runs
        self.app.exec()
        gc.collect()
        give_back_memory()

    def pump(self, condition: Callable[[], bool], seconds: float = 30) -> None:
        end = time.perf_counter() + seconds
        while not condition():
            self.app.processEvents()
            if time.perf_counter() > end:
                raise TimeoutError("the window did not come to rest")
            time.sleep(0.0002)

    def settle(self) -> None:
        self.pump(lambda: self.canvas.ready() and self.desk.control.worker.idle(), 60)
        for _ in range(3):
            self.app.processEvents()

    def send(self, kind: QEvent.Type, x: float, y: float) -> None:
        """A mouse event at a source place."""
        sx, sy = self.canvas.view.to_screen(x, y)
        at = QPointF(sx, sy) / self.canvas.devicePixelRatioF()
        down = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseButtonRelease else Qt.MouseButton.LeftButton
        button = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseMove else Qt.MouseButton.LeftButton
        event = QMouseEvent(kind, at, self.canvas.mapToGlobal(at), button, down, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(self.canvas, event)

    def copy_ms(self, byte_count: float) -> float:
        data = np.ones(int(byte_count), np.uint8)
        times = []
        for _ in range(9):
            start = time.perf_counter()
            data.copy()
            times.append(time.perf_counter() - start)
        return 1000 * float(np.median(times))

    def ten_layers(self) -> None:
        """The job that most rows are measured on, on the desk."""
        self.job_with(40, 9)
        self.canvas.fit()
        self.settle()

    def job_with(self, count_per_layer: int, layers: int) -> None:
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

    def core_alone(self) -> tuple[Engine, History, str]:
        """The core alone, without the window, on the same photo."""
        photo = self.window.job.session.photo
        engine, history = Engine(photo, make_kinds()), History(new_job(photo.source))
        return engine, history, history.job.stage("mend").layers[0].id
