"""Damaged files of every format, and jobs with damaged documents, arrays and directories, thousands of them; and what
others hand in at every other door: answers, logbooks, sittings, records, presets, settings, texts.

    ./lather benchmarks fuzz_files [--cases 20000] [--first 0] [--doors]

Each case is seeded by its number. One process opens them, watched by another: whatever is not a success or one clear
sentence is a fault, and so are more than 10 s or 3 GB for one case. Exit code 1 where there was one.
"""

import argparse
import os
import queue
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from collections import Counter
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT)]
MOST_SECONDS, MOST_GB = 10.0, 3.0


def peak_gb() -> float:
    """Largest resident memory since it was last reset."""
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmHWM"):
            return int(line.split()[1]) / 1024**2
    return 0.0


def tried_file(number: int, folder: Path) -> tuple[str, str]:
    """(name, what was said) of a case: a photo or a job."""
    from tests.support.mutations import case
    from tests.support.try_file import try_file

    name, data = case(number)
    path = folder / name
    path.write_bytes(data)
    return name, try_file(path, thorough=number % 10 == 0)


def work(first: int, last: int, doors: bool) -> None:
    """Prints a line for each case: its number, seconds, GB, and what came of it."""
    from tests.support.doors import try_door

    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_STATE_HOME"] = f"{folder}/state"
        for number in range(first, last):
            name = "-"
            print(f"{number} begun", flush=True)
            Path("/proc/self/clear_refs").write_text("5")
            start = time.perf_counter()
            try:
                name, said = (try_door if doors else tried_file)(number, Path(folder))
                outcome = f"said {said[:60]!r}" if said else "opened"
            except BaseException:
                outcome = "FAULT " + traceback.format_exc().strip().replace("\n", " | ")[-700:]
            print(f"{number} {time.perf_counter() - start:.3f} {peak_gb():.2f} {name} {outcome}", flush=True)


def hand_on(stream, lines: queue.Queue) -> None:
    for line in stream:
        lines.put(line)
    lines.put(None)


def watch(first: int, last: int, doors: bool) -> tuple[Counter, list[str], float, float]:
    """(outcomes, faults, longest seconds, most GB) of the cases; a worker that hangs or dies is begun anew after it."""
    outcomes, faults, longest, most = Counter(), [], 0.0, 0.0
    at = first
    while at < last:
        worker = subprocess.Popen(
            [sys.executable, __file__, "--work", str(at), str(last), *["--doors"] * doors], stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL, text=True, env=os.environ | {"PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"},
        )
        lines: queue.Queue = queue.Queue()
        threading.Thread(target=hand_on, args=(worker.stdout, lines), daemon=True).start()
        while True:
            try:
                line = lines.get(timeout=MOST_SECONDS + 30)
            except queue.Empty:
                line = None
            if line is None:
                break
            number, *rest = line.split(" ", 4)
            if rest[0].strip() == "begun":
                at = int(number)
                continue
            seconds, gb, outcome = float(rest[0]), float(rest[1]), rest[3]
            if seconds > longest:
                print(f"longest so far: {line.strip()}", flush=True)
            longest, most, at = max(longest, seconds), max(most, gb), int(number) + 1
            word = outcome.split(" ")[0].strip()
            outcomes[f"{rest[2]} {word}" if doors else word] += 1
            if outcome.startswith("FAULT") or seconds > MOST_SECONDS or gb > MOST_GB:
                faults.append(line.strip())
                print(line.strip(), flush=True)
            if at % 2000 == 0:
                print(f"{at}: {dict(outcomes)}, longest {longest:.1f} s, most {most:.2f} GB", flush=True)
        worker.kill()
        worker.wait()
        if at < last:
            faults.append(f"{at} hung or died")
            print(faults[-1], flush=True)
            at += 1
    return outcomes, faults, longest, most


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--cases", type=int, default=20_000)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--doors", action="store_true", help="all other doors instead of photos and jobs")
    parser.add_argument("--work", nargs=2, type=int, help=argparse.SUPPRESS)
    arguments = parser.parse_args()
    if arguments.work:
        work(*arguments.work, arguments.doors)
        return 0
    start = time.monotonic()
    outcomes, faults, longest, most = watch(arguments.first, arguments.first + arguments.cases, arguments.doors)
    took = time.monotonic() - start
    print(f"{sum(outcomes.values())} cases in {took:.0f} s: {dict(outcomes)}; {len(faults)} faults; "
          f"longest {longest:.1f} s, most {most:.2f} GB")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
