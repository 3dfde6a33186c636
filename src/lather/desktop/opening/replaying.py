"""The photo developed again: the whole retouch played on another development of it."""

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from lather.core.imageio.development import DEVELOPMENT, Development
from lather.core.phrases import joined, phrase
from lather.core.session import Session
from lather.core.sitting.carry_report import carried_of
from lather.core.sitting.replay import replay
from lather.desktop.opening.developing import ENDINGS_SHOWN, ask_development, is_raw_file
from lather.desktop.opening.open_job import as_it_is
from lather.desktop.window.host import Host

_FILTER = phrase("Photos (%1)", ENDINGS_SHOWN)
_MOST_SAID = 3


def ask_developed(window: Host) -> None:
    """Ask for the photo, and play the retouch on it."""
    start = window.job.session.photo_path
    path, _ = QFileDialog.getOpenFileName(window, "The photo, developed again", str(start or Path.home()), _FILTER)
    if not path:
        return
    if is_raw_file(Path(path)):
        now = Development.of(window.job.job.brief.get(DEVELOPMENT))
        ask_development(window, Path(path), lambda chosen: play_on(window, Path(path), chosen), now)
    else:
        play_on(window, Path(path))


def play_on(window: Host, path: Path, development: Development | None = None) -> None:
    """The job in hand on another development of its photo, beside the window; then it is open, as a job of its own."""
    session = window.job.session
    begun = as_it_is(session)

    def work(task) -> Session:
        developed = Session.from_photo(path, development=development)
        played = replay(begun, developed.photo, task.tick, brief=developed.job.brief)
        played.photo_path = path.resolve()
        return played

    def done(played: Session) -> None:
        if window.job is None or window.job.session is not session or not window.may_leave():
            return
        window.take(played, unsaved=True)
        window.say(said_of(played), stays=True)

    window.say("Playing the retouch on the other photo; what you do meanwhile is not carried over.")

    def progress(share: float, _: str) -> None:
        window.say(phrase("Playing the retouch again: %1 %", f"{100 * share:.0f}"))

    window.background.run("replay", work, done, failed=window.warn, progress=progress)


def said_of(session: Session) -> str:
    """What came of it, in a few sentences."""
    told = carried_of(session.job.brief)
    carried, wanted = told.count
    looks = [phrase("%1: %2.", look.name, look.why) for look in told.looks]
    more = phrase(" And %1 more.", len(looks) - _MOST_SAID) if len(looks) > _MOST_SAID else ""
    return joined([phrase("%1 of %2 edits were carried over; save the job to keep them.", carried, wanted),
                     *looks[:_MOST_SAID]]) + more
