"""Brush cards: a menu of named brushes; the two used last are one key apart."""

import logging

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QMenu, QPushButton

from lather.core import log
from lather.core.brush.cards import BrushCard, read_cards, shipped_cards, write_cards
from lather.core.errors import SaveError
from lather.core.phrases import phrase
from lather.core.tools.registry import TOOLS
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.keys import settings_folder
from lather.desktop.texts import tr
from lather.desktop.window.header import shortened

_log = logging.getLogger(__name__)


class CardsButton(QPushButton):
    """`used()` after a card was taken; `failed(text)` if the cards could not be kept."""

    used = pyqtSignal()
    failed = pyqtSignal(object)

    def __init__(self, state: BrushState, parent=None):
        super().__init__("Cards", parent)
        self.state = state
        self.setObjectName("menu")
        self.setToolTip(tr("Brush cards: named brushes. G changes between the two used last."))
        self.setAccessibleName("Brush cards")
        self._path = settings_folder() / "brush_cards.json"
        self.cards = [*shipped_cards(), *read_cards(self._path)]
        self.last: list[BrushCard] = []
        self.menu_of_cards = QMenu(self)
        self.menu_of_cards.aboutToShow.connect(self._fill)
        self.setMenu(self.menu_of_cards)

    def _fill(self) -> None:
        menu = self.menu_of_cards
        menu.clear()
        menu.setToolTipsVisible(True)
        for card in self.cards:
            tool = tr(TOOLS[card.tool].label)
            action = menu.addAction(phrase("%1   (%2, %3 px)", shortened(card.name), tool, f"{card.brush.size_px:.0f}"))
            action.setToolTip(tr(card.hint or phrase("%1, kept by you", TOOLS[card.tool].label)))
            action.triggered.connect(lambda _, card=card: self.use(card))
        menu.addSeparator()
        menu.addAction(tr("Keep this brush as a card …"), self._ask_name)
        own = [card for card in self.cards if not card.shipped]
        if own:
            throw = menu.addMenu("Throw away")
            for card in own:
                throw.addAction(shortened(card.name), lambda card=card: self.throw_away(card))

    def use(self, card: BrushCard) -> None:
        self.state.use_card(card)
        self.last = [card, *(c for c in self.last if c.name != card.name)][:2]
        self.used.emit()

    def other(self) -> None:
        """The card used before this one; with none, the first two shipped ones."""
        if len(self.last) < 2:
            self.last = [*self.last, *(c for c in self.cards if c not in self.last)][:2]
            self.use(self.last[0] if len(self.last) == 1 else self.last[1])
            return
        self.use(self.last[1])

    def _ask_name(self) -> None:
        name, ok = QInputDialog.getText(self, "Brush card", "Name of the card:")
        if ok and name.strip():
            self.keep(name.strip())

    def keep(self, name: str) -> None:
        """The brush in hand as a card; one of the same name is replaced."""
        card = BrushCard(name, self.state.tool, self.state.brush, self.state.mode,
                         own_texture=self.state.own_texture)
        self.cards = [c for c in self.cards if c.shipped or c.name != name] + [card]
        self.last = [card, *self.last][:2]
        self._write()

    def throw_away(self, card: BrushCard) -> None:
        self.cards.remove(card)
        self.last = [c for c in self.last if c is not card]
        self._write()

    def _write(self) -> None:
        try:
            write_cards(self._path, self.cards)
        except SaveError as error:
            self.failed.emit(log.expected(_log, error))
