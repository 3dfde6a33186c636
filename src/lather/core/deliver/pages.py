"""Pages made from templates: one place that fills them in. Everything that a person wrote is escaped."""

from functools import cache
from pathlib import Path

from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape

from lather.core.deliver.crops import data_uri
from lather.core.job.brief import clock_text, money

FOLDER = Path(__file__).parents[1] / "data" / "templates"


@cache
def _environment() -> Environment:
    made = Environment(loader=FileSystemLoader(FOLDER), autoescape=select_autoescape(default=True),
                       undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    made.filters |= {"clock": clock_text, "money": money, "picture": data_uri}
    return made


def page(template: str, **values) -> str:
    """A template of `core/data/templates` filled in."""
    return _environment().get_template(template).render(**values)
