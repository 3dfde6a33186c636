"""Where files go by themselves: beside the photo, or where the person wants them."""

from pathlib import Path

from lather.core.job.member_names import new_stem
from lather.core.practice.demo import demo_folder
from lather.core.session import Session
from lather.desktop.settings.store import value


def new_job_file(session: Session) -> Path:
    """Of a job that was not saved yet."""
    photo = session.photo_path
    if photo is None or photo.parent == demo_folder():
        photo = Path.home() / "photo"
    folder = Path(str(value("jobs_folder")) or photo.parent)
    return folder / f"{new_stem(session.photo.name)}.lather"


def delivery_folder(session: Session) -> Path:
    """Where pictures are delivered into, until another one is chosen."""
    start = session.job_file or session.photo_path
    return Path(str(value("delivery_folder")) or (start.parent if start else Path.home()) / "delivered")
