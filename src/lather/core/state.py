"""Where Lather keeps what must outlive a crash: journals, and which files are being written."""

import os
from pathlib import Path


def state_folder() -> Path:
    return Path(os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state") / "lather"
