"""Single fine hairs on skin and out of the hairline, and fibres on cloth: how many are found, how many finds are right.

    ./lather benchmarks fine_lines_quality [--sitters wren,tilda] [--seeds 2]

A planted line is found where half of it lies within 3 px of a find of its kind; a find is right where half of it lies
so on a planted line. clean: finds on the same picture without planted lines (the sitter's own hairs over skin are
among them).
"""

import argparse
import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from down_quality import SITTERS, session_of

from lather.core.find.finder import look_at
from lather.core.practice.make import make_plate

SETS = {"short hairs": ({"short_hair": 12}, "hair_on_skin"), "hairline": ({"hairline_hair": 6}, "hair_on_skin"),
        "fibres": ({"fibre": 8}, "fibre")}


def on(a, b) -> bool:
    """True if half of a path lies on another."""
    away = np.hypot(*(np.array(a)[:, None] - np.array(b)).transpose(2, 0, 1)).min(1)
    return float((away < 3).mean()) >= 0.5


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--sitters", default=SITTERS)
    parser.add_argument("--seeds", type=int, default=1)
    parser.add_argument("--first", type=int, default=800)
    arguments = parser.parse_args()
    print(f"{'sitter':8} {'what':12} {'planted':>7} {'found':>6} {'finds':>6} {'right':>6} {'clean':>6}")
    sums = {}
    for sitter in arguments.sitters.split(","):
        for seed in range(arguments.first, arguments.first + arguments.seeds):
            clean = [f for f in look_at(session_of(make_plate(sitter, seed, flaws={}).photo).photo).finds if f.path]
            for what, (flaws, kind) in SETS.items():
                plate = make_plate(sitter, seed, flaws=flaws)
                if not plate.flaws:
                    continue
                finds = [f for f in look_at(session_of(plate.photo).photo).finds if f.kind == kind and f.path]
                found = sum(any(on(flaw.path, find.path) for find in finds) for flaw in plate.flaws)
                own = [f for f in finds if not any(on(f.path, one.path) for one in clean if one.kind == kind)]
                right = sum(any(on(find.path, flaw.path) for flaw in plate.flaws) for find in own)
                row = np.array([len(plate.flaws), found, len(own), right, sum(f.kind == kind for f in clean)])
                sums[what] = sums.get(what, 0) + row
                print(f"{sitter:8} {what:12} {row[0]:7} {row[1]:6} {row[2]:6} {row[3]:6} {row[4]:6}", flush=True)
    for what, row in sums.items():
        print(f"{what}: recall {row[1] / max(1, row[0]):.2f}, precision {row[3] / max(1, row[2]):.2f}, clean {row[4]}")


if __name__ == "__main__":
    main()
