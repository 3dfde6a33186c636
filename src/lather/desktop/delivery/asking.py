"""What is asked before a picture goes out: a child's guardians, gauges over their limits, the folder."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from lather.core.gauges.against_limits import said_over
from lather.core.gauges.pull_back import over_limit
from lather.core.job.agreements import agreed
from lather.core.job.brief import JobSheet
from lather.core.job.commands import SetBrief
from lather.core.phrases import phrase
from lather.desktop.controls.beside.judging import Judging
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.window.questions import ask


class Asking(QWidget):
    """`review_wanted()`: the person looks first. `told(text)`: what was measured only afterwards."""

    review_wanted = pyqtSignal()
    told = pyqtSignal(object)

    def __init__(self, job: OpenJob, judging: Judging, parent: QWidget):
        super().__init__(parent)
        self.hide()
        self.job, self.judging = job, judging
        self._told: tuple = ()  # the stages of the picture of which it was told what is over

    def know(self) -> None:
        """What is over is known of the picture as it is now: it is not asked of again."""
        self._told = self.job.job.stages

    def may_deliver(self) -> bool:
        return self._consented() and self._over_accepted()

    def _consented(self) -> bool:
        """A child's picture is not delivered without a word about its guardians."""
        brief = self.job.job.brief
        if not JobSheet.of(brief).is_child or agreed(brief, "guardian") == "yes":
            return True
        answer = ask(self, "The guardians’ consent is not noted in the brief. A child’s picture must not be delivered "
                     "without it.", {"stay": "Do not deliver", "yes": "They have consented, in writing"},
                     otherwise="stay")
        if answer != "yes":
            return False
        self.job.do(SetBrief("agreed", dict(brief.get("agreed") or {}) | {"guardian": "yes"}))
        return True

    def _over_accepted(self) -> bool:
        """What is over its limit is told once of a picture; False where the person looks at it first."""
        over, stages = self.judging.over_now, self.job.job.stages
        if not over or self._told is stages:
            return True
        self.know()
        answer = ask(self, phrase("Over the limit: %1.", said_over(over)),
                     {"review": "Look in Review", "deliver": "Deliver as it is"}, otherwise="review")
        if answer == "review":
            self.review_wanted.emit()
        return answer == "deliver"

    def tell_measured(self, stages: tuple, values: dict) -> None:
        """Of a picture that went out before its gauges were known."""
        over = over_limit(values, JobSheet.of(self.job.job.brief).kind)
        if over and self._told is not stages:
            self._told = stages
            self.told.emit(phrase("Delivered, and over the limit: %1. Review ({review}) shows what brings it back.",
                                  said_over(over)))


def cannot_be_made(folder: Path) -> str:
    """Why a folder cannot be written to; "" where it is there now."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        return ""
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or error
        return phrase("The folder %1 cannot be made (%2); choose another.", folder, why)
