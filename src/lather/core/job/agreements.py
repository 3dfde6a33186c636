"""What was agreed with the client: each answer, what it allows, and which finds it decides on."""

from collections.abc import Mapping
from dataclasses import dataclass

from lather.core.phrases import worded

STAY, ASK, GO = "stay", "ask", "go"
NO, YES = "no", "yes"


@dataclass(frozen=True)
class Agreement:
    """answers: {answer: (what the job sheet says, what it allows)}. kinds: finds it decides on. usual: where nothing
    was agreed. children: asked of children's pictures only.
    """

    id: str
    label: str
    answers: Mapping[str, tuple[str, str]]
    usual: str
    kinds: tuple[str, ...] = ()
    children: bool = False

    def __post_init__(self):
        worded(self, "label", "answers")


AGREEMENTS: dict[str, Agreement] = {one.id: one for one in (
    Agreement("lasting_marks", "Lasting marks", {
        STAY: ("Lasting marks stay", "moles and freckles are keepers and are left out of every pass"),
        ASK: ("Lasting marks: ask", "moles and freckles stay until the client has answered the proof sheet"),
        GO: ("Lasting marks may go", "moles and freckles are listed like other finds"),
    }, STAY, ("mole", "freckle")),
    Agreement("drawn_marks", "Drawn marks", {
        STAY: ("Drawn marks stay", "tattoos, henna and drawn make-up are keepers: nothing is mended on them or taken "
               "from them"),
        ASK: ("Drawn marks: ask", "tattoos and the like stay until the client has answered the proof sheet"),
    }, ASK, ("drawn_mark",)),
    Agreement("scars", "Scars", {
        STAY: ("Scars stay", "scars are keepers and are left out of every pass"),
        ASK: ("Scars: ask", "scars stay until the client has answered the proof sheet"),
        GO: ("Scars may go", "scars are listed like other finds"),
    }, ASK, ("scar",)),
    Agreement("hair_on_skin", "Hair on skin", {
        STAY: ("Hair on skin stays", "hairs over skin are left out of every pass"),
        ASK: ("Hair on skin: ask", "hairs over skin stay until the client has answered the proof sheet"),
        GO: ("Hair on skin may go", "hairs over skin are listed like other finds"),
    }, GO, ("hair_on_skin",)),
    Agreement("reshaping", "Reshaping", {
        NO: ("No reshaping", "Shape is left out of the plan, and asks before it moves anything"),
        YES: ("Reshaping agreed", "Shape is planned, within the limits of the kind of job"),
    }, NO),
    Agreement("teeth", "Teeth", {
        NO: ("Teeth as they are", "teeth are left out of Whiten"),
        YES: ("Teeth may be whitened", "up to the ceiling of the kind of job, and darker than the eyes"),
    }, YES),
    Agreement("guardian", "Guardians", {
        NO: ("Guardians not asked yet", "a child’s picture needs their consent before it is delivered"),
        YES: ("Guardians consent", "to this retouch, in writing"),
    }, NO, children=True),
)}
_BY_KIND = {kind: one for one in AGREEMENTS.values() for kind in one.kinds}


def agreed(brief: Mapping, agreement_id: str) -> str:
    """The answer that holds: what the job sheet says, else the usual one."""
    one = AGREEMENTS[agreement_id]
    said = _said(brief).get(agreement_id)
    return said if isinstance(said, str) and said in one.answers else one.usual


def state_by_agreement(brief: Mapping, kind: str, keeper: bool) -> str:
    """`keep` or `open`: of a find that nobody decided on by itself."""
    one = _BY_KIND.get(kind)
    if one is None:
        return "keep" if keeper else "open"
    return "open" if agreed(brief, one.id) == GO else "keep"


def asks_client(brief: Mapping, kind: str) -> bool:
    """True for kinds of finds on which the client is asked."""
    one = _BY_KIND.get(kind)
    return one is not None and agreed(brief, one.id) == ASK


def stays_by_agreement(brief: Mapping, kind: str) -> bool:
    """True for kinds that stay unless the client says otherwise."""
    one = _BY_KIND.get(kind)
    return one is not None and agreed(brief, one.id) == STAY


def denied(brief: Mapping, agreement_id: str) -> bool:
    """True if the job sheet says no in so many words; silence denies nothing."""
    return _said(brief).get(agreement_id) == NO


def _said(brief: Mapping) -> Mapping:
    held = brief.get("agreed")
    return held if isinstance(held, Mapping) else {}
