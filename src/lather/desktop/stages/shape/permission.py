"""Who may be reshaped: identity photos not at all, a child only after two questions."""

from PyQt6.QtWidgets import QWidget

from lather.core.phrases import phrase
from lather.desktop.window.questions import ask

IDENTITY, CHILD = "identity-true", "newborn/child"
_LABELS = "may have to be labelled: check the local rules."
CAUTIONS = {
    IDENTITY: "An identity photo must not be reshaped.",
    CHILD: "A child's body is not reshaped. Hold and settle work; a push asks twice.",
    "beauty": phrase("Reshaped people in advertising %1", _LABELS),
    "fashion": phrase("Reshaped people in advertising %1", _LABELS),
    "body": phrase("Altered bodies in advertising %1", _LABELS),
}
_REFUSED = "An identity photo must not be reshaped: the person must be known again by it. Nothing was moved."


class Permission:
    """Asked before anything is moved; what was agreed for a child holds while the job is open."""

    def __init__(self, parent: QWidget, say):
        self._parent, self._say = parent, say
        self._child_agreed = self._all_the_same = False

    def given(self, kind: str | None, denied: bool = False) -> bool:
        """False, and a word why, where this kind of job is not reshaped. denied: the brief says no reshaping."""
        if kind == IDENTITY:
            self._say(_REFUSED)
            return False
        if denied and not self._all_the_same:
            self._all_the_same = ask(
                self._parent, "The brief says: no reshaping. Do you want to move something all the same?",
                {"no": "Leave it as it is", "yes": "Reshape"}, otherwise="no") == "yes"
            if not self._all_the_same:
                self._say("Nothing was moved: the brief says no reshaping.")
                return False
        if kind != CHILD or self._child_agreed:
            return True
        self._child_agreed = self._asked_twice()
        if not self._child_agreed:
            self._say("Nothing was moved.")
        return self._child_agreed

    def _asked_twice(self) -> bool:
        answers = {"no": "Leave it as it is", "yes": "Reshape"}
        first = ask(self._parent, "This is a child. A child's body is not reshaped. Do you want to move something all "
                    "the same, a gap between two teeth for instance?", answers, otherwise="no")
        return first == "yes" and ask(
            self._parent, "Have the guardians agreed to exactly this, in writing?",
            {"no": "No, leave it", "yes": "Yes, they have"}, otherwise="no") == "yes"
