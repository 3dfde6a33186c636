"""Kills a painting window at a random moment, and looks at what is left."""

import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path
from unittest import mock

from lather.core.imageio.atomic import sweep_parts
from lather.core.journal.journal import leftovers
from lather.core.journal.recovery import recover
from lather.core.session import Session

ROOT = Path(__file__).parents[2]


def kill_once(folder: Path, photo: Path, seed: int) -> tuple[tuple[int, int], int, list[str]]:
    """(least and most strokes there can be by what the window had said, strokes that can be brought back, files left
    after the next start).

    folder: an empty one, for this window's job and state.
    """
    rng = random.Random(seed)
    job_file, env = folder / "job.lather", {
        "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}", "QT_QPA_PLATFORM": "offscreen", "LATHER_FINDS_ON_OPENING": "0",
        "XDG_STATE_HOME": str(folder / "state"), "XDG_CONFIG_HOME": str(folder / "config"),
    }
    window = subprocess.Popen(
        [sys.executable, "-m", "tests.support.painting_window", str(photo), str(job_file), str(seed)], cwd=ROOT,
        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=os.environ | env,
    )
    said = [window.stdout.readline()]
    time.sleep(rng.uniform(0.0, 2.5))
    window.send_signal(signal.SIGKILL)
    said += window.stdout.readlines()
    window.wait()
    window.stdout.close()
    done, *undoing = said[-1].split() or ["0"]
    expected = (int(done) - 1, int(done)) if undoing else (int(done), int(done) + 1)
    with mock.patch.dict(os.environ, env):
        sweep_parts()
        found = leftovers()
        session = recover(found[0]) if found else Session.open(job_file if job_file.exists() else photo)
        back = len(session.job.stage("mend").layers[0].edits)
        for leftover in found:
            leftover.discard()
    left = [str(path.relative_to(folder)) for path in folder.rglob("*") if path.is_file()]
    usual = {"job.lather", "job.lather~1", "job.lather~2", "job.lather~3", "config/lather/settings.json"}
    return expected, back, [name for name in left if name not in usual]
