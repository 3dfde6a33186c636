"""Frames of 24 MP through `auto` and `render`: minutes, memory, and the share of the work that does not scale.

./lather benchmarks throughput [FRAMES] [MEGAPIXELS]

The first frames are done by one process on one core, then all by as many as there are cores; from both comes the share
that more workers do not shorten, and what that means on paper for each added worker.
"""

import os
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from pathlib import Path

import cv2
import numpy as np
import psutil

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parents[1])]

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture
from lather.core.practice.make import make_plate

SITTERS = ("wren", "tilda", "ambrose", "marlow")
FLAWS = {"blemish_dark": 14, "blemish_red": 12, "blemish_bright": 6, "mole": 4, "stray_hair": 12}
ALONE, DIFFERENT = 12, 12
_EVERY_S = 0.5


def make_frames(folder: Path, count: int, megapixels: float) -> list[Path]:
    """Portraits with known flaws, enlarged; a dozen are made, the others are those with other grain, some mirrored.
    JPEG as a camera writes it.
    """
    plates = [(make_plate(SITTERS[number % len(SITTERS)], 900 + number, flaws=FLAWS).photo // 257).astype(np.uint8)
              for number in range(min(count, DIFFERENT))]
    made = []
    for number in range(count):
        path = folder / f"frame-{number + 1:03d}.jpg"
        made.append(path)
        codes = plates[number % len(plates)][:, :: -1 if number // len(plates) % 2 else 1]
        scale = (megapixels * 1e6 / (codes.shape[0] * codes.shape[1])) ** 0.5
        large = cv2.resize(codes, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
        noise = np.random.default_rng(number).normal(0, 2.0, large.shape).astype(np.int8)
        write_picture(path, cv2.add(large, noise, dtype=cv2.CV_8U), profile=srgb_profile(), quality=92)
    return made


def run(arguments: list[str], cores: int) -> tuple[float, float]:
    """(seconds, most memory of all its processes together in GB) of a command, on so many cores."""
    environment = os.environ | {"PYTHONPATH": str(Path(__file__).parents[1] / "src")}
    start, most = time.monotonic(), 0
    done = subprocess.Popen([sys.executable, "-m", "lather", *arguments], env=environment, stdout=subprocess.DEVNULL,
                            stderr=subprocess.PIPE, text=True,
                            preexec_fn=lambda: os.sched_setaffinity(0, sorted(os.sched_getaffinity(0))[:cores]))
    root = psutil.Process(done.pid)
    while done.poll() is None:
        with suppress(psutil.Error):  # one ended while it was asked
            most = max(most, sum(one.memory_info().rss for one in (root, *root.children(recursive=True))))
        time.sleep(_EVERY_S)
    if done.returncode:
        raise SystemExit(done.stderr.read()[-2000:])
    return time.monotonic() - start, most / 1e9


def measure(what: str, command, frames: list[Path], workers: int) -> None:
    few = frames[: min(ALONE, len(frames))]
    alone, alone_gb = run(command(few, 1, "alone"), 1)
    together, together_gb = run(command(frames, workers, "together"), workers)
    one, each = alone / len(few), together / len(frames)
    share = min(1.0, max(0.0, (workers * each / one - 1) / (workers - 1)))
    print(f"{what}: one process on one core {one:.1f} s a frame, {alone_gb:.1f} GB · {workers} processes on {workers} "
          f"cores {each:.1f} s a frame, {together_gb:.1f} GB · {len(frames)} frames in {together / 60:.1f} min · "
          f"does not scale {100 * share:.0f} %", flush=True)
    paper = " · ".join(f"{n}: {100 * one * (share + (1 - share) / n) / 60:.0f}" for n in (1, 2, 4, 8, 16))
    print(f"   minutes for 100 frames by workers, on paper: {paper}", flush=True)


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    megapixels = float(sys.argv[2]) if len(sys.argv) > 2 else 24.0
    workers = max(2, os.cpu_count() or 2)
    with tempfile.TemporaryDirectory(prefix="lather-throughput-") as name:
        folder = Path(name)
        frames = make_frames(folder, count, megapixels)
        print(f"{count} frames of {megapixels:g} MP, {sum(f.stat().st_size for f in frames) / 1e6:.0f} MB", flush=True)

        def auto(photos: list[Path], jobs: int, to: str) -> list[str]:
            return ["auto", *map(str, photos), "--out", str(folder / to), "--job", str(folder / f"jobs-{to}"), "--jobs",
                    str(jobs), "--bits", "8"]

        def render(photos: list[Path], jobs: int, to: str) -> list[str]:
            kept = [str(folder / "jobs-together" / f"{photo.stem}.lather") for photo in photos]
            return ["render", *kept, "--out", str(folder / f"rendered-{to}"), "--jobs", str(jobs)]

        measure("auto", auto, frames, workers)
        measure("render", render, frames, workers)


if __name__ == "__main__":
    main()
