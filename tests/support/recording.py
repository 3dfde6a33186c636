"""A process that logs time and delivers a picture again and again; killed outright, many times, from one warm start."""

import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).parents[2]


def kill_often(folder: Path, times: int) -> list[tuple[int, str]]:
    """[(seconds that the process said were logged, files that it said were delivered), …] of each that was killed."""
    done = subprocess.run([sys.executable, "-m", "tests.support.recording", str(folder), str(times)], cwd=ROOT,
                          env=os.environ | {"PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"}, capture_output=True, text=True)
    if done.returncode:
        raise AssertionError(done.stderr)
    return [(int(seconds), files) for seconds, _, files in (line.partition(" ") for line in done.stdout.splitlines())]


def _work(folder: Path, number: int, tell) -> None:
    """Log spans of a second, deliver, log what was delivered, and say so; for ever."""
    from lather.core.deliver.run import deliver
    from lather.core.job.outputs import OutputSpec
    from lather.core.record.clock import Span
    from lather.core.record.logbook import Logbook
    from tests.support.pictures import session_of, skin_like

    book, session = Logbook(folder / "logbook.sqlite"), session_of(skin_like(240, 200))
    spec = OutputSpec("out", "Out", format="PNG")
    for turn in range(100_000):
        book.add_spans("job", [Span("mend", 1)])
        tell("s")
        path = folder / f"{number}-{turn}.png"
        (one,) = deliver(session, [(spec, path)])
        book.add_delivery("job", one.note)
        tell(f"{path.name};")


def main(folder: Path, times: int) -> None:
    from lather.core.deliver.run import deliver
    from lather.core.imageio.atomic import sweep_parts
    from lather.core.job.outputs import OutputSpec
    from tests.support.pictures import session_of, skin_like

    warm = folder / "warm.png"  # compiled loops are loaded once, before the forks
    deliver(session_of(skin_like(240, 200)), [(OutputSpec("out", "Out", format="PNG"), warm)])
    warm.unlink()
    for number in range(times):
        reading, writing = os.pipe()
        child = os.fork()
        if child == 0:
            os.close(reading)
            try:
                _work(folder, number, lambda text, to=writing: os.write(to, text.encode()))
            finally:
                os._exit(1)
        os.close(writing)
        time.sleep(random.Random(number).uniform(0.02, 0.25))
        os.kill(child, signal.SIGKILL)
        said = b""
        while part := os.read(reading, 65536):
            said += part
        os.close(reading)
        os.waitpid(child, 0)
        sweep_parts()
        text = said.decode()
        names = "".join(name.lstrip("s") + ";" for name in text.split(";")[:-1])
        print(text.count("s"), names, flush=True)


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
