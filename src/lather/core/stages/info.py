"""What a stage is, told once in its folder: to the engine, the job file, the desk and the contract test."""

from collections.abc import Callable
from dataclasses import dataclass

from lather.core.job.commands import Command
from lather.core.job.model import STAGE_IDS, Job, Layer
from lather.core.phrases import Phrase, phrase, worded
from lather.core.stages.base import LayerKind
from lather.core.stages.planned import Planned, PlanSeen, left

COUNTED: dict[str, Callable[[int], Phrase]] = {
    "edit": lambda n: phrase("%n edits", n=n, one="%n edit"),
    "mend": lambda n: phrase("%n mends", n=n, one="%n mend"),
    "move": lambda n: phrase("%n moves", n=n, one="%n move"),
    "stroke": lambda n: phrase("%n strokes", n=n, one="%n stroke"),
}
"""By what an edit of a stage is called: so many of them."""
TAKE_OUT = {"edit": phrase("Take this edit out"), "mend": phrase("Take this mend out"),
            "move": phrase("Take this move out"), "stroke": phrase("Take this stroke out")}
EDITS = {"edit": phrase("Edits"), "mend": phrase("Mends"), "move": phrase("Moves"), "stroke": phrase("Strokes")}


def _none() -> tuple[Layer, ...]:
    return ()


def _not_planned(seen: PlanSeen) -> Planned:
    return left("nothing is planned here")


@dataclass(frozen=True)
class StageInfo:
    """id: one of STAGE_IDS. kind: of its layers; more_kinds: others that they may be of. tools: what can be done on
    them; tools_of(layer) where that depends on the layer. edit_word: what an edit is called, a word of COUNTED.
    finds: flaws of this stage are listed and mended by key.
    automatic(job, measures): the step that it does by itself, or None. planned(seen): what it proposes for a plan.
    example: layers that use every tool and overlap, inside 611×523 px, for the contract test.
    """

    id: str
    label: str
    kind: type[LayerKind]
    first_layer_name: str
    tools: tuple[str, ...]
    example: Callable[[], tuple[Layer, ...]] = _none
    tools_of: Callable[[Layer], tuple[str, ...]] | None = None
    edit_word: str = "edit"
    finds: bool = False
    automatic: Callable[[Job, object], Command | None] | None = None
    more_kinds: tuple[type[LayerKind], ...] = ()
    planned: Callable[[PlanSeen], Planned] = _not_planned

    def __post_init__(self):
        worded(self, "label", "first_layer_name")

    @property
    def kinds(self) -> dict[str, type[LayerKind]]:
        """All that its layers may be of, by id."""
        return {kind.id: kind for kind in (self.kind, *self.more_kinds)}

    def counted(self, n: int) -> Phrase:
        """So many of its edits, in words."""
        return COUNTED[self.edit_word](n)

    @property
    def take_out_label(self) -> Phrase:
        """What is done when one of its edits is taken out, as on a button."""
        return TAKE_OUT[self.edit_word]

    @property
    def edits_label(self) -> Phrase:
        """What its edits are called together, as a title."""
        return EDITS[self.edit_word]

    @property
    def number(self) -> int:
        """Place in the course, from 1."""
        return STAGE_IDS.index(self.id) + 1

    def tools_for(self, layer: Layer | None) -> tuple[str, ...]:
        """Tools that can be used on a layer (on a new one where there is none)."""
        return self.tools if layer is None or self.tools_of is None else self.tools_of(layer)
