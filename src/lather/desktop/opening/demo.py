"""The demo job in the window. At its first opening its photo is there at once, and the rest is made beside it."""

from pathlib import Path

from lather.core.job.commands import SetFinds
from lather.core.practice.demo import demo_file, demo_job_path, demo_plate, untouched_demo
from lather.core.practice.make import Plate
from lather.core.session import Session
from lather.desktop.window.host import Host


def open_demo(window: Host) -> None:
    """Open it, as a job that stays as it is."""
    if demo_file().exists():
        window.open_path(demo_file())
        return
    window.screens.show_going_on("Preparing the demo; its photo comes first.")

    def work(task) -> tuple[Plate, Session]:
        plate = demo_plate()
        session = untouched_demo(plate)
        session.history.amend(SetFinds((), None))  # they are looked for already, with the job
        return plate, session

    def shown(made: tuple[Plate, Session]) -> None:
        plate, session = made
        if not window.may_leave():  # something else was opened meanwhile
            window.screens.show_going_on("")
            return
        window.take(session)
        _make_the_rest(window, plate, session)

    window.background.run("demo photo", work, shown, failed=lambda text: _failed(window, text))


def _make_the_rest(window: Host, plate: Plate, session: Session) -> None:
    """The job takes the photo's place, unless somebody has begun to work on that."""
    window.screens.show_going_on("This is the demo's photo. Its finds and first mends are being made; they take its "
                                 "place as soon as they are there.")

    def done(path: Path) -> None:
        window.screens.show_going_on("")
        if window.job is not None and window.job.session is session and not session.history.commands:
            window.open_path(path)
        else:
            window.say("The demo job is ready: open it from the start page.")

    window.background.run("demo", lambda task: demo_job_path(plate), done,
                          failed=lambda text: _failed(window, text))


def _failed(window: Host, text: str) -> None:
    window.screens.show_going_on("")
    window.warn(text)
