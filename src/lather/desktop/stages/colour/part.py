"""Colour on the desk."""

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from lather.core.job.commands import AddEdits, RemoveEdits, SetLayer
from lather.core.job.model import Job, Layer, Stroke
from lather.core.measure.adjust_readout import MatchSeen
from lather.core.mending.colour_settings import MEASURED, match_mask, match_settings, measured_again, within_limits
from lather.core.phrases import phrase
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.values import plain_lab
from lather.core.stages.adjust.zones import zone_label
from lather.core.stages.colour.match import MatchKind
from lather.core.stages.colour.whiten import PARTS
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_outline, draw_tag
from lather.desktop.stages.adjust.part import AdjustPart, together
from lather.desktop.stages.colour.boxes import CurveBox, MatchBox, ShineBox, WhitenBox


class ColourPart(AdjustPart):
    boxes = {"match": MatchBox, "whiten": WhitenBox, "shine": ShineBox, "area_curve": CurveBox}

    def __init__(self, info, desk, parent=None):
        super().__init__(info, desk, parent)
        self._seen: MatchSeen | None = None

    def said(self, job: Job) -> str:
        if self.layer is None and not self.proposes():
            return ("Choose an adjustment at the left; or {next_find} goes to the first find: {mend_find} calms a "
                    "redness or takes a shine "
                    "down, {keep_find} keeps it.")
        return super().said(job)

    # a layer of its own for another part

    def _changed(self, values: dict, dragging: bool) -> None:
        if self.kind.id == "whiten" and "part" in values:
            self._take_part(values["part"])
        elif self.kind.id == "match" and {"reference", "target"} & set(values):
            self._areas(self.layer or self.job.ensure_layer(), **values)
        else:
            super()._changed(values, dragging)

    def _set(self, values: dict, dragging: bool = False) -> None:
        """No further than the kind of job allows; the slider goes back to where it is held."""
        layer = self.layer
        if layer is not None:
            values, why = within_limits(self.job.job, layer, values)
            if why:
                self.message.emit(why)
        super()._set(values, dragging)

    def _take_part(self, part: str) -> None:
        """Teeth and eye whites have a layer each."""
        for layer in self.job.stage.layers:
            if layer.kind == "whiten" and layer.settings.get("part") == part:
                self.job.choose_layer(layer.id)
                return
        self.make_layer("whiten", part=part)

    def layer_name(self, kind: type[AdjustmentKind], settings: dict) -> str:
        return phrase("%1, whiten",
                      PARTS[settings["part"]]) if kind.id == "whiten" else super().layer_name(kind, settings)

    def again(self) -> bool:
        """What the layer in hand goes by is measured anew on the picture as it lies beneath now."""
        if self.layer is None or self.layer.kind not in MEASURED:
            return False
        self._asked("again")
        return True

    # match

    def _asked(self, word: str) -> None:
        layer = self.layer
        if word == "again" and layer is not None:
            engine, job = self.canvas.engine, self.job.job
            self.do_beside("again", "Measuring anew …", lambda task: measured_again(engine, job, layer),
                           lambda command: command is not None and self.job.do(command))

    def _take_reference(self, corners: np.ndarray) -> None:
        layer = self.job.ensure_layer()
        if layer.kind == MatchKind.id:
            self._areas(layer, reference={"outline": np.round(corners, 1).tolist()})

    def lay(self, layer: Layer, stroke: Stroke) -> None:
        if layer.kind == MatchKind.id and stroke.tool == "target":
            outline = {"outline": np.round(stroke.points[:, :2].astype(float), 1).tolist()}
            self._areas(layer, target=outline, stroke=stroke)
        else:
            super().lay(layer, stroke)

    def _areas(self, layer: Layer, stroke: Stroke | None = None, **areas: dict) -> None:
        """Both areas measured beside the window, then kept with the layer, as one step."""
        engine, job = self.canvas.engine, self.job.job

        def work(task) -> dict:
            return match_settings(engine, job, layer, **areas)

        def take(settings: dict) -> None:
            steps = []
            if "target" in areas:  # another target takes the place of the one before
                settings = settings | match_mask(job, areas["target"])
                old = tuple(edit.id for edit in layer.edits if edit.tool == "target")
                steps += [RemoveEdits("colour", layer.id, old)] * bool(old)
            steps.append(SetLayer("colour", layer.id, "settings", settings))
            if stroke is not None:
                steps.append(AddEdits("colour", layer.id, (stroke,)))
            self.job.do(together("match", *steps))
            self.hatch.flash()
            for name, area in areas.items():
                kept = "measured_to" if name == "reference" else "measured_from"
                if kept not in settings:
                    where = zone_label(area["zone"]).lower() if "zone" in area else "there"
                    self.message.emit(phrase("Hardly any skin is seen %1; outline it by hand.", where))

        self.do_beside("areas", "Measuring the skin of both areas …", work, take)

    def _take_readout(self, kind_id: str, readout: object) -> None:
        super()._take_readout(kind_id, readout)
        self._seen = readout if isinstance(readout, MatchSeen) else None

    def picked(self, layer: Layer, lab: np.ndarray) -> tuple[dict, str]:
        if layer.kind == "calm":
            return {"toward": plain_lab(lab)}, (phrase("Towards L* %1 a* %2 b* %3: paint where the skin is off it.",
                                                       f"{lab[0]:.0f}", f"{lab[1]:.0f}", f"{lab[2]:.0f}"))
        return super().picked(layer, lab)

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        super().draw(painter, canvas)
        layer = self.layer
        if layer is None or layer.kind != MatchKind.id or self._trail.places:
            return
        for name in ("reference", "target"):
            area = layer.settings.get(name) or {}
            if "outline" in area:
                points = [canvas.to_screen(float(x), float(y)) for x, y in area["outline"]]
                draw_outline(painter, points, taking=name == "reference")
                low = max(points, key=lambda point: point.y()) + QPointF(0, 18)
                draw_tag(painter, low.x(), low.y(), self._tag(name))

    def _tag(self, name: str) -> str:
        if name == "target" and self._seen is not None:
            return phrase("Target · ΔE %1 → %2", f"{self._seen.before:.1f}", f"{self._seen.now:.1f}")
        colour = self.layer.settings.get("measured_to" if name == "reference" else "measured_from")
        label = name.capitalize()
        if colour is None:
            return label
        light, a, b = colour["mean"]
        return phrase("%1 · L* %2 a* %3 b* %4", label, f"{light:.0f}", f"{a:.0f}", f"{b:.0f}")
