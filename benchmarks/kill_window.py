"""Kills a real window at random moments, during saves too: nothing may be lost but the stroke under the pen.

    ./lather benchmarks kill_window [--kills 100] [--first 0]
"""

import argparse
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT)]
from tests.support.killing import kill_once
from tests.support.pictures import skin_like

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--kills", type=int, default=100)
    parser.add_argument("--first", type=int, default=0)
    arguments = parser.parse_args()
    strokes = bad = 0
    for seed in range(arguments.first, arguments.first + arguments.kills):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            photo = folder.parent / f"{folder.name}.png"
            write_picture(photo, skin_like(), profile=srgb_profile())
            (least, most), back, left = kill_once(folder, photo, seed)
            photo.unlink()
        strokes += least
        if not least <= back <= most or left:
            bad += 1
            print(f"kill {seed}: {least} to {most} strokes done, {back} brought back, left behind: {left}", flush=True)
    print(f"{arguments.kills} kills, {strokes} strokes said to be done, {bad} kills with a loss or a file left")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
