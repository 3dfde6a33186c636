"""The tour on the desk: from zone to zone at a chosen zoom, under whichever lamp is in hand; what was seen is kept."""

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core.job.commands import SetBrief
from lather.core.tour import TourStop, tour_stops
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.controls.beside.photo_measuring import Measured
from lather.desktop.opening.open_job import OpenJob

SEEN = "tour_seen"  # of the brief: ids of the stops that were looked at
_FILLED = 0.9  # of the canvas, by a zone that fits


class TourControl(QObject):
    """`changed()` after a step. zoom: "zone" for the whole zone, else the scale. at: the stop that is in sight."""

    changed = pyqtSignal()

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, measured: Measured, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.measured = canvas, job, measured
        self.zoom, self.at = "zone", ""

    @property
    def stops(self) -> tuple[TourStop, ...]:
        measures = self.measured.measures
        return tour_stops(self.job.job.face_map, self.canvas.picture, measures.person if measures is not None else None)

    @property
    def seen(self) -> set[str]:
        return set(self.job.job.brief.get(SEEN, ()))

    def next_stop(self) -> TourStop | None:
        """The first one after the stop in sight that was not looked at; round at the end; None if all were."""
        stops, seen = self.stops, self.seen
        ids = [stop.id for stop in stops]
        at = ids.index(self.at) + 1 if self.at in ids else 0
        return next((stop for stop in (*stops[at:], *stops[:at]) if stop.id not in seen), None)

    def go_on(self) -> None:
        """To the next stop; once all were seen, from the beginning."""
        stop = self.next_stop()
        if stop is None:
            self.job.amend(SetBrief(SEEN, []))
            self.at = ""
            stop = self.next_stop()
        if stop is not None:
            self._arrive(stop)

    def go_to(self, stop_id: str) -> None:
        """To a stop of one's choice."""
        stop = next((one for one in self.stops if one.id == stop_id), None)
        if stop is not None:
            self._arrive(stop)

    def _arrive(self, stop: TourStop) -> None:
        self.at = stop.id
        self.look(stop)
        self.job.amend(SetBrief(SEEN, [one.id for one in self.stops if one.id in self.seen | {stop.id}]))
        self.changed.emit()

    def look(self, stop: TourStop) -> None:
        area, view = stop.area, self.canvas.view
        fits = _FILLED * min(view.width / max(1, area.width), view.height / max(1, area.height))
        scale = fits if self.zoom == "zone" else float(self.zoom)
        self.canvas.centre_on((area.x0 + area.x1) / 2, (area.y0 + area.y1) / 2, scale)

    def set_zoom(self, zoom: str) -> None:
        self.zoom = zoom
        stop = next((one for one in self.stops if one.id == self.at), None)
        if stop is not None:
            self.look(stop)
