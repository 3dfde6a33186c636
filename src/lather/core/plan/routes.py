"""The four ways to even skin, as routes through the course: which stages each proposes, and with what."""

from collections.abc import Mapping
from dataclasses import dataclass

from lather.core.errors import RequestError
from lather.core.job.brief import USUAL_ROUTE
from lather.core.phrases import phrase, worded


@dataclass(frozen=True)
class Route:
    """line: one sentence for the sheet. stages: {stage: what it is done with}. blotches_in: the stage that takes what
    Even would.
    """

    id: str
    label: str
    line: str
    stages: Mapping[str, str]
    blotches_in: str

    def __post_init__(self):
        worded(self, "label", "line", "stages")


_ALWAYS = {"mend": "dab", "strands": "strand", "colour": "calm", "shape": "push", "grain": "match", "finish": "curve"}
ROUTES: dict[str, Route] = {route.id: route for route in (
    Route("light", "Light", "Evened and sculpted by light alone: most natural, slowest by hand.",
          {**_ALWAYS, "even": "lift and lower", "sculpt": "light and shade", "crisp": "detail"}, "even"),
    Route("bands", "Bands", "Tone evened under the texture: fast; loses modelling if pushed.",
          {**_ALWAYS, "split": "area and mix", "sculpt": "a little", "crisp": "detail"}, "split"),
    Route("sweep", "Sweep", "Low-opacity sweeps along the form, then grain: soft; watch the texture.",
          {**_ALWAYS, "mend": "dab and sweep"}, "mend"),
    Route("veil", "Veil", "Edge-keeping smoothing at part strength: quickest; first to look like wax.",
          {**_ALWAYS, "split": "veil", "crisp": "detail"}, "split"),
)}


def route_named(text: str) -> Route:
    """Raises RequestError for an unknown one."""
    route = ROUTES.get(text)
    if route is None:
        raise RequestError(phrase("There is no route “%1”; choose from %2.", text[:40], ", ".join(ROUTES)))
    return route


def route_of(text: str) -> Route:
    """The route of a job sheet; the usual one for a word of a newer version."""
    return ROUTES.get(text) or ROUTES[USUAL_ROUTE]
