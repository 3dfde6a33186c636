"""A hand that knows nothing, 5,000 times: random clicks, keys, drags and words over all screens.

    ./lather benchmarks monkey [--acts 5000] [--seed 1]

Exit code 1 where there was a traceback, or the window's thread answered nothing for over two seconds (of this machine
at its usual speed, told in the same run).
"""

import argparse
import faulthandler
import os
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT)]
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
_MOST_S, _HANGS_S = 2.0, 90.0


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--acts", type=int, default=5000)
    parser.add_argument("--seed", type=int, default=1)
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory() as home:
        for own in ("CONFIG", "DATA", "STATE"):
            os.environ[f"XDG_{own}_HOME"] = home
        os.environ |= {"HOME": home, "LATHER_OUTBOX": f"{home}/outbox"}
        os.chdir(home)
        code = run(Path(home), arguments.acts, arguments.seed)
    print("ended", flush=True)
    os._exit(code)


def run(home: Path, acts: int, seed: int) -> int:
    from random_hand import Monkey
    from tests.support.watchdog import slowness

    from lather.core import warmup
    from lather.core.colour.profiles import srgb_profile
    from lather.core.imageio.write import write_picture
    from lather.core.practice.make import make_plate
    from lather.core.session import Session
    from lather.desktop.app import make_application
    from lather.desktop.window.main_window import MainWindow

    warmup.run()
    warmup.read_ahead()
    files = []
    for name in ("wren", "pip"):
        plate = make_plate(name, 3, flaws={"blemish_dark": 9, "blemish_red": 5, "mole": 2})
        y, x = (n // 8 for n in plate.photo.shape[:2])
        files.append(home / f"{name}.png")
        write_picture(files[-1], plate.photo[y : 6 * y, 2 * x : 6 * x], profile=srgb_profile())
    files.append(home / "job.lather")
    Session.open(files[0]).save(files[-1])
    make_application()

    def made() -> MainWindow:
        window = MainWindow()
        window.resize(1280, 800)
        window.show()
        window.open_path(files[-1])
        return window

    monkey, slow, begun = Monkey(made, files, seed), [slowness()], time.monotonic()
    with monkey.at_work():
        for number in range(1, acts + 1):
            faults, stalls = len(monkey.faults), len(monkey.stalls)
            faulthandler.dump_traceback_later(_HANGS_S, exit=True)
            monkey.act()
            for text in monkey.faults[faults:]:
                print(f"{number}: FAULT after {monkey.done}\n{text}", flush=True)
            for stall in monkey.stalls[stalls:]:
                if stall.seconds > 1:
                    print(f"{number}: {stall} after {monkey.done[-2:]}", flush=True)
            if number % 250 == 0:
                slow.append(slowness())
                monkey._dog.fed()
                print(f"{number}: {dict(monkey.acts)}, {len(monkey.faults)} faults, longest "
                      f"{monkey._dog.longest.seconds:.2f} s, {time.monotonic() - begun:.0f} s", flush=True)
    usual = sorted(slow)[len(slow) // 2]
    over = [stall for stall in monkey.stalls if stall.seconds > _MOST_S * usual]
    print(f"{acts} acts, seed {seed}: {len(monkey.faults)} faults, {len(over)} stalls over {_MOST_S:g} s (machine "
          f"×{usual:.2f}), longest {monkey._dog.longest.seconds:.2f} s")
    return 1 if monkey.faults or over else 0


if __name__ == "__main__":
    main()
