"""The box of Even: one layer or two, and what is left for Colour."""

from PyQt6.QtCore import pyqtSignal

from lather.core.phrases import joined, phrase
from lather.desktop.stages.stage_panel import StagePanel
from lather.desktop.texts import tr


class EvenPanel(StagePanel):
    """`apart_chosen(bool)`."""

    apart_chosen = pyqtSignal(bool)

    def __init__(self, parent=None):
        super().__init__("Even", parent)
        self.apart = self.add_switch("Lift and lower on two layers", "On: what is lifted and what is lowered each have "
                                     "a layer and a strength of their own", False)
        self.apart.clicked.connect(self.apart_chosen)
        self.note = self.add_note()

    def show_state(self, apart: bool, layer_says: str, colour_left: int) -> None:
        self.apart.setChecked(apart)
        places = "1 place" if colour_left == 1 else phrase("%1 places", colour_left)
        left = phrase("%1 will keep another colour once evened: for Colour.", places) if colour_left else ""
        self.note.setText(tr(joined((layer_says, left))))
        self.note.setVisible(bool(self.note.text()))
