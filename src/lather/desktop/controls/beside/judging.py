"""All gauges, measured beside the window a moment after every step; never from an older job. Their history and maps."""

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from lather.core.gauges.against_limits import JudgedGauge, judged_gauges
from lather.core.gauges.pull_back import FEW_TILES, Offer, over_limit
from lather.core.gauges.registry import GAUGES, measured_whole, pictures_of
from lather.core.job.brief import JobSheet
from lather.core.mending.culprits import way_back
from lather.core.phrases import phrase
from lather.core.types import Mask
from lather.desktop.background import Background
from lather.desktop.controls.beside.gauging import gauged_by_itself
from lather.desktop.controls.beside.photo_measuring import Measured
from lather.desktop.opening.open_job import OpenJob

_DELAY_MS, _MOST_HISTORY = 300, 200


class Judging(QObject):
    """`judged()` with new values; `caused(name, causes)` as they are found; `offered()` with a new offer;
    `mapped(name, mask or None)`.

    values: {gauge: value}, of the job as it is now, {} until they are known. history: {gauge: values so far}.
    offer: what would bring those over their limits back; None until it is worked out.
    """

    judged = pyqtSignal()
    caused = pyqtSignal(str, tuple)
    offered = pyqtSignal()
    mapped = pyqtSignal(str, object)
    message = pyqtSignal(object)

    def __init__(self, job: OpenJob, measured: Measured, parent=None):
        super().__init__(parent)
        self.job, self.measured = job, measured
        self.background = Background(self)
        self.values: dict[str, float | None] = {}
        self.history: dict[str, list[float]] = {name: [] for name in GAUGES}
        self.offer: Offer | None = None
        self.wants_offer = False
        self._of: tuple | None = None
        self._offer_asked: tuple | None = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_DELAY_MS)
        self._later.timeout.connect(self._measure)
        if gauged_by_itself():
            job.changed.connect(self._job_changed)
            measured.ready.connect(self._again)
            if measured.measures is not None:
                self._later.start()

    @property
    def rows(self) -> dict[str, JudgedGauge]:
        return judged_gauges(self.values, self._kind)

    @property
    def _kind(self) -> str:
        return JobSheet.of(self.job.job.brief).kind

    @property
    def over(self) -> list[JudgedGauge]:
        """Those out of their bands, the furthest out first."""
        return over_limit(self.values, self._kind)

    @property
    def over_now(self) -> list[JudgedGauge]:
        """The same, of the job as it is at this moment: none where its gauges are still being measured."""
        return self.over if self._of is not None and self._of[0] is self.job.job.stages else []

    def _again(self) -> None:
        self._of = None
        self._later.start()

    def _job_changed(self, job) -> None:
        if self._of is not None and self._of[0] is job.stages and self._of[1] is job.finds and (
                self._of[2] is job.decisions):
            if self.values:
                self.judged.emit()  # the limits may be others
            return
        if self.offer is not None:  # it was worked out for the job before: laid on this one it would be another thing
            self.offer = None
            self.offered.emit()
        self._later.start()

    def _measure(self) -> None:
        measures, job, engine = self.measured.measures, self.job.job, self.job.session.engine
        if measures is None:
            return
        if not len(engine.stack(job)):
            self._take(job, {})
            return

        def work(task) -> dict:
            return measured_whole(engine, job, measures, most_tiles=FEW_TILES, go_on=lambda: task.going_on)

        self.background.run("judge", work, lambda values: self._take(job, values), failed=self._failed, newest=True)

    def _failed(self, text: str) -> None:
        self.message.emit(phrase("The gauges could not be measured. %1", text))

    def _take(self, job, values: dict) -> None:
        if job.stages is not self.job.job.stages:
            return  # it is measured again: the step has started the clock
        self.values, self.offer = values, None
        self._of = (job.stages, job.finds, job.decisions)
        for name, value in values.items():
            if value is not None:
                self.history[name] = [*self.history[name], float(value)][-_MOST_HISTORY:]
        self.judged.emit()
        if self.wants_offer:
            self.ask_offer()

    def ask_offer(self) -> None:
        """Work out what would bring the gauges back."""
        measures, job, engine, values, kind = (
            self.measured.measures, self.job.job, self.job.session.engine, dict(self.values), self._kind)
        asked, last = (job.stages, kind, values), self._offer_asked
        under_way = self.background.running("offer") and last[0] is job.stages and last[1:] == asked[1:]
        if measures is None or not self.over or under_way:
            return
        self._offer_asked = asked

        def told(name: str, causes: tuple) -> None:
            self.background.hand_over(lambda: self.caused.emit(name, causes) if self._offer_asked is asked else None)

        def work(task) -> Offer:
            return way_back(engine, job, measures, values, kind, go_on=lambda: task.going_on, tell=told)

        self.background.run(
            "offer", work, lambda offer: self._take_offer(job, offer), failed=self._failed, newest=True)

    def _take_offer(self, job, offer: Offer) -> None:
        if job.stages is self.job.job.stages:
            self.offer = offer
            self.offered.emit()

    def ask_map(self, name: str) -> None:
        """Work out where on the picture a gauge is what it is."""
        measures, job, engine = self.measured.measures, self.job.job, self.job.session.engine
        where = GAUGES[name].where
        if measures is None or where is None:
            self.mapped.emit(name, None)
            return

        def work(task) -> Mask | None:
            return where(pictures_of(engine, job, measures, most_tiles=FEW_TILES))

        self.background.run("map", work, lambda mask: self.mapped.emit(name, mask), failed=self._failed, newest=True)

    def idle(self) -> bool:
        return self.background.idle() and not self._later.isActive()

    def close(self) -> None:
        self._later.stop()
        self.background.close()
