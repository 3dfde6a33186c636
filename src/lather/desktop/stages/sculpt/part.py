"""Sculpt on the desk: proposed paths are looked at, moved, left out, and laid down as one step."""

from dataclasses import replace

import numpy as np
from PyQt6.QtGui import QPainter

from lather.core.job.commands import SetLayer
from lather.core.job.limits import band
from lather.core.job.model import Job
from lather.core.job.purpose import of_path
from lather.core.phrases import phrase
from lather.core.stages.sculpt.kind import FOLLOWING
from lather.core.stages.sculpt.paths import SHARE, Proposal, laid_stops, lay_command, proposals
from lather.desktop.background import Background
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_tag
from lather.desktop.input.pen import PenEvent
from lather.desktop.stages.base import StagePart
from lather.desktop.stages.sculpt.overlay import SEEN_SHARE, bands, draw_number, draw_proposal, number_place
from lather.desktop.stages.sculpt.panel import SculptPanel
from lather.desktop.stages.sculpt.paths_panel import PathsPanel

_NUMBER_GRAB_PX, _RIM_GRAB_PX = 12.0, 7.0
_LEAST_WIDTH_PX = 4.0


class SculptPart(StagePart):
    list_name = "Paths"
    empty = ("Nothing on this layer yet.\n\nLay the proposed paths with {mend_find}, or paint Light and Shade by "
             "hand, on hair "
             "and body too. Both follow the light that is there.")
    hint = "Drag a path by its number, the rim of the one in hand to widen it. {mend_find} lays all down as one step."

    def __init__(self, info, desk, parent=None):
        super().__init__(info, desk, parent)
        self.panel, self.list_panel = SculptPanel(), PathsPanel()
        self.panel.following_changed.connect(self._set_following)
        self.panel.both_eyes_chosen.connect(self._set_both_eyes)
        paths = self.list_panel
        paths.chosen.connect(self._choose)
        paths.picked.connect(self._pick)
        paths.share_changed.connect(self._set_share)
        paths.look_chosen.connect(lambda _: self.canvas.update())
        paths.lay_asked.connect(self.lay)
        paths.skip_asked.connect(self._skip)
        self._background = Background(self)
        self.rows: list[Proposal] = []
        self.off: set[str] = set()
        self.picked, self.share, self._both_eyes = "", SHARE, True
        self._by_hand: dict[str, Proposal] = {}
        self._drag: tuple[str, PenEvent] | None = None
        self._asked_for: tuple | None = None
        self._stops = (0.0, 0.0)
        self._lay_then = False  # asked for before the paths were known
        self.job.changed.connect(self._job_changed)

    # proposals

    def chosen(self) -> None:
        self._ask()

    def _ask(self) -> None:
        """Have the paths proposed anew where what lies beneath, or the face, is another."""
        job, engine, both = self.job.job, self.canvas.engine, self._both_eyes
        below = tuple(job.stage(name) for name in ("mend", "strands", "split", "even"))
        asked = (job.face_map, below, both)
        if self._asked_for is not None and _same(asked, self._asked_for):
            return
        self._asked_for = asked
        self._background.run("paths", lambda task: proposals(engine, job, both), self._take, failed=self.message.emit,
                             newest=True)

    def _take(self, rows: list[Proposal]) -> None:
        self.rows = [self._by_hand.get(one.id, one) for one in rows]
        self.show_job()
        self.canvas.update()
        wanted, self._lay_then = self._lay_then, False
        if wanted and self.in_hand:
            self.lay()
        elif wanted:
            self.message.emit("Sculpt was left before the paths were known; none was laid down.")

    def _job_changed(self, job: Job) -> None:
        if not self.in_hand:
            return
        self._ask()
        engine = self.canvas.engine
        self._background.run("stops", lambda task: laid_stops(engine, job), self._show_stops,
                             failed=self.message.emit, newest=True)

    def _show_stops(self, stops: tuple[float, float]) -> None:
        self._stops = stops
        self.panel.show_stops(*stops, self.job.job.brief.get("kind"))

    def laid(self) -> set[str]:
        """Ids of the paths that lie on a layer already."""
        laid = {edit.purpose for layer in self.job.job.stage("sculpt").layers for edit in layer.edits}
        return {one.id for one in self.rows if of_path(one.id) in laid}

    def waiting(self) -> list[Proposal]:
        """What E lays down."""
        laid = self.laid()
        return [one for one in self.rows if not one.left_out and one.id not in self.off and one.id not in laid]

    def numbers(self) -> dict[str, int]:
        return {one.id: n for n, one in enumerate((x for x in self.rows if not x.left_out), 1)}

    def lay(self) -> None:
        """All that is chosen, as one step; where the light is still looked at, as soon as it is known."""
        if self._background.running("paths"):
            self._lay_then = True
            self.message.emit("The light is still looked at: the paths are laid down as soon as they are known.")
            return
        chosen = self.waiting()
        command = lay_command(self.job.job, chosen, self.share)
        if command is None:
            self.message.emit(self._empty_list() or "All proposed paths are laid down, or left out.")
            return
        self.job.do(command)
        self.job.choose_layer(self.job.stage.layers[-1].id)
        count = len(chosen)
        self.message.emit(phrase("%n paths laid down in one step; undo takes them back.", n=count,
                                 one="%n path laid down in one step; undo takes them back."))

    def _choose(self, name: str, on: bool) -> None:
        (self.off.discard if on else self.off.add)(name)
        self.show_job()
        self.canvas.update()

    def _pick(self, name: str) -> None:
        self.picked = name
        one = next((x for x in self.rows if x.id == name), None)
        if one is not None:
            x, y = np.concatenate(one.paths).mean(0)
            seen = self.canvas.view.visible(self.canvas.picture)
            if not (seen.x0 < x < seen.x1 and seen.y0 < y < seen.y1):
                self.canvas.centre_on(float(x), float(y))
        self.show_job()
        self.canvas.update()

    def _skip(self) -> None:
        if self.picked:
            self._choose(self.picked, self.picked in self.off)

    def _step(self, by: int) -> None:
        ids = [one.id for one in self.rows if not one.left_out]
        if ids:
            at = ids.index(self.picked) if self.picked in ids else -1 if by > 0 else 0
            self._pick(ids[(at + by) % len(ids)])

    def decide(self, action: str) -> bool:
        todo = {"mend_find": self.lay, "skip_find": self._skip, "keep_find": self._skip,
                "next_find": lambda: self._step(1), "previous_find": lambda: self._step(-1)}.get(action)
        if todo is not None:
            todo()
        return todo is not None

    # values

    def _set_share(self, share: float) -> None:
        self.share = share
        self.show_job()

    def _set_following(self, share: float, dragging: bool) -> None:
        layer = self.job.ensure_layer()
        self.job.do(SetLayer("sculpt", layer.id, "settings", {FOLLOWING.id: share}), merge=dragging)

    def _set_both_eyes(self, on: bool) -> None:
        self._both_eyes = on
        self._ask()

    def new_layer_settings(self) -> dict:
        layer = self.job.layer if self.in_hand else None
        held = layer.settings if layer is not None else {}
        return {FOLLOWING.id: held.get(FOLLOWING.id, FOLLOWING.start)}

    def show_job(self) -> None:
        layer = self.job.layer
        self.panel.show_layer(layer)
        self.panel.show_stops(*self._stops, self.job.job.brief.get("kind"))
        following = self.new_layer_settings()[FOLLOWING.id]
        self.list_panel.show_paths(self.rows, self.numbers(), self.off, self.laid(), self.picked, self.share,
                                   following, self._empty_list(), len(self.waiting()))

    def _empty_list(self) -> str:
        if self.rows:
            return ""
        if self._background.running("paths"):
            return "Looking at how the light falls on this face …"
        if self.job.job.face_map is None or not self.job.job.face_map.mesh:
            return "No face is known here, so no path is proposed. Paint Light and Shade by hand."
        return "No path is proposed on this face. Paint Light and Shade by hand."

    # on the photo

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        look = self.list_panel.look.value
        if look == "off":
            return
        numbers, laid = self.numbers(), self.laid()
        chosen = [one for one in self.rows if not one.left_out and one.id not in self.off]
        shown = [one for one in chosen if look == "outline" or one.id not in laid or one.id == self.picked]
        for one in shown:
            hatched = look == "hatch" and one.id not in laid
            draw_proposal(painter, canvas, one, hatched=hatched, in_hand=one.id == self.picked)
        for one in shown:
            draw_number(painter, number_place(canvas, one), numbers[one.id], one.id == self.picked)
        if self._drag is not None:
            one = next(x for x in self.rows if x.id == self.picked)
            at = number_place(canvas, one)
            draw_tag(painter, at.x() + 14, at.y(), phrase("%1 · %2 px wide", one.label, f"{one.width_px:.0f}"))

    def pointer_text(self) -> str:
        tool, kind = self.desk.strokes.state.tool, self.job.job.brief.get("kind")
        if tool not in ("light", "shade"):
            return ""
        most = band(kind, f"sculpt_{tool}").high
        strength = min(self.desk.strokes.effective_strength(), most)
        layer = self.job.layer
        share = FOLLOWING.start if layer is None else layer.settings.get(FOLLOWING.id, FOLLOWING.start)
        return phrase("%1%2 stop · follows %3 %", "+" if tool == "light" else "−", f"{strength:.2f}",
                      f"{share * 100:.0f}")

    def pen_event(self, event: PenEvent) -> bool:
        if self._drag is not None:
            self._go_on(event)
            return True
        if event.kind != "press" or event.context or self.list_panel.look.value == "off":
            return False
        way = self._grabbed(event)
        if way:
            self._drag = (way, event)
            self.show_job()
        return bool(way)

    def _grabbed(self, event: PenEvent) -> str:
        """What of a path is under the pen: "move" at its number, "widen" at the rim of the one in hand, or nothing."""
        at = self.canvas.to_screen(event.x, event.y)
        laid = self.laid()
        for one in self.rows:
            if one.left_out or one.id in self.off or one.id in laid:
                continue
            way = number_place(self.canvas, one) - at
            if (way.x() ** 2 + way.y() ** 2) ** 0.5 < _NUMBER_GRAB_PX:
                self.picked = one.id
                return "move"
            if one.id == self.picked and any(_near_rim(area, at) for area in bands(self.canvas, one)):
                return "widen"
        return ""

    def _go_on(self, event: PenEvent) -> None:
        way, before = self._drag
        if event.kind == "move":
            place = next(n for n, one in enumerate(self.rows) if one.id == self.picked)
            one = self.rows[place]
            if way == "move":
                one = one.moved(event.x - before.x, event.y - before.y)
            else:
                one = replace(one, width_px=max(_LEAST_WIDTH_PX, 2 / SEEN_SHARE * _away(one, event)))
            self.rows[place] = self._by_hand[one.id] = one
            self._drag = (way, event)
        elif event.kind in ("release", "leave"):
            self._drag = None
        self.canvas.update()

    def idle(self) -> bool:
        return self._background.idle()

    def close(self) -> None:
        self._background.close()


def _same(a: tuple, b: tuple) -> bool:
    return a[0] is b[0] and a[2] == b[2] and all(x is y for x, y in zip(a[1], b[1]))


def _near_rim(area, at) -> bool:
    near = [(dx, dy) for dx in (-_RIM_GRAB_PX, 0, _RIM_GRAB_PX) for dy in (-_RIM_GRAB_PX, 0, _RIM_GRAB_PX)]
    inside = [area.contains(type(at)(at.x() + dx, at.y() + dy)) for dx, dy in near]
    return any(inside) and not all(inside)


def _away(one: Proposal, event: PenEvent) -> float:
    """Source pixels from the pen to the middle line of a path."""
    best = np.inf
    for path in one.paths:
        for a, b in zip(path, path[1:]):
            share = np.clip(((event.x, event.y) - a) @ (b - a) / max(1e-6, (b - a) @ (b - a)), 0, 1)
            best = min(best, float(np.hypot(*(a + share * (b - a) - (event.x, event.y)))))
        if len(path) == 1:
            best = min(best, float(np.hypot(*(path[0] - (event.x, event.y)))))
    return best
