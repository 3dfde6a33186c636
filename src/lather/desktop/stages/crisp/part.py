"""Crisp on the desk: parts of the face proposed at half strength, and detail painted by hand."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from lather.core.job.model import Job, Stage
from lather.core.job.purpose import first_of, of_crisp
from lather.core.mending.adjustment_start import CRISP_PARTS, crisp_proposal
from lather.core.phrases import phrase
from lather.desktop.stages.adjust.part import AdjustPart
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT


class ProposalsPanel(QWidget):
    """`taken(part)` for a part of the face; `taken("")` for a layer that is only painted."""

    taken = pyqtSignal(str)

    def __init__(self, parent=None):
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 0, 10, 8)
        column.setSpacing(4)
        title = QLabel(tr("Proposals"))
        title.setFont(font(strong=True))
        column.addWidget(title)
        self.says = says = QLabel(tr("Each makes a layer at 50 % whose mask is that part of the face."))
        says.setObjectName("quiet")
        says.setFont(font(SMALL_PT))
        says.setWordWrap(True)
        column.addWidget(says)
        self.buttons: dict[str, QPushButton] = {}
        for part, (label, _) in (*CRISP_PARTS.items(), ("", ("By hand only", ()))):
            button = QPushButton(tr(label))
            button.setAccessibleName(phrase("Crisp: %1", label))
            button.clicked.connect(lambda _, part=part: self.taken.emit(part))
            column.addWidget(button)
            self.buttons[part] = button

    def set_low(self, low: bool) -> None:
        self.says.setVisible(not low)

    def show_stage(self, stage: Stage) -> None:
        laid = {layer.purpose for layer in stage.layers}
        for part, (label, _) in CRISP_PARTS.items():
            there = of_crisp(part) in laid
            self.buttons[part].setText(tr(phrase("%1 · laid", label) if there else label))


class CrispPart(AdjustPart):
    def _make_panels(self) -> None:
        super()._make_panels()
        self.proposals = self.choice_panel = ProposalsPanel()
        self.proposals.taken.connect(self.take_part)

    def said(self, job: Job) -> str:
        return ("Take a proposal at the left, or paint detail where it is to stand out. Grain is not sharpened, and no "
                "halo stands beside edges.")

    def show_job(self) -> None:
        super().show_job()
        self.proposals.show_stage(self.job.stage)

    def take_part(self, part: str) -> None:
        """A proposal: its layer in hand, made where there is none."""
        if not part:
            self.make_layer("crisp")
            return
        label = CRISP_PARTS[part][0]
        there = first_of(self.job.stage.layers, of_crisp(part))
        if there is not None:
            self.job.choose_layer(there.id)
            return
        job, engine, grain = self.job.job, self.canvas.engine, self.desk.measured.grain

        def take(command) -> None:
            laid = first_of(self.job.stage.layers, of_crisp(part)) if self.in_hand else None
            if laid is not None:  # asked for twice
                self.job.choose_layer(laid.id)
                return
            if command is None:
                self.message.emit(phrase("%1: not seen on this photo; paint them by hand.", label))
                return
            self.job.do(command)
            if self.in_hand:
                self.job.choose_layer(command.layer.id)
                self.hatch.flash()

        self.do_beside("proposal", phrase("Looking at the %1 …", label.lower()),
                       lambda task: crisp_proposal(engine, job, part, grain), take)
