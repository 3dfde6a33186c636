"""What a stage proposes for a plan, and what it may go by: plain values, so that any stage can tell it."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from lather.core.phrases import joined, phrase


@dataclass(frozen=True)
class PlanSeen:
    """face_px: width of the face, of what stands for it where there is none. skin_faces: area of the skin in squares of
    that width, so that a minute's work does not depend on the size of the file. counts: {kind: finds of this stage that
    will show}. sizes_px: (small, large) of those finds. split_px: where texture parts from tone. grain: (percent, px).
    clipped_percent: of the skin. light_from: words. uneven: spread of the skin's light, L*. kind: of job.
    tool: what the route does this stage with. agreed(id): the answer of an agreement. teeth_seen: the mouth is open.
    """

    face_px: float
    has_face: bool
    skin_faces: float
    counts: Mapping[str, int]
    sizes_px: tuple[float, float] | None
    split_px: float | None
    grain: tuple[float, float]
    clipped_percent: float
    light_from: str
    uneven: float
    kind: str
    tool: str
    agreed: Mapping[str, str]
    teeth_seen: bool = True

    @property
    def finds(self) -> int:
        """Of all kinds that this stage mends."""
        return sum(self.counts.values())


@dataclass(frozen=True)
class Planned:
    """do: proposed or left. what: in a few words what is done, or why it is left. start_with: the starting values as
    the sheet shows them; values: the same for machines. area: how much of the skin is gone over, in squares of the
    face's width (0: only its finds take time). weight: how much of the retouch a viewer would miss without it,
    beside its finds (a plain spot is about 10). start: the one value that the person may set ahead, as (name,
    value, unit).
    """

    do: bool
    what: str
    start_with: str = "–"
    values: Mapping = field(default_factory=dict)
    area: float = 0.0
    weight: float = 0.0
    start: tuple[str, float, str] | None = None


def left(why: str) -> Planned:
    """A stage that is not proposed."""
    return Planned(False, why)


def listed(counts: Mapping[str, int], names: Mapping[str, str], most: int = 3) -> str:
    """`spots, flakes and 2 more kinds`: what the finds are, the most frequent first."""
    words: dict[str, int] = {}
    for kind, count in counts.items():
        word = names.get(kind, kind.replace("_", " "))
        words[word] = words.get(word, 0) + count
    ordered = sorted(words, key=lambda word: -words[word])
    if len(ordered) > most:
        rest = len(ordered) - most + 1
        ordered = [*ordered[: most - 1], phrase("%1 more kinds", rest)]
    return joined(ordered, ", ")
