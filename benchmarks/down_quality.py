"""Down planted on the shipped sitters at three densities: how much of it Down takes out, and what else it takes.

    ./lather benchmarks down_quality [--sitters wren,tilda] [--seeds 1] [--find]

removed: 1 - energy of what is off the truth after, over that before, in the light of the planted fields, finer than
5 px (what a dense field adds to the light on the mean is the light of the skin then, and stays); all: of any size.
pores: spread of the finest texture there after, over the truth's. fields: how much of the planted fields' area is
outlined; hits: how much of what is outlined is planted. clean: share of the texture that is taken for hair on the same
skin without down, by zone, and its L*. --find: also kinds that the finders say of it, which are none.
"""

import argparse
import sys
import time
from collections import Counter
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from lather.core.colour.lab import srgb_lightness
from lather.core.engine.photo import Photo
from lather.core.find.finder import look_at
from lather.core.imageio.picture import Picture
from lather.core.job.history import History
from lather.core.job.model import new_job
from lather.core.measure.down import measure_down
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.take_out_down import down_everywhere
from lather.core.practice.flaws import down
from lather.core.practice.make import make_plate
from lather.core.session import Session

_FIELDS, _BROAD_PX = 5, 5.0
_FALSE = ("scar", "strap_mark", "crease", "jewellery_mark")
SITTERS = "wren,ambrose,tilda,pip,marlow"


def planted(sitter: str, seed: int, density: float):
    """A plate with nothing but fields of down of one density."""
    usual, down.DENSITIES = down.DENSITIES, (density,)
    try:
        return make_plate(sitter, seed, flaws={"down": _FIELDS})
    finally:
        down.DENSITIES = usual


def session_of(pixels) -> Session:
    photo = Photo(Picture(pixels), b"", "plate")
    return Session(photo, History(new_job(photo.source)))


def light(pixels) -> np.ndarray:
    values = pixels.astype(np.float32) / 65535 if pixels.dtype == np.uint16 else pixels
    return srgb_lightness(values)


def fields_of(plate) -> np.ndarray:
    drawn = np.zeros(plate.zones.shape, np.uint8)
    for flaw in plate.flaws:
        cv2.fillPoly(drawn, [np.round(np.array(flaw.outline)).astype(np.int32)], 1)
    return drawn > 0


def removed(session: Session, plate, leave: float = 0.0) -> tuple[float, float, float]:
    """(share of the fine energy removed, of all of it, texture against the truth's)."""
    command = down_everywhere(session.engine, session.job, leave)
    after = plate.photo if command is None else session.engine.pixels(command.apply(session.job), session.photo.bounds)
    photo, truth, now = light(plate.photo), light(plate.truth), light(after)
    where = fields_of(plate)
    away = [one - truth for one in (photo, now)]
    was, off = ((one - cv2.GaussianBlur(one, (0, 0), _BROAD_PX))[where] for one in away)
    energies = [float((one[where] ** 2).sum()) for one in away]
    fine = [(one - cv2.GaussianBlur(one, (0, 0), 2.0))[where] for one in (now, truth)]
    return (1 - float((off**2).sum() / max((was**2).sum(), 1e-6)), 1 - energies[1] / max(energies[0], 1e-6),
            float(fine[0].std() / fine[1].std()))


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--sitters", default=SITTERS)
    parser.add_argument("--seeds", type=int, default=1)
    parser.add_argument("--first", type=int, default=700)
    parser.add_argument("--find", action="store_true")
    arguments = parser.parse_args()
    print(f"{'sitter':8} {'/mm2':>5} {'removed':>8} {'all':>6} {'pores':>6} {'fields':>7} {'hits':>5} {'seconds':>8}")
    for sitter in arguments.sitters.split(","):
        for density in down.DENSITIES:
            for seed in range(arguments.first, arguments.first + arguments.seeds):
                plate = planted(sitter, seed, density)
                session = session_of(plate.photo)
                start = time.perf_counter()
                share, of_all, pores = removed(session, plate)
                took = time.perf_counter() - start
                seen = np.zeros(plate.zones.shape, np.uint8)
                for zone in measure_down(PhotoMeasures(session.photo)).zones:
                    if zone.seen:
                        cv2.fillPoly(seen, [np.round(np.array(zone.outline)).astype(np.int32)], 1)
                true = fields_of(plate)
                both = float((true & (seen > 0)).sum())
                wrong = ""
                if arguments.find:
                    finds = Counter(find.kind for find in look_at(session.photo).finds if find.kind in _FALSE)
                    wrong = ", ".join(f"{n} {kind}" for kind, n in finds.items())
                print(f"{sitter:8} {density:5.2f} {share:8.3f} {of_all:6.3f} {pores:6.3f} "
                      f"{both / max(true.sum(), 1):7.2f} {both / max(seen.sum(), 1):5.2f} "
                      f"{took:8.1f}  {wrong}", flush=True)
        clean = session_of(make_plate(sitter, arguments.first, flaws={}).photo)
        told = measure_down(PhotoMeasures(clean.photo))
        print(f"{sitter:8} clean: " + ", ".join(f"{zone.zone} {100 * zone.share:.1f} % ({zone.strength:.2f} L*)"
                                                for zone in told.zones), flush=True)


if __name__ == "__main__":
    main()
