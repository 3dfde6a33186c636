"""A report of what went wrong, copied for those who can mend it; it names the person's files only if they agree."""

from PyQt6.QtWidgets import QApplication

from lather.core import log
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.window.host import Host
from lather.desktop.window.questions import ask

_QUESTION = ("The report holds the version, the system and the last lines of the log. Nothing is sent: it is copied, "
             "for you to paste where you ask for help. May it name your files?")


def copy_report(window: Host) -> None:
    """Ask what it may hold, and put it on the clipboard."""
    answer = ask(window, _QUESTION, {"without": "Leave names out", "with": "Name them", "stay": "Cancel"},
                 otherwise="stay")
    if answer == "stay":
        return
    names = names_of(window.job) if window.job is not None else []
    QApplication.clipboard().setText(log.report(names, with_names=answer == "with"))
    window.say("The report is copied; paste it where you ask for help.")


def names_of(job: OpenJob) -> list[str]:
    """What belongs to the person: names of photo and job, title, client, frame."""
    session = job.session
    paths = [path for path in (session.photo_path, session.job_file) if path is not None]
    brief = [str(job.job.brief.get(key) or "") for key in ("title", "client", "frame")]
    return [job.job.title, job.job.source.name, *brief, *(path.name for path in paths), *(path.stem for path in paths)]
