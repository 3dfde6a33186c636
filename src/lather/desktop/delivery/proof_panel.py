"""The left side of Deliver: the picture, and how an output will show it."""

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lather.core.colour import profiles
from lather.core.deliver.run import profile_bytes
from lather.core.deliver.soft_proof import SoftProof, soft_proof
from lather.core.job.limits import Band
from lather.core.job.outputs import OutputSpec
from lather.core.phrases import phrase
from lather.desktop import settings
from lather.desktop.background import Background
from lather.desktop.canvas.display import DisplayConverter
from lather.desktop.delivery.proof_view import ProofView
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.texts import tr
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.gauge import Gauge
from lather.desktop.widgets.panel_head import panel_head
from lather.desktop.widgets.switch import Switch

_MOST_OUT = Band(0.0, 1.0, "colours that the output cannot hold come out flatter")
_MOST_SHIFT = Band(0.0, 5.0, "from here a shift is seen without comparing")


class ProofPanel(QWidget):
    """`message(text)`. The output in hand decides what is proofed."""

    message = pyqtSignal(object)

    def __init__(self, job: OpenJob, parent=None):
        super().__init__(parent)
        self.job = job
        self._background = Background(self)
        self.spec: OutputSpec | None = None
        self.proof: SoftProof | None = None
        self._pixels: tuple[np.ndarray, np.ndarray] | None = None
        self._pixels_of = None
        self.modes = Choices("Show", {"photo": "Photo", "screen": "Screen", "proof": "Soft proof"}, "screen")
        self.gamut = Switch("Gamut warning", True)
        self.view = ProofView()
        self.out, self.shift = Gauge("Out of gamut", high=5.0), Gauge("Largest shift", high=12.0)
        self.intent = QComboBox()
        self.intent.addItems([tr("Relative"), tr("Perceptual")])
        self.intent.setAccessibleName("How colours out of reach are brought in")
        self.black = Switch("Black point", True)
        self._arrange()
        self.modes.chosen.connect(lambda _: self.show_picture())
        self.gamut.clicked.connect(lambda _: self.show_picture())
        self.intent.activated.connect(lambda _: self.show_picture())
        self.black.clicked.connect(lambda _: self.show_picture())

    def _arrange(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        head = QHBoxLayout()
        head.setContentsMargins(12, 8, 12, 8)
        head.addWidget(self.modes)
        head.addStretch(1)
        head.addWidget(self.gamut)
        head.addSpacing(2)
        head.addWidget(QLabel(tr("gamut warning")))
        column.addLayout(head)
        column.addWidget(self.view, 1)
        foot = QVBoxLayout()
        foot.setContentsMargins(12, 8, 12, 8)
        foot.setSpacing(6)
        title, self.of = panel_head("Soft proof")
        foot.addLayout(title)
        gauges = QHBoxLayout()
        gauges.setSpacing(18)
        gauges.addWidget(self.out)
        gauges.addWidget(self.shift)
        foot.addLayout(gauges)
        line = QHBoxLayout()
        line.addWidget(self.intent)
        line.addSpacing(10)
        line.addWidget(self.black)
        line.addWidget(QLabel(tr("black point")))
        line.addStretch(1)
        foot.addLayout(line)
        column.addLayout(foot)

    def take(self, spec: OutputSpec) -> None:
        """Another output in hand."""
        if self.spec is None or spec.profile != self.spec.profile or spec.name != self.spec.name:
            self.spec = spec
            self.show_picture()
        self.spec = spec

    def show_picture(self) -> None:
        """Make what is wanted in the background: the picture once a job, the proof for each profile."""
        engine, job, spec = self.job.session.engine, self.job.job, self.spec
        ratio = self.devicePixelRatioF()
        room = max(200.0, self.view.width() * ratio), max(200.0, self.view.height() * ratio)
        mode, intent, black = self.modes.value, self.intent.currentText().lower(), self.black.isChecked()
        held = self._pixels if self._pixels_of == (job, room) else None

        def work(task):
            pixels = held
            if pixels is None:
                level = 0
                while any(size >= need for size, need in zip(engine.photo.level_bounds(level + 1)[2:], room)):
                    level += 1
                rect = engine.photo.level_bounds(level)
                pixels = engine.photo.read(rect, level), engine.pixels(job, rect, level)
            target = None
            if spec is not None:
                target = profile_bytes(spec, engine.photo.profile) or profiles.srgb_profile()
            proof = None
            if target is not None:
                proof = soft_proof(pixels[1], engine.photo.profile, target, intent=intent, black_point=black)
            own = DisplayConverter(engine.photo.profile, settings.display_profile().profile)
            if mode == "proof" and proof is not None:
                screen = DisplayConverter(profiles.srgb_profile(), settings.display_profile().profile)
                shown = screen.bgrx(proof.shown)
            else:
                shown = own.bgrx(pixels[0 if mode == "photo" else 1])
            return pixels, shown, proof

        self._background.run("proof", work, lambda made: self._take(made, (job, room), mode), failed=self._failed,
                             newest=True)

    def _failed(self, why: str) -> None:
        self.message.emit(why)

    def _take(self, made, pixels_of, mode: str) -> None:
        self._pixels, shown, self.proof = made
        self._pixels_of = pixels_of
        name = self.spec.name if self.spec is not None else ""
        paper = self.spec.profile_text() if self.spec is not None else ""
        tag = {"photo": "the photo as it came", "screen": "finished, on the screen",
               "proof": f"{name} · {paper} · {self.intent.currentText().lower()}"}[mode]
        warned = self.proof if mode == "proof" and self.gamut.isChecked() else None
        self.view.show_picture(shown, tag, warned)
        self.of.setText(tr(phrase("of %1, %2", name, paper) if name else ""))
        if self.proof is not None:
            share = 100 * self.proof.out_share
            self.out.show_value(share, f"{share:.1f} %", _MOST_OUT)
            self.shift.show_value(self.proof.largest, f"{self.proof.largest:.1f} ΔE", _MOST_SHIFT)

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.show_picture()

    def idle(self) -> bool:
        return self._background.idle()

    def close(self) -> None:
        self._background.close()

