"""The one sentence under the photo: what to do next, or what to mind here."""

from lather.core.job.finds import Find
from lather.core.job.model import Job
from lather.core.kinds.registry import kind_of
from lather.core.phrases import phrase
from lather.desktop.controls.finds.finds import FindsControl
from lather.desktop.stages.base import StagePart

_MENDED = ("Mended: {next_source} takes other skin, {undo} takes it back. {next_find} goes on to the next, which "
           "comes by itself right after {mend_find}.")
_EVENED = ("Evened: {undo} takes it back. {next_find} goes on to the next, which comes by itself right after "
           "{mend_find}.")
_COLOURED = ("Done: {undo} takes it back, its layer is at the right. {next_find} goes on; the next one comes by "
             "itself right after {mend_find}.")
_GENTLE = "Leave folds and flush: they are what a child is made of."
_FEW_EDITS = 8


def hint(job: Job, found: FindsControl, part: StagePart) -> str:
    if part.proposes():
        return part.said(job)
    states, current = found.states(), found.current
    if current is not None and states.get(current.id) == "mended":
        return {"even": _EVENED, "colour": _COLOURED}.get(part.info.id, _MENDED)
    own = part.said(job)
    if own and current is None:
        return own
    caution = kind_of(current.kind).caution if current is not None else ""
    if caution:
        return caution
    if str(job.brief.get("kind", "")).startswith("newborn"):
        return "A child's picture needs the guardian's consent. " + _GENTLE
    left = sum(state == "open" for state in states.values())
    if left:
        return _with_finds(current, left, part)
    return _without_finds(job)


def _with_finds(current: Find | None, left: int, part: StagePart) -> str:
    if current is None:
        return ("{next_find} goes to the first find; {mend_find} mends it, {keep_find} keeps it, {skip_find} skips "
                "it. Or touch any spot yourself.")
    are = "1 is" if left == 1 else phrase("%1 are", left)
    if part.info.id == "even":
        return (phrase("{mend_find} evens this blotch at the share below, {keep_find} keeps it, {skip_find} skips "
                       "it; %1 open.", are))
    if part.info.id == "colour":
        return (phrase("{mend_find} calms this redness or takes this shine down, {keep_find} keeps it, {skip_find} "
                       "skips it; %1 open.", are))
    if part.info.id == "strands":
        return phrase("{mend_find} clears this hair, {keep_find} keeps it, {skip_find} skips it; %1 open.", are)
    return (phrase("{mend_find} mends this find, {keep_find} keeps it, {skip_find} skips it; %1 open. {next_source} "
                   "takes other skin for the last mend.", are))


def _without_finds(job: Job) -> str:
    edits = job.edit_count
    if not edits:
        return ("Touch a spot and lift the pen: Lather finds the skin to use. Wheel zooms, {move} and drag moves, "
                "{key_sheet} shows all keys.")
    if edits < _FEW_EDITS:
        return ("Mends lie on layers: turn one down, off, or take a mend out at any time. Hold {before} to see the "
                "photo.")
    return "When the skin looks right, compare in Review, then Deliver."
