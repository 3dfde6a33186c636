"""The plan of an open job."""

from lather.core.job.model import Job
from lather.core.measure.photo_facts import PhotoFacts, photo_facts
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.plan.minutes import Speeds
from lather.core.plan.plan import Plan, PlanInput, make_plan


def plan_of(job: Job, facts: PhotoFacts, speeds: Speeds) -> Plan:
    """With what was found and decided so far; what was mended already still counts."""
    return make_plan(PlanInput(job.brief, job.finds or (), facts, job.decisions, speeds))


def plan_of_measured(job: Job, measures: PhotoMeasures, speeds: Speeds) -> Plan:
    """The plan of a job whose photo was measured."""
    return plan_of(job, photo_facts(measures), speeds)
