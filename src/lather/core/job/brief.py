"""The job sheet (brief) as the program reads it: every value checked, a usual one where nothing was written."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

from lather.core.job.limits import USUAL_KIND, job_kinds
from lather.core.job.outputs import OutputSpec, outputs_of

CHILD, IDENTITY = "newborn/child", "identity-true"
USUAL_ROUTE = "light"
USUAL_CURRENCY = "EUR"
MOST_RATE_CENTS, MOST_MINUTES, MOST_START = 10_000_000, 100_000.0, 2000.0


@dataclass(frozen=True)
class Remark:
    """What somebody wrote about the photo. x, y: source px, None where it is about the whole. who: its author."""

    text: str
    x: float | None = None
    y: float | None = None
    who: str = ""
    done: bool = False

    def to_json(self) -> dict:
        """Plain values, for the job sheet."""
        return {"text": self.text, "x": self.x, "y": self.y, "who": self.who, "done": self.done}


@dataclass(frozen=True)
class JobSheet:
    """Money in hundredths of the currency, so that sums are exact. rate_cents: an hour's; None where none was set.

    minutes_allowed: None where there is no limit. price_cents: agreed for the job; None: what the plan costs.
    overrides: {stage: {do, minutes, start}} that the person wrote over the plan.
    """

    title: str = ""
    client: str = ""
    kind: str = USUAL_KIND
    route: str = USUAL_ROUTE
    rate_cents: int | None = None
    currency: str = USUAL_CURRENCY
    minutes_allowed: float | None = None
    price_cents: int | None = None
    outputs: tuple[OutputSpec, ...] = ()
    overrides: Mapping[str, Mapping] = field(default_factory=dict)
    remarks: tuple[Remark, ...] = ()

    def start(self, stage_id: str) -> float | None:
        """The starting value that the person wrote over a stage's proposal; None where there is none."""
        value = _number(self.overrides.get(stage_id, {}).get("start"), MOST_START)
        return value or None

    @property
    def is_child(self) -> bool:
        """True for a picture of a newborn or a child."""
        return self.kind == CHILD

    @property
    def is_identity(self) -> bool:
        """True for a photo of an identity document, which must not be retouched."""
        return self.kind == IDENTITY

    @classmethod
    def of(cls, brief: Mapping) -> "JobSheet":
        """What cannot be is left out."""
        kind = brief.get("kind")
        overrides = brief.get("plan")
        return cls(
            title=str(brief.get("title") or "")[:200], client=str(brief.get("client") or "")[:200],
            kind=kind if kind in job_kinds() else USUAL_KIND, route=str(brief.get("route") or USUAL_ROUTE)[:40],
            rate_cents=_whole(brief.get("rate_cents"), MOST_RATE_CENTS),
            currency=str(brief.get("currency") or USUAL_CURRENCY)[:8],
            minutes_allowed=_number(brief.get("minutes_allowed"), MOST_MINUTES),
            price_cents=_whole(brief.get("price_cents"), MOST_RATE_CENTS * 100), outputs=outputs_of(brief),
            overrides={str(k): v for k, v in overrides.items() if isinstance(v, Mapping)}
            if isinstance(overrides, Mapping) else {},
            remarks=_remarks(brief.get("remarks")),
        )


def _number(value: object, most: float) -> float | None:
    if not isinstance(value, int | float) or isinstance(value, bool) or not math.isfinite(value):
        return None
    return float(value) if 0 <= value <= most else None


def _whole(value: object, most: int) -> int | None:
    number = _number(value, most)
    return None if number is None else round(number)


def _remarks(rows: object) -> tuple[Remark, ...]:
    made = []
    for row in rows if isinstance(rows, list | tuple) else ():
        if isinstance(row, Mapping) and row.get("text"):
            x, y = (_number(row.get(key), 1e6) for key in ("x", "y"))
            placed = x is not None and y is not None
            made.append(Remark(str(row["text"])[:2000], x if placed else None, y if placed else None,
                               str(row.get("who") or "")[:200], bool(row.get("done"))))
    return tuple(made)


def money(cents: int | None, currency: str = "") -> str:
    """`31.20`, `31.20 EUR`; a dash where there is none."""
    if cents is None:
        return "–"
    sign, whole = ("−" if cents < 0 else ""), abs(cents)
    return f"{sign}{whole // 100}.{whole % 100:02d}{f' {currency}' if currency else ''}"


def cents_of(text: str) -> int | None:
    """Hundredths from what a person types (`48`, `48.00`, `48,5`); None for anything else."""
    try:
        value = float(text.strip().replace(",", ".").replace("\u2009", ""))
    except ValueError:
        return None
    return round(100 * value) if math.isfinite(value) and 0 <= value <= MOST_RATE_CENTS else None


def clock_text(seconds: float) -> str:
    """`9:12` minutes and seconds; `1:04:30` from an hour on. Whole seconds, so that columns of it add up."""
    sign, whole = ("−" if seconds < 0 else ""), abs(round(seconds))
    hours, rest = divmod(whole, 3600)
    return f"{sign}{hours}:{rest // 60:02d}:{rest % 60:02d}" if hours else f"{sign}{rest // 60}:{rest % 60:02d}"
