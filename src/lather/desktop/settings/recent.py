"""Files that were open lately, and where the job of a logbook's line lies."""

from pathlib import Path

from lather.core.imageio.files import is_there
from lather.desktop.settings.store import load, store

_MOST_RECENT = 10
_MOST_JOBS = 2000


def recent_files() -> list[str]:
    """Recent files that still exist, newest first."""
    return [p for p in _recent(load()) if is_there(p)]


def _recent(data: dict) -> list[str]:
    listed = data.get("recent", [])
    return [p for p in listed if isinstance(p, str) and "\0" not in p] if isinstance(listed, list) else []


def remember(path: Path, job_id: str = "") -> None:
    """The newest of the recent files; job_id: of the job in it, so that the logbook finds it again."""
    data = load()
    if job_id:
        held = data.get("jobs")
        jobs = held if isinstance(held, dict) else {}
        jobs.pop(job_id, None)
        data["jobs"] = dict(list({**jobs, job_id: str(path)}.items())[-_MOST_JOBS:])
    others = [p for p in _recent(data) if p != str(path)]
    data["recent"] = [str(path), *others][:_MOST_RECENT]
    store(data)


def file_of_job(job_id: str) -> Path | None:
    """Where a job was saved last, if that is still there."""
    held = load().get("jobs")
    path = held.get(job_id) if isinstance(held, dict) else None
    return Path(path) if isinstance(path, str) and is_there(path) and Path(path).is_file() else None
