"""What the finder reaches on plates: recall and precision of blemishes, moles taken for them, finds on clean plates.

    ./lather benchmarks find_quality [--seeds 20] [--sitters wren,… | --crowd 57-61] [--first 0]

Blemishes count from 5 px across and 4 ΔE. A find is right when its middle lies within half the flaw's size. Of other
kinds: the share of made flaws that some find lies on. Seeds differ from those the weights were fitted on.
"""

import argparse
import sys
import time
from collections import defaultdict
from pathlib import Path

import numpy as np

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)]
from made_photos import CROWD, clean

from lather.core.engine.photo import Photo
from lather.core.find.finder import find_all
from lather.core.imageio.picture import Picture
from lather.core.kinds.registry import stage_of_kind
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import sitter_names

FLAWS = {
    "blemish_dark": 12,
    "blemish_red": 10,
    "blemish_bright": 8,
    "mole": 3,
    "freckle": 10,
    "flake": 2,
    "scar": 1,
    "crease": 2,
    "hair_on_skin": 2,
    "vein_nose": 1,
    "makeup_fold": 1,
    "strap_mark": 1,
    "jewellery_mark": 1,
    "under_eye": 1,
    "cloth_speck": 3,
    "lens_mark": 2,
    "vein_eye": 1,
}
BLEMISHES = ("blemish_dark", "blemish_red", "blemish_bright")


def on(find, flaw) -> bool:
    """True if a find lies on a flaw."""
    if flaw.path is not None:
        spots = find.path if find.path is not None else [(find.x, find.y)]
        return any(min(np.hypot(a - x, b - y) for a, b in flaw.path) < 4 + flaw.width_px for x, y in spots)
    return np.hypot(find.x - flaw.x, find.y - flaw.y) < max(4.0, 0.5 * flaw.size_px)


def length_found(flaw, finds) -> float:
    """Share of a line's points near the path of some find."""
    points = [p for f in finds if f.path is not None for p in f.path]
    if not points:
        return 0.0
    points = np.array(points)
    return float(np.mean([np.hypot(*(points - p).T).min() < 8 + flaw.width_px for p in np.array(flaw.path)]))


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--seeds", type=int, default=20)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--sitters", default=",".join(sitter_names()))
    parser.add_argument("--crowd", metavar="NUMBERS", help="instead people of the crowd made clean, such as 57-61")
    arguments = parser.parse_args()
    totals = defaultdict(lambda: [0, 0])
    names = arguments.sitters.split(",")
    if arguments.crowd:
        first, last = (int(n) for n in arguments.crowd.split("-"))
        names = [str(CROWD / f"p{n:04d}.jpg") for n in range(first, last + 1)]
    for name in names:
        sitter = clean(name)
        hit = wanted = said = right = moles = moles_wrong = 0
        bare_finds, hairs, lengths, times = [], [], [], []
        kinds = defaultdict(lambda: [0, 0])
        for seed in range(arguments.first, arguments.first + arguments.seeds):
            plate = make_plate(sitter, seed, flaws=FLAWS)
            start = time.perf_counter()
            finds, _ = find_all(Photo(Picture(plate.photo), b"", name))
            times.append(time.perf_counter() - start)
            counted = [f for f in plate.flaws if f.kind in BLEMISHES and f.size_px >= 5 and f.contrast_de >= 4]
            claims = [f for f in finds if f.kind in BLEMISHES]
            hit += sum(any(on(c, flaw) for c in claims) for flaw in counted)
            wanted += len(counted)
            right += sum(any(on(c, flaw) for flaw in plate.flaws if flaw.kind in (*BLEMISHES, "flake")) for c in claims)
            said += len(claims)
            for flaw in plate.flaws:
                if flaw.kind == "mole":
                    moles += 1
                    moles_wrong += any(on(c, flaw) for c in claims)
                if flaw.kind not in BLEMISHES:
                    kinds[flaw.kind][0] += any(on(f, flaw) for f in finds)
                    kinds[flaw.kind][1] += 1
                if flaw.kind == "hair_on_skin":
                    lengths.append(length_found(flaw, finds))
            if seed % 2 == 0:
                bare = make_plate(sitter, seed, flaws={})
                none, _ = find_all(Photo(Picture(bare.photo), b"", name))
                none = [f for f in none if stage_of_kind(f.kind) not in ("even", "colour")]  # the sitter's own skin
                bare_finds.append(sum(f.kind not in ("stray_hair", "brow_hair") for f in none))
                hairs.append(len(none) - bare_finds[-1])
        print(
            f"{sitter.name:8} blemishes: recall {hit / wanted:.3f} precision {right / max(1, said):.3f}; "
            f"moles taken for them {moles_wrong / max(1, moles):.3f}; "
            f"clean plates: mean {np.mean(bare_finds):.1f}, most {max(bare_finds)} "
            f"(and {np.mean(hairs):.1f} of the sitter's own stray hairs); "
            f"hair length {np.mean(lengths):.2f}; {np.median(times):.1f} s",
            flush=True,
        )
        print("         " + ", ".join(f"{k} {a}/{b}" for k, (a, b) in sorted(kinds.items())), flush=True)
        for key, values in (("recall", (hit, wanted)), ("precision", (right, said)), ("moles", (moles_wrong, moles))):
            totals[key][0] += values[0]
            totals[key][1] += values[1]
    print({k: round(a / max(1, b), 3) for k, (a, b) in totals.items()})


if __name__ == "__main__":
    main()
