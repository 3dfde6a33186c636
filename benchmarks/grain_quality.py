"""Grain put back where earlier stages took it: energy of the finest band after / photo, on smoothed skin and ground.

    ./lather benchmarks grain_quality [--seeds 20] [--sitters wren,pip]

A veil at full strength over a square of skin takes most grain; the Grain stage puts it back. Two cameras by turns: fine
grain of 0.6 %, coarser grain of 1.2 %. untouched: largest change outside the square, which must be 0.

"put back" is of the whole finest band, in which skin has pores too. "grain alone" is of the added grain, which is
known: the energy that the same steps have on the same plate without grain is taken off before and after. "usual" is
the whole finest band again, by the median of its size in place of its energy: on glossy skin a few glints hold most of
the energy, and what lies between them, which is what the eye compares, hardly counts.
"""

import argparse
import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from dataclasses import replace

from lather.core.brush.values import Brush
from lather.core.engine.engine import Engine
from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.fence import Fence
from lather.core.job.model import Layer, Stroke, freeze_points, new_id, new_job
from lather.core.measure.grain import measure_grain
from lather.core.practice.grain import Grain
from lather.core.practice.make import make_plate
from lather.core.practice.places import Places
from lather.core.practice.sitters import SKIN, load_sitter
from lather.core.stages.grain.kind import grain_settings
from lather.core.stages.grain.missing import spacing
from lather.core.stages.registry import make_kinds
from lather.core.types import Rect

_CAMERAS = (Grain(0.6, 0.6, 0.3), Grain(1.2, 1.0, 0.2))
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


def finest(light, d):
    """Diagonal differences over d px, of the picture's size."""
    core = (light[d:, d:] - light[d:, :-d] - light[:-d, d:] + light[:-d, :-d]) / 2
    return np.pad(core, ((0, d), (0, d)), mode="edge")


def one(sitter, seed, zone):
    camera = _CAMERAS[seed % 2]
    plate = make_plate(sitter, seed, flaws={}, grain=camera)
    calm = make_plate(sitter, seed, flaws={}, grain=replace(camera, level_percent=0.0))
    rng = np.random.default_rng(seed)
    side = int(14 * sitter.pixels_per_mm)
    clear = Places(sitter, rng, 0).clear(zone)
    ys, xs = np.nonzero(clear > 0.75 * side)
    if not len(ys):
        ys, xs = np.nonzero(clear >= 0.95 * clear.max())
        side = int(clear.max())
    at = rng.integers(len(ys))
    x, y = int(xs[at]), int(ys[at])
    photo, without = (Photo(Picture(p.photo), b"", "plate") for p in (plate, calm))
    engine, job = Engine(photo, make_kinds()), new_job(photo.source)
    square = Rect(x - side // 2, y - side // 2, x + side // 2, y + side // 2)
    fence = Fence((((square.x0, square.y0), (square.x1, square.y0), (square.x1, square.y1), (square.x0, square.y1)),),
                  2.0)
    stroke = Stroke(new_id(), "veil", Brush(size_px=min(2000.0, 3.0 * side), edge=0.0), freeze_points([[x, y, 1, 0]]),
                    fence=fence)
    veil = Layer(new_id(), "Veil", "split", edits=(stroke,), settings={"band": "veil", "width_px": 6.0})
    job = job.with_stage(replace(job.stage("split"), layers=(veil,)))
    model = measure_grain(photo)
    grain = Layer(new_id(), "Grain", "grain", settings=grain_settings(model))
    full = job.with_stage(replace(job.stage("grain"), layers=(grain,)))
    wide = square.expand(40).intersect(photo.bounds)
    bare = Engine(without, make_kinds())
    was, smooth, after, pores, smooth_pores = (p @ _LUMINANCE for p in (
        photo.read(wide), engine.pixels(job, wide), engine.pixels(full, wide),
        without.read(wide), bare.pixels(job, wide),
    ))
    inner = square.expand(-4).slices(wide)
    d = spacing(model.size_px)
    usual = [float(np.median(np.abs(finest(p, d)[inner]))) for p in (was, after)]
    energy = [float((finest(p, d)[inner] ** 2).mean()) for p in (was, smooth, after, pores, smooth_pores)]
    alone = np.sqrt(max(energy[2] - energy[4], 0) / max(energy[0] - energy[3], 1e-12))
    outside = np.ones(was.shape, bool)
    outside[square.expand(1).slices(wide)] = False
    untouched = float(np.abs(after - was)[outside].max())
    return np.sqrt(energy[1] / energy[0]), np.sqrt(energy[2] / energy[0]), untouched, alone, usual[1] / usual[0]


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--seeds", type=int, default=20)
    parser.add_argument("--sitters", default="wren,ambrose,tilda,pip,marlow")
    arguments = parser.parse_args()
    print(f"{'sitter':8} {'on':7} {'smoothed':>9} {'put back: mean':>15} {'least':>6} {'most':>6} {'untouched':>10} "
          f"{'grain alone':>12} {'least':>6} {'most':>6} {'usual':>6} {'least':>6} {'most':>6}")
    for name in arguments.sitters.split(","):
        sitter = load_sitter(name)
        for zone, label in ((SKIN, "skin"), (0, "ground")):
            rows = np.array([one(sitter, seed, zone) for seed in range(arguments.seeds)])
            print(f"{name:8} {label:7} {rows[:, 0].mean():9.3f} {rows[:, 1].mean():15.3f} {rows[:, 1].min():6.3f} "
                  f"{rows[:, 1].max():6.3f} {rows[:, 2].max():10.6f} "
                  f"{rows[:, 3].mean():12.3f} {rows[:, 3].min():6.3f} {rows[:, 3].max():6.3f} "
                  f"{rows[:, 4].mean():6.3f} {rows[:, 4].min():6.3f} {rows[:, 4].max():6.3f}", flush=True)


if __name__ == "__main__":
    main()
