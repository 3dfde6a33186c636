"""Reopening a finished portrait of ten stages at 24 megapixels: seconds to the photo, to the retouch, to the gauges.

    ./lather benchmarks reopen [--megapixels 24] [--anew] [--times 3]

The job is made once and kept in the cache. Each opening is a process of its own, as after a start; the window's thread
is watched by a timer: its longest stall is told.
"""

import argparse
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT)]
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def finished_job(path: Path, megapixels: float) -> None:
    """The automatic pass, then paths of Sculpt, a measure of Shape, crisp eyes and lips, and a curve."""
    from lather.bench.window import large_photo
    from lather.cli import adjust
    from lather.cli.auto import mend_photo
    from lather.core.colour.profiles import srgb_profile
    from lather.core.imageio.write import write_picture
    from lather.core.job.commands import SetBrief
    from lather.core.measure.photo_measures import PhotoMeasures
    from lather.core.mending.adjustment_start import crisp_proposal
    from lather.core.session import Session
    from lather.core.stages.sculpt.paths import lay_command, proposals
    from lather.core.stages.shape import measures

    with tempfile.TemporaryDirectory() as folder:
        photo = Path(folder) / "photo.jpg"
        write_picture(photo, large_photo(megapixels), profile=srgb_profile(), quality=92)
        mend_photo(str(photo), str(Path(folder) / "out.jpg"), str(path), 8, None, 0.0, "beauty", "bands")
        session = Session.open(path)
        for kind in ("calm", "hues"):
            adjust._add(session, kind)
        lay = lay_command(session.job, proposals(session.engine, session.job, True))
        one = measures.MEASURES[0]
        session.history.do(SetBrief("agreed", {"reshaping": "yes"}))
        moved = measures.set_command(session.job, one, one.sides, -0.5)
        grain = PhotoMeasures(session.photo, session.job.face_map).grain
        crisp = (crisp_proposal(session.engine, session.job, part, grain) for part in ("eyes", "lips"))
        for command in (lay, moved, *crisp):
            if command is not None:
                session.history.do(command)
        for kind in ("exposure", "vignette"):
            if kind in adjust.kinds():
                adjust._add(session, kind)
        session.save(path)


def reopened(path: Path) -> dict:
    """{what: seconds} of one opening in this process."""
    from PyQt6.QtCore import QTimer

    from lather.core import warmup
    from lather.desktop.app import make_application
    from lather.desktop.window.main_window import MainWindow

    warmup.run()  # a first start compiles in the background; this is about the job
    app = make_application()
    window = MainWindow()
    window.resize(1280, 800)
    window.show()
    app.processEvents()
    last, longest = [time.perf_counter()], [0.0]

    def beat() -> None:
        now = time.perf_counter()
        longest[0], last[0] = max(longest[0], now - last[0]), now

    timer = QTimer()
    timer.timeout.connect(beat)
    timer.start(5)
    start = time.perf_counter()
    window.open_path(path)
    told = {"window": time.perf_counter() - start}
    desk = window.screens["desk"]
    told["layers"] = sum(len(step.layers) for step in desk.canvas.engine.stack(window.job.job).steps)
    gauged: list[float] = []
    desk.gauging.gauged.connect(lambda _: gauged.append(time.perf_counter() - start))
    store = desk.canvas.store

    def photo_seen() -> bool:
        return bool(store._wanted) and all(store.image(*place) is not None for place in store._wanted)

    for name, there in (("photo", photo_seen), ("retouch", lambda: not desk.settling.waiting),
                        ("gauges", lambda: bool(gauged)), ("all", desk.idle)):
        while not there():
            app.processEvents()
            time.sleep(0.001)
        told[name] = time.perf_counter() - start
    told["stall"] = longest[0]
    window.job._saved_job = window.job.job
    begun = time.perf_counter()
    window.close_job()
    told["close"] = time.perf_counter() - begun
    window.close()
    return told


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--megapixels", type=float, default=24.0)
    parser.add_argument("--anew", action="store_true", help="make the job again")
    parser.add_argument("--times", type=int, default=3)
    parser.add_argument("--once", help=argparse.SUPPRESS)
    arguments = parser.parse_args()
    if arguments.once:
        with tempfile.TemporaryDirectory() as home:
            for own in ("CONFIG", "DATA", "STATE"):
                os.environ[f"XDG_{own}_HOME"] = home
            print(json.dumps(reopened(Path(arguments.once))), flush=True)
            os._exit(0)
    cache = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "lather"
    path = cache / f"reopen-{arguments.megapixels:g}.lather"
    if arguments.anew or not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        finished_job(path, arguments.megapixels)
    rows = []
    for _ in range(arguments.times):
        done = subprocess.run([sys.executable, __file__, "--once", str(path)], capture_output=True, text=True,
                              check=True)
        rows.append(json.loads(done.stdout.splitlines()[-1]))
        print({name: round(value, 2) for name, value in rows[-1].items()}, flush=True)
    print("median", {name: round(statistics.median(row[name] for row in rows), 2) for name in rows[0]})
    return 0


if __name__ == "__main__":
    sys.exit(main())
