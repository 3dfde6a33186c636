"""What the logbook is told of a job: its sheet, its plan, what was mended."""

from collections import Counter

from lather.core.gauges.against_limits import judged_gauges
from lather.core.job.brief import JobSheet
from lather.core.job.model import Job
from lather.core.plan.plan import Plan
from lather.core.record.entries import GaugeNote
from lather.core.record.logbook import Logbook


def sheet_facts(job: Job, plan: Plan | None = None) -> dict:
    """Columns of the logbook's jobs. The price is the one agreed, else what the plan costs."""
    sheet = JobSheet.of(job.brief)
    planned = plan.cost_cents if plan is not None and sheet.rate_cents else None
    return {
        "title": job.title, "client": sheet.client, "kind": sheet.kind, "route": sheet.route,
        "demo": bool(job.brief.get("demo")), "rate_cents": sheet.rate_cents, "currency": sheet.currency,
        "price_cents": sheet.price_cents if sheet.price_cents is not None else planned,
    }


def mended_by_kind(job: Job) -> dict[str, int]:
    """{kind: how many finds of a job are mended}."""
    mended = job.mended_finds()
    return dict(Counter(find.kind for find in job.finds or () if find.id in mended))


def note_progress(book: Logbook, job: Job, plan: Plan | None) -> None:
    """The sheet, the plan and what was mended so far. Raises LogbookError."""
    book.note_job(job.id, **sheet_facts(job, plan))
    if plan is not None:
        book.set_plan(job.id, {row.stage_id: (row.seconds, row.area) for row in plan.rows if row.do and row.seconds})
    book.set_finds(job.id, mended_by_kind(job))


def note_gauges(book: Logbook, job: Job, values: dict) -> None:
    """Gauges at delivery, with the bands they were held against."""
    kind = JobSheet.of(job.brief).kind
    book.set_gauges(job.id, [
        GaugeNote(name, one.gauge.label, one.value, one.low, one.high, one.gauge.unit)
        for name, one in judged_gauges(values, kind).items() if one.value is not None])
