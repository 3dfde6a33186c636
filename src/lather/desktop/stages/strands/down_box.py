"""The box of Down: how much is left, and what it comes to, zone by zone."""

from lather.core.measure.adjust_readout import DownSeen
from lather.core.phrases import joined, phrase
from lather.desktop.stages.adjust.box import AdjustBox
from lather.desktop.texts import tr


class DownBox(AdjustBox):
    def after_sliders(self) -> None:
        self.note = self.add_note()
        self.note.setText(tr("Measuring how much of the texture is hair …"))

    def show_readout(self, readout: object) -> None:
        if not isinstance(readout, DownSeen):
            return
        lines = [phrase("%1: %2 % → %3 %", zone, f"{100 * before:.0f}", f"{100 * now:.0f}")
                 for zone, before, now in readout.zones]
        self.note.setText(tr(phrase("Hair in the texture. %1", joined(lines, ", ")) if lines else
                             "There is hardly any fine hair on this skin."))
