"""What the desk remembers between starts: recent files, theme. One small JSON file."""

import json
import math
import os
from pathlib import Path

from lather.core.colour import profiles
from lather.core.errors import LatherError
from lather.core.imageio.atomic import write_atomically
from lather.desktop.input.keys import settings_folder

_MOST_RECENT = 10
_MOST_JOBS = 2000
_LINGER_S = 0.8


def _load() -> dict:
    try:
        data = json.loads((settings_folder() / "settings.json").read_text())
        return data if isinstance(data, dict) else {}
    except (OSError, ValueError):
        return {}


def _store(data: dict) -> None:
    try:
        settings_folder().mkdir(parents=True, exist_ok=True)
        write_atomically(settings_folder() / "settings.json", lambda f: f.write(json.dumps(data, indent=1).encode()))
    except (OSError, LatherError):
        pass  # a read-only home only costs the list of recent files


def recent_files() -> list[str]:
    """Recent files that still exist, newest first."""
    return [p for p in _recent(_load()) if Path(p).exists()]


def _recent(data: dict) -> list[str]:
    listed = data.get("recent", [])
    return [p for p in listed if isinstance(p, str) and "\0" not in p] if isinstance(listed, list) else []


def remember(path: Path, job_id: str = "") -> None:
    """The newest of the recent files; job_id: of the job in it, so that the logbook finds it again."""
    data = _load()
    if job_id:
        held = data.get("jobs")
        jobs = held if isinstance(held, dict) else {}
        jobs.pop(job_id, None)
        data["jobs"] = dict(list({**jobs, job_id: str(path)}.items())[-_MOST_JOBS:])
    others = [p for p in _recent(data) if p != str(path)]
    data["recent"] = [str(path), *others][:_MOST_RECENT]
    _store(data)


def file_of_job(job_id: str) -> Path | None:
    """Where a job was saved last, if that is still there."""
    held = _load().get("jobs")
    path = held.get(job_id) if isinstance(held, dict) else None
    return Path(path) if isinstance(path, str) and "\0" not in path and Path(path).is_file() else None


def display_profile() -> bytes | None:
    """ICC profile of the display: the file named by LATHER_DISPLAY_PROFILE or by the setting `display_profile`.

    None (then sRGB is assumed) if there is none or it is no RGB profile.
    """
    path = os.environ.get("LATHER_DISPLAY_PROFILE") or _load().get("display_profile")
    try:
        data = Path(path).read_bytes() if path else b""
    except (OSError, TypeError):
        return None
    return data if data and profiles.is_valid(data) and profiles.colour_space(data) == "RGB" else None


def finds_on_opening() -> bool:
    """True if flaws are looked for as soon as a photo is opened (setting `finds_on_opening`)."""
    if "LATHER_FINDS_ON_OPENING" in os.environ:
        return os.environ["LATHER_FINDS_ON_OPENING"] != "0"
    return bool(_load().get("finds_on_opening", True))


def linger_ms() -> int:
    """How long a mended find stays in view before the next one comes (setting `linger_s`), 0 to 10 s."""
    try:
        seconds = float(_load().get("linger_s", _LINGER_S))
    except (TypeError, ValueError):
        seconds = _LINGER_S
    return round(1000 * min(10.0, max(0.0, seconds))) if math.isfinite(seconds) else round(1000 * _LINGER_S)


def theme_name() -> str:
    return str(_load().get("theme", "light"))
