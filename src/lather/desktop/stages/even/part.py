"""Even on the desk."""

from PyQt6.QtGui import QPainter

from lather.core.job.commands import SetLayer, Together
from lather.core.mending.even_blotches import layer_for_side
from lather.core.phrases import phrase
from lather.core.stages.even.kind import BOTH, LIFTING, LOWERING
from lather.core.stages.even.readout import ToGo, blotch_size, input_of_even, to_go
from lather.core.stages.light.cells import Seen
from lather.core.tools.lift import FREE
from lather.core.tools.registry import TOOLS
from lather.core.types import Rect
from lather.desktop.background import Background
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.controls.painting.outlined import OutlineControl
from lather.desktop.input.pen import PenEvent
from lather.desktop.stages.base import StagePart
from lather.desktop.stages.even.panel import EvenPanel

_EVERY_S = 0.08
_PLAINLY = 0.8  # ΔL* that the surroundings must say where what is known says nothing
_SIDES = {"lift": LIFTING, "lower": LOWERING}
_SAID = {LIFTING: "This layer only lifts.", LOWERING: "This layer only lowers."}


class EvenPart(StagePart):
    empty = ("Nothing on this layer yet.\n\nStep through the blotches with {next_find} and even them with "
             "{mend_find}, or brush them with "
             "Lift and Lower: they lay down only what is missing.")
    hint = ("Lift lays down only the light that is missing. Hold Shift to lower. {drag_size} takes the size from the "
            "blotch.")

    def __init__(self, info, desk, parent=None):
        super().__init__(info, desk, parent)
        self.panel = EvenPanel()
        self.panel.apart_chosen.connect(self._set_apart)
        self._apart: bool | None = None
        self.state, self.worker = desk.strokes.state, desk.strokes.worker
        self.worker.answered.connect(self._answered)
        self.outline = OutlineControl(self.canvas, self.job, self.state, "even_area", self._prompt,
                                      self.desk.strokes.spared, self)
        self.outline.message.connect(self.message)
        self._background = Background(self)
        self._told: ToGo | None = None
        self._asked = (0.0, 0.0, 0.0)
        self.job.changed.connect(lambda _: self._forget())

    # layers

    @property
    def apart(self) -> bool:
        """Lifting and lowering are kept on two layers."""
        if self._apart is None:
            return any(layer.settings.get("side", BOTH) != BOTH for layer in self.job.job.stage("even").layers)
        return self._apart

    def _set_apart(self, on: bool) -> None:
        """From now on; a layer that holds both goes on holding both."""
        self._apart = on
        layer = self.job.layer
        if on and layer is not None and not layer.edits:
            self.job.do(SetLayer("even", layer.id, "settings", {"side": LIFTING}))
        elif not on and layer is not None and layer.settings.get("side", BOTH) != BOTH:
            self.job.do(SetLayer("even", layer.id, "settings", {"side": BOTH}))
        self.show_job()

    def new_layer_settings(self) -> dict:
        return {"side": _SIDES.get(self.state.tool, BOTH) if self.apart else BOTH}

    def _take_fitting_layer(self, shifted: bool) -> None:
        """A stroke goes to a layer that takes it: with two, Lift to one and Lower to the other."""
        tool = TOOLS[self.state.tool].shifted if shifted else self.state.tool
        side, layer = _SIDES.get(tool), self.job.layer
        held = BOTH if layer is None else layer.settings.get("side", BOTH)
        if side is None or held == side or (held == BOTH and not (self.apart and layer is None)):
            return
        fitting, make = layer_for_side(self.job.job, side, self.job.layer_id)
        if make is not None:
            self.job.do(Together("new layer", (make,)))
        self.job.choose_layer(fitting.id)

    # what is shown

    def show_job(self) -> None:
        layer = self.job.layer
        side = layer.settings.get("side", BOTH) if layer is not None else BOTH
        colour = sum(find.kind == "colour_left" and find.worth for find in self.job.job.finds or ())
        self.panel.show_state(self.apart, _SAID.get(side, ""), colour)

    def chosen(self) -> None:
        """The light that is needed is worked out before the first stroke asks for it."""
        engine, job = self.canvas.engine, self.job.job
        around = input_of_even(engine, job)
        seen = Seen.input_of(around)
        face = job.face_map
        rect = around.bounds
        if face is not None and face.mesh:
            low, high = face.mesh_px.min(0), face.mesh_px.max(0)
            rect = Rect(*low.astype(int), *high.astype(int)).intersect(around.bounds)
        needed = engine.kinds["even"].stores.needed
        self._background.run("needed light", lambda task: needed.over(seen, rect), lambda _: self.canvas.update(),
                             failed=self.message.emit, newest=True)

    # the pointer

    def hovered(self, event: PenEvent) -> None:
        if event.down or self.state.tool not in _SIDES or self.state.mode == FREE or not self.worker.idle():
            return
        x, y, when = self._asked
        if event.seconds - when < _EVERY_S or abs(event.x - x) + abs(event.y - y) < 2 / self.canvas.view.scale:
            return
        self._asked = (event.x, event.y, event.seconds)
        engine, job, state = self.canvas.engine, self.job.job, self.state
        brush, mode, sign = state.brush, state.mode, 1 if state.tool == "lift" else -1
        self.worker.ask(lambda: ("to go", to_go(engine, job, brush, mode, sign, event.x, event.y)))

    def _answered(self, answer: object) -> None:
        if isinstance(answer, tuple) and answer[0] == "to go":
            self._told = answer[1]
            self.canvas.update()

    def _forget(self) -> None:
        self._told, self._asked = None, (0.0, 0.0, 0.0)

    def pointer_text(self) -> str:
        told = self._told
        if self.state.tool not in _SIDES or self.state.mode == FREE or told is None:
            return ""
        if not told.bare:
            return "no bare skin here"
        if told.even and abs(told.around) > _PLAINLY:
            return phrase("even by what is known · %1 ΔL* as around", f"{abs(told.around):.1f}")
        if told.even:
            return "even already" if self.state.tool == "lift" else "nothing too bright here"
        passes = phrase("no pass") if told.passes is None else phrase("%n passes", n=told.passes, one="%n pass")
        return phrase("ΔL* to go %1 · %2", f"{abs(told.light):.1f}", passes)

    def measured_size(self, x: float, y: float) -> float | None:
        around = input_of_even(self.canvas.engine, self.job.job)
        seen = Seen.input_of(around)
        reach = int(40 * seen.grid.px)
        place = Rect(int(x), int(y), int(x) + 1, int(y) + 1).expand(reach).intersect(around.bounds)
        needed = self.canvas.engine.kinds["even"].stores.needed
        if place.empty or not needed.knows(seen, place):  # a key is no time to work it out
            return None
        return blotch_size(needed.over(seen, place), x, y)

    # outlines

    def _prompt(self) -> str:
        return phrase("outline skin to even at %1 %", f"{self.state.brush.ceiling * 100:.0f}")

    def pen_event(self, event: PenEvent) -> bool:
        if event.kind == "press" and not event.context:
            self._take_fitting_layer(event.shift)
        return self.outline.pen_event(event)

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if self.outline.active:
            self.outline.draw(painter, canvas)

    def takes_pointer(self) -> bool:
        return self.outline.active

    def again(self) -> bool:
        return self.outline.again()

    def idle(self) -> bool:
        return self._background.idle()

    def close(self) -> None:
        self._background.close()
