"""Work that a batch does in tests: it counts how often each file was done."""

import os
import shutil
import signal
import time
from pathlib import Path

from lather.cli.batch import RECORDS
from lather.core.errors import PictureError


def copy_slowly(source: str, out: str, seconds: float = 0.0) -> dict:
    """Copies a file after a while and adds a line to OUT.times. Raises PictureError for one named broken."""
    if "broken" in Path(source).name:
        raise PictureError(f"{Path(source).name} is not a picture.")
    time.sleep(seconds)
    Path(out).write_bytes(Path(source).read_bytes())
    with open(f"{out}.times", "a") as file:
        file.write("done\n")
    return {"source": source, "out": out}


def die_once(source: str, out: str) -> dict:
    """The first process that tries is gone in the middle of it."""
    mark = Path(f"{out}.tried")
    if not mark.exists():
        mark.write_text("")
        os.kill(os.getpid(), signal.SIGKILL)
    return copy_slowly(source, out)


def tidy_up(source: str, out: str) -> dict:
    """Somebody takes the folder of records away meanwhile."""
    shutil.rmtree(Path(out).parent / RECORDS)
    return copy_slowly(source, out)
