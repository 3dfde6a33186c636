"""Delivering beside the window: outputs, gauges for the record, sheet and report; what is told on the way."""

import logging
from dataclasses import dataclass, field
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core import log
from lather.core.deliver.report import make_report, report_html, report_print_html, sheet_html
from lather.core.deliver.run import DONE, Delivery, deliver
from lather.core.errors import Cancelled, LatherError
from lather.core.gauges.registry import measured_whole
from lather.core.imageio.atomic import write_atomically
from lather.core.imageio.metadata import MetadataChoice
from lather.core.job.outputs import OutputSpec
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.plan.plan import Plan
from lather.core.record.entry_of_job import note_gauges, note_progress
from lather.desktop.background import Background, Task
from lather.desktop.delivery import paper
from lather.desktop.logbook.records import Records
from lather.desktop.opening.open_job import OpenJob

_log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Order:
    """What is to be delivered. replace: files that may be replaced. sheet, report: paths, None where not wanted."""

    wanted: tuple[tuple[OutputSpec, Path], ...]
    keep: MetadataChoice
    replace: dict[Path, bool] = field(default_factory=dict)
    sheet: Path | None = None
    report: Path | None = None
    seconds: dict[str, int] = field(default_factory=dict)
    plan: Plan | None = None
    measures: PhotoMeasures | None = None


class Runner(QObject):
    """`told(Delivery)` at every state of an output; `page_told(which, path or None, why)`; `gauged(stages, values)` of
    what was delivered; `ended(stopped)`.
    """

    told = pyqtSignal(object)
    page_told = pyqtSignal(str, object, object)
    gauged = pyqtSignal(tuple, dict)
    ended = pyqtSignal(bool)

    def __init__(self, job: OpenJob, records: Records, parent=None):
        super().__init__(parent)
        self.job, self.records = job, records
        self.background = Background(self)

    @property
    def running(self) -> bool:
        return self.background.running("deliver")

    def start(self, order: Order) -> bool:
        """False while another one runs."""
        session, job = self.job.session, self.job.job
        return self.background.run(
            "deliver", lambda task: self._work(task, session, job, order),
            lambda stopped: self.ended.emit(bool(stopped)), failed=lambda why: self._failed(why))

    def _failed(self, why: str) -> None:
        self.page_told.emit("", None, why)
        self.ended.emit(False)

    def stop(self) -> None:
        self.background.cancel("deliver")

    def _work(self, task: Task, session, job, order: Order) -> bool:
        def tell(one: Delivery) -> bool:
            if one.state == DONE:  # in the record at once: a crash later does not undo a file that is there
                self.records.write(lambda book, note=one.note: book.add_delivery(job.id, note))
            self.background.hand_over(lambda: self.told.emit(one))
            return task.going_on

        self.records.write(lambda book: note_progress(book, job, order.plan))
        done = deliver(session, order.wanted, job=job, keep=order.keep, replace=order.replace, progress=tell)
        notes = tuple(one.note for one in done if one.note is not None)
        if task.going_on and (notes or order.report or order.sheet):
            measures = order.measures or PhotoMeasures.of_job(session.photo, job)
            values = measured_whole(session.engine, job, measures)
            self.records.write(lambda book: note_gauges(book, job, values))
            self.background.hand_over(lambda: self.gauged.emit(job.stages, values))
            if order.sheet is not None and task.going_on:
                self._page(task, "sheet", order.sheet, lambda: paper.write_pdf(
                    sheet_html(session, job=job), order.sheet, job.title))
            if order.report is not None and task.going_on:
                self._page(task, "report", order.report, lambda: self._write_report(
                    session, job, order, notes, measures, values))
        return not task.going_on

    def _write_report(self, session, job, order: Order, notes, measures, values) -> None:
        report = make_report(session, job=job, seconds=order.seconds, plan=order.plan, deliveries=notes,
                             measures=measures, values=values)
        html = report_html(report).encode()
        write_atomically(order.report.with_suffix(".html"), lambda file: file.write(html))
        paper.write_pdf(report_print_html(report), order.report.with_suffix(".pdf"), report.title)

    def _page(self, task: Task, which: str, path: Path, write) -> None:
        try:
            write()
            self.background.hand_over(lambda: self.page_told.emit(which, path, ""))
        except Cancelled:
            return
        except LatherError as error:
            why = log.expected(_log, error)
            self.background.hand_over(lambda: self.page_told.emit(which, None, why))

    def close(self) -> None:
        self.background.close()
