"""Review: photo and retouch held, blinking, wiped, side by side, their difference; what is too much, the way back."""

import random

import numpy as np
from PyQt6.QtCore import QRect, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from lather.core.job.brief import JobSheet
from lather.core.job.commands import SetBrief, SetLayer
from lather.core.job.model import Job
from lather.core.lamps.registry import PLAIN
from lather.core.phrases import phrase
from lather.core.plan.plan import largest_delivery
from lather.core.stages.base import STILL
from lather.desktop import settings
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.hatch import draw_hatch, hatched
from lather.desktop.canvas.photo_view import HALVED
from lather.desktop.controls.beside.judging import Judging
from lather.desktop.controls.viewing.remarks import draw_remarks
from lather.desktop.controls.viewing.tour import TourControl
from lather.desktop.input.focus import leave_keys_to_the_photo
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.logbook.records import Records
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.review.gauge_row import GaugeRow
from lather.desktop.review.layers_panel import LayersPanel
from lather.desktop.review.notes_panel import NotesPanel
from lather.desktop.review.over_card import OfferBox, OverCard
from lather.desktop.review.tour_list import TourList
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import RIGHT_PX, SMALL_PT
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.frames import bar, filled, panel, rule, scrolled
from lather.desktop.widgets.panel_head import panel_head
from lather.desktop.widgets.switch import Switch
from lather.desktop.widgets.value_slider import ValueSlider
from lather.desktop.window.message_line import MessageLine

_MODES = {"after": "Hold", "blink": "Blink", "wipe": "Wipe", "side": "Side by side", "difference": "Difference × 8"}
_HINTS = {
    "after": "Hold the button or {before}: the photo as it came. {back} goes back to the desk.",
    "blink": "Photo and retouch take turns, at the pace you choose. Esc goes back to the desk.",
    "wipe": "Drag the line; drag the picture to move it. Esc goes back to the desk.",
    "side": "Both halves move together. Esc goes back to the desk.",
    "difference": "Grey is untouched; lighter was lightened, darker darkened, eight times as much as it is.",
    "unnamed": "One of the two is the photo. Pick the one that looks more natural.",
}
_DIFFERENCE = ("change", {"strength": 8.0})
_MAP_FROM = 0.35
_TABS = {"gauges": "Gauges", "layers": "Layers", "tour": "Tour", "notes": "Notes"}


class ReviewScreen(QWidget):
    """A canvas of its own, so that zoom and place are those of judging, not of working."""

    message = pyqtSignal(object)

    def __init__(self, job: OpenJob, judging: Judging, records: Records, parent=None):
        super().__init__(parent)
        self.job, self.judging, self.records = job, judging, records
        self.canvas = PhotoCanvas(job.session.engine, settings.display_profile().profile)
        self.canvas.failed.connect(self.message)
        self.canvas.navigation.panning = True
        self.canvas.overlay = self._draw_over
        self.canvas.pen.connect(self._pen)
        self.tour = TourControl(self.canvas, job, judging.measured, self)
        self._hatch, self._map_of, self._previewed = None, "", False
        self._blink = QTimer(self)
        self._blink.timeout.connect(self._turn)
        self._make_bar()
        self._make_side()
        self._arrange()
        self._connect()
        self.show_job(job.job)
        self._set_mode("wipe")

    # layout

    def _make_bar(self) -> None:
        self.modes = Choices("Compare", _MODES, "wipe")
        self.zoom = Choices("Zoom", {"fit": "Fit", "1": "100 %", "2": "200 %", "delivered": "Delivered"}, "fit")
        self.hold_button = QPushButton(tr("Press and hold: photo"))
        self.pace = ValueSlider("Every", 200, 3000, 800, unit="ms")
        self.pace.setFixedWidth(120)
        self.mirror = Switch("Mirror", False)
        self.fresh = QPushButton(tr("Fresh eyes"))
        self.fresh.setToolTip(tr("Photo and retouch side by side, nobody says which: pick the more natural one"))
        self.picks = [QPushButton(tr("%1 is more natural", name)) for name in "AB"]

    def _make_side(self) -> None:
        self.tabs = Choices("Show", _TABS, "gauges")
        self.rows: dict[str, GaugeRow] = {}
        self.cards: list[OverCard] = []
        self.offer = OfferBox()
        self.layers, self.notes, self.tours = LayersPanel(), NotesPanel(), TourList(self.tour)
        self.alike = Switch("The photo moved alike", False)
        self.alike.setToolTip(tr("Compare with the photo as Shape has moved it: what was done to the skin differs"))

    def _arrange(self) -> None:
        column, middle = filled(self)
        middle.addWidget(self.canvas, 1)
        side = panel(RIGHT_PX)
        inside = QVBoxLayout(side)
        inside.setContentsMargins(10, 8, 10, 8)
        inside.setSpacing(6)
        inside.addWidget(self.tabs)
        self.stack = QStackedWidget()
        for widget in (self._gauges_tab(), self.layers, self.tours, self.notes):
            self.stack.addWidget(widget)
        inside.addWidget(self.stack, 1)
        self._alike_row = QWidget()
        alike = QHBoxLayout(self._alike_row)
        alike.setContentsMargins(0, 0, 0, 0)
        alike.addWidget(self.alike)
        alike.addWidget(QLabel(tr("The photo moved alike")), 1)
        inside.addWidget(self._alike_row)
        rest = QLabel(tr("Rest your eyes for a minute before you judge."))
        rest.setObjectName("quiet")
        rest.setFont(font(SMALL_PT))
        inside.addWidget(rest)
        middle.addWidget(side)
        below, row = bar(10, 8)
        for widget in (self.modes, self.hold_button, self.pace, self.zoom, self.mirror, QLabel(tr("mirror"))):
            row.addWidget(widget)
        row.addStretch(1)
        for widget in (self.fresh, *self.picks):
            row.addWidget(widget)
        for widget in self.picks:
            widget.hide()
        column.addWidget(below)
        self.messages = MessageLine()
        column.addWidget(self.messages)
        self.setProperty(TAKES_COMMANDS, True)
        leave_keys_to_the_photo(self)

    def _gauges_tab(self) -> QWidget:
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(4)
        head, self.over_count = panel_head("Over the limit")
        column.addLayout(head)
        self._cards = QVBoxLayout()
        self._cards.setSpacing(5)
        column.addLayout(self._cards)
        column.addWidget(self.offer)
        column.addWidget(rule())
        head, self.map_said = panel_head("All gauges", "click: map", small=True)
        column.addLayout(head)
        for name, one in self.judging.rows.items():
            row = self.rows[name] = GaugeRow(one)
            row.taken.connect(self._take_map)
            column.addWidget(row)
        column.addStretch(1)
        return scrolled(inner, "Gauges")

    def _connect(self) -> None:
        self.modes.chosen.connect(self._set_mode)
        self.zoom.chosen.connect(self._set_zoom)
        self.hold_button.pressed.connect(lambda: self.canvas.set_mode("before"))
        self.hold_button.released.connect(lambda: self.canvas.set_mode("after"))
        self.pace.changed.connect(lambda every_ms, _: self._blink.setInterval(round(every_ms)))
        self.mirror.clicked.connect(self.canvas.set_mirrored)
        self.fresh.clicked.connect(self._look_fresh)
        for pick, left in zip(self.picks, (True, False)):
            pick.clicked.connect(lambda _, left=left: self._picked(left))
        self.tabs.chosen.connect(lambda key: self.stack.setCurrentIndex(list(_TABS).index(key)))
        self.layers.changed.connect(lambda stage, layer, field, value, merge: self.job.do(
            SetLayer(stage, layer, field, value), merge=merge))
        self.notes.changed.connect(lambda rows: self.job.do(SetBrief("remarks", rows)))
        self.alike.clicked.connect(self._move_alike)
        self.offer.shown.connect(self._preview)
        self.offer.taken.connect(self._turn_down)
        self.judging.judged.connect(self._show_gauges)
        self.judging.caused.connect(self._show_causes)
        self.judging.offered.connect(self._show_offer)
        self.judging.mapped.connect(self._show_map)
        self.job.changed.connect(self.show_job)

    # comparing

    def _set_mode(self, mode: str) -> None:
        if mode in _MODES:
            self.modes.set_value(mode)
        for pick in self.picks:
            pick.setVisible(mode == "unnamed")
        self.hold_button.setVisible(mode == "after")
        self.pace.setVisible(mode == "blink")
        self.canvas.set_lamp(*(_DIFFERENCE if mode == "difference" else (PLAIN, {})))
        shown = {"blink": "after", "difference": "after"}.get(mode, mode)
        refit = (shown in HALVED) != (self.canvas.mode in HALVED)
        self.canvas.set_mode(shown)
        if mode == "blink" and self.isVisible():
            self._blink.start(round(self.pace.value))
        else:
            self._blink.stop()
        if refit:
            self._set_zoom(self.zoom.value)
        self.messages.show_hint(_HINTS[mode])

    def _turn(self) -> None:
        self.canvas.set_mode("before" if self.canvas.mode == "after" else "after")

    def _set_zoom(self, key: str) -> None:
        self.zoom.set_value(key)
        self.canvas.page = key == "delivered"
        if key == "fit":
            self.canvas.fit()
            return
        self.canvas.set_view(self.canvas._half_view())
        scale = self._delivered_scale() if key == "delivered" else float(key)
        if key == "delivered":
            self.canvas.fit()
        self.canvas.zoom_to(scale)

    def _delivered_scale(self) -> float:
        """Screen pixels for a pixel of the photo, as the largest output is seen."""
        photo = self.job.session.photo
        specs = [spec for spec in JobSheet.of(self.job.job.brief).outputs if spec.on]
        sizes = [max(spec.size_px(photo.width, photo.height)) for spec in specs]
        if not sizes:
            delivery, _ = largest_delivery(self.job.job.brief, photo.width, photo.height)
            sizes = [delivery.long_edge_px or max(photo.width, photo.height)]
        return max(sizes) / max(photo.width, photo.height)

    def _move_alike(self, on: bool) -> None:
        self.canvas.photo_moved = on
        self.canvas.ask()

    # fresh eyes

    def _look_fresh(self) -> None:
        self.canvas.swapped = random.random() < 0.5
        self._set_mode("unnamed")

    def _picked(self, left: bool) -> None:
        """The log keeps which one was taken for the more natural."""
        picked = "retouch" if left == self.canvas.swapped else "photo"
        job = self.job.job
        self.records.write(lambda book: book.add_look(job.id, picked))
        self._set_mode("side")
        self.message.emit(phrase("You picked the %1: “%2”. The logbook keeps it.", picked, "A" if left else "B")
                          + ("" if picked == "retouch" else " Look again at what is too much."))

    # gauges

    def _show_gauges(self) -> None:
        if not self.isVisible():
            return
        for name, one in self.judging.rows.items():
            self.rows[name].show_judged(one, self.judging.history[name])
        over = self.judging.over
        self.over_count.setText(tr(str(len(over)) if over else "none" if self.judging.values else ""))
        if [(card.one.gauge.id, card.one.text) for card in self.cards] != [(one.gauge.id, one.text) for one in over]:
            for card in self.cards:
                self._cards.removeWidget(card)
                card.hide()
                card.deleteLater()
            self.cards = [OverCard(one) for one in over]
            for card in self.cards:
                card.map_wanted.connect(self._take_map)
                self._cards.addWidget(card)
        self._show_offer()
        if over and self.judging.offer is None:
            self.judging.ask_offer()

    def _show_causes(self, name: str, causes: tuple) -> None:
        for card in self.cards:
            if card.one.gauge.id == name:
                card.show_causes(causes)

    def _show_offer(self) -> None:
        offer = self.judging.offer
        self.offer.show_offer(offer)
        for card in self.cards:
            if offer is not None:
                card.show_offer(offer)
            else:
                card.wait()

    def _preview(self, on: bool) -> None:
        offer, job = self.judging.offer, self.job.job
        shown = on and offer is not None and offer.command is not None
        self.canvas.set_job(offer.command.apply(job) if shown else job)

    def _turn_down(self) -> None:
        offer = self.judging.offer
        if offer is not None and offer.command is not None:
            self.job.do(offer.command)
            self.message.emit("Changed as one step: undo takes it back.")

    def _take_map(self, name: str) -> None:
        """The map of a gauge on the photo; the same once more takes it off."""
        self._map_of = "" if name == self._map_of else name
        self._hatch = None
        for key, row in self.rows.items():
            row.marked = key == self._map_of
            row.update()
        self.map_said.setText(tr(phrase("map: %1", self.rows[name].name.lower()) if self._map_of else "click: map"))
        if self._map_of:
            self.judging.ask_map(name)
        self.canvas.update()

    def _show_map(self, name: str, mask) -> None:
        if name != self._map_of:
            return
        if mask is None or not np.any(mask > _MAP_FROM):
            self._hatch = None
            self.message.emit("This gauge is one number, without a map." if mask is None else "Nowhere on the picture.")
        else:
            self._hatch = hatched((mask > _MAP_FROM).astype(np.float32))
        self.canvas.update()

    # on the photo

    def _draw_over(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if canvas.mode == "before" or canvas.mode == "unnamed":
            return
        painter.save()
        if canvas.mode == "side":
            painter.setClipRect(QRect(canvas.view.width, 0, canvas.view.width, canvas.view.height))
            painter.translate(canvas.view.width, 0)
        if self._hatch is not None:
            draw_hatch(painter, canvas, self._hatch)
        draw_remarks(painter, canvas, self.job.job)
        painter.restore()

    def _pen(self, event) -> None:
        if self.notes.pin.isChecked() and event.kind == "press":
            self.notes.take_place(event.x, event.y)

    # what is shown

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.show_job(self.job.job)
        self._set_mode(self.modes.value)
        self.judging.wants_offer = True
        self.judging.measured.ask()
        self._show_gauges()

    def hideEvent(self, event) -> None:
        super().hideEvent(event)
        self._blink.stop()
        self.judging.wants_offer = False

    def show_job(self, job: Job) -> None:
        """Nothing while the screen is out of sight: it is shown when it comes."""
        if not self.isVisible() and self.layers.sliders:
            return
        self.canvas.set_job(job)
        self._alike_row.setVisible(self.canvas.engine.warp(job) is not STILL)
        self.layers.show_job(job)
        self.notes.show_job(job)
        self.tours.refresh()

    def press(self, action: str) -> None:
        if action == "before":
            self.canvas.set_mode("before")
        elif action == "fit":
            self._set_zoom("1" if self.zoom.value == "fit" else "fit")
        elif action == "show_mask" and self.judging.over:
            self._take_map(self._map_of or self.judging.over[0].gauge.id)

    def release(self, action: str) -> None:
        if action == "before":
            self._set_mode(self.modes.value)

    def idle(self) -> bool:
        return self.judging.idle()

    def close_job(self) -> None:
        self._blink.stop()
        self.canvas.store.close()

