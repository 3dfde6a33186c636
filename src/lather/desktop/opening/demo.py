"""The demo job in the window: made at its first opening, beside it."""

from pathlib import Path

from lather.core.practice.demo import demo_job_path
from lather.desktop.window.host import Host


def open_demo(window: Host) -> None:
    """Open it, as a job that stays as it is."""
    window.screens.show_going_on("Preparing the demo job; the first time this takes a while.")

    def done(path: Path) -> None:
        window.screens.show_going_on("")
        window.notice.clear()
        window.open_path(path)

    def failed(text: str) -> None:
        window.screens.show_going_on("")
        window.warn(text)

    window.background.run("demo", lambda task: demo_job_path(), done, failed=failed)
