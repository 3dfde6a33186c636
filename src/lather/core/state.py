"""Where Lather keeps what must outlive a crash: journals, and which files are being written."""

import os
from pathlib import Path


def state_folder() -> Path:
    """In the person's home, or where XDG_STATE_HOME says."""
    return Path(os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state") / "lather"
