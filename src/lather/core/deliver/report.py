"""The report of a job: a page that a client can read. Contents here; how they look in the templates."""

from dataclasses import dataclass
from datetime import date

import lather
from lather.core.colour import profiles
from lather.core.deliver.crops import Crop, crops_of
from lather.core.deliver.pages import page
from lather.core.gauges.against_limits import JudgedGauge, judged_gauges
from lather.core.gauges.registry import measured_whole
from lather.core.job.agreements import AGREEMENTS, agreed
from lather.core.job.brief import JobSheet
from lather.core.job.model import Job, acts_by_itself
from lather.core.kinds.registry import kind_of
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.plan.plan import Plan
from lather.core.plan.routes import route_of
from lather.core.record.entries import OUTSIDE, DeliveryNote
from lather.core.record.entry_of_job import mended_by_kind
from lather.core.session import Session
from lather.core.stages.registry import STAGES

_CAUTIONS = {
    "identity-true": "A photo for an identity document must not be retouched.",
    "newborn/child": "A child’s picture needs the consent of its guardians.",
    "beauty": "In some places retouched people in advertising have to be labelled: check the local rules.",
    "fashion": "In some places retouched people in advertising have to be labelled: check the local rules.",
    "body": "In some places altered bodies in advertising have to be labelled: check the local rules.",
}
_ALWAYS = "Marks on skin are judged by their looks, not for health: a mark that worries you is for a doctor."


@dataclass(frozen=True)
class StageDone:
    """What one stage did: its layers in words, and its time against the plan (None: no plan)."""

    label: str
    layers: tuple[str, ...]
    seconds: int
    planned: int | None


@dataclass(frozen=True)
class Report:
    """Everything the pages show. gauges: those that could be told."""

    title: str
    client: str
    kind: str
    route: str
    day: str
    crops: tuple[Crop, ...]
    stages: tuple[StageDone, ...]
    around_s: int
    around_planned_s: int | None
    mended: tuple[tuple[str, int], ...]
    gauges: tuple[JudgedGauge, ...]
    keepers: tuple[tuple[str, int], ...]
    agreements: tuple[tuple[str, str], ...]
    remarks: tuple
    cautions: tuple[str, ...]
    deliveries: tuple[DeliveryNote, ...]
    facts: tuple[tuple[str, str], ...]
    moved: bool

    @property
    def seconds(self) -> int:
        """Worked in all, whole seconds."""
        return sum(stage.seconds for stage in self.stages) + self.around_s

    @property
    def planned(self) -> int | None:
        """Planned in all, whole seconds; None where nothing was planned."""
        if self.around_planned_s is None:
            return None
        return sum(stage.planned or 0 for stage in self.stages) + self.around_planned_s

    @property
    def over(self) -> int:
        """How many gauges are out of their band."""
        return sum(one.within is False for one in self.gauges)


def make_report(
    session: Session, *, job: Job | None = None, seconds: dict[str, int] | None = None, plan: Plan | None = None,
    deliveries: tuple[DeliveryNote, ...] = (), measures: PhotoMeasures | None = None, values: dict | None = None,
    today: date | None = None,
) -> Report:
    """seconds: worked, by stage. values: gauges, where they are measured already."""
    job = job or session.job
    sheet, seconds = JobSheet.of(job.brief), seconds or {}
    measures = measures or PhotoMeasures.of_job(session.photo, job)
    values = values if values is not None else measured_whole(session.engine, job, measures)
    kinds = {}
    for find in job.keepers():
        kinds[kind_of(find.kind).label] = kinds.get(kind_of(find.kind).label, 0) + 1
    cautions = [text for text in (_CAUTIONS.get(sheet.kind, ""), _guardian(job, sheet), _ALWAYS) if text]
    return Report(
        job.title, sheet.client, sheet.kind, route_of(sheet.route).label, f"{today or date.today():%d %B %Y}",
        tuple(crops_of(session.engine, job)), tuple(_stages(job, seconds, plan)),
        sum(seconds.get(name, 0) for name in OUTSIDE), plan.row("around").seconds if plan is not None else None,
        tuple((kind_of(kind).label, count) for kind, count in sorted(mended_by_kind(job).items(), key=lambda r: -r[1])),
        tuple(one for one in judged_gauges(values, sheet.kind).values() if one.value is not None),
        tuple(kinds.items()),
        tuple(one.answers[agreed(job.brief, one.id)] for one in AGREEMENTS.values()
              if not one.children or sheet.is_child),
        sheet.remarks, tuple(cautions), deliveries, tuple(_facts(session)),
        any(layer.edits for layer in job.stage("shape").layers),
    )


def _guardian(job: Job, sheet: JobSheet) -> str:
    missing = sheet.is_child and agreed(job.brief, "guardian") == "no"
    return "The guardians’ consent is not noted yet." if missing else ""


def _stages(job: Job, seconds: dict[str, int], plan: Plan | None):
    for info in STAGES:
        stage = job.stage(info.id)
        layers = []
        for layer in stage.layers:
            if not layer.on or not stage.on or not (layer.edits or acts_by_itself(layer)):
                continue
            count = len(layer.edits)
            what = info.counted(count) if count else "by zone"
            layers.append(f"{layer.name}: {what} at {100 * layer.strength * stage.strength:.0f} %")
        planned = plan.row(info.id).seconds if plan is not None else None
        if layers or seconds.get(info.id) or planned:
            yield StageDone(info.label, tuple(layers), seconds.get(info.id, 0), planned)


def _facts(session: Session):
    photo = session.photo
    yield "Photo", f"{photo.name}, {photo.width} × {photo.height} px, {photo.picture.bits} bit"
    yield "SHA-256 of the photo", photo.sha256
    yield "Worked in", profiles.name(photo.profile)
    yield "Software", f"Lather {lather.__version__}"


def report_html(report: Report) -> str:
    """One self-contained file."""
    return page("report.html", report=report)


def report_print_html(report: Report) -> str:
    """The same for paper: plain enough for Qt's rich text."""
    return page("report_print.html", report=report)


def sheet_html(session: Session, *, job: Job | None = None, captions: tuple[str, str] = ("before", "after"),
               today: date | None = None) -> str:
    """A before and after sheet, plain enough for Qt's rich text."""
    job = job or session.job
    return page("sheet.html", title=job.title, client=JobSheet.of(job.brief).client,
                day=f"{today or date.today():%d %B %Y}", captions=captions, crops=crops_of(session.engine, job))
