"""Stray hairs cleared on plates: length gone, error of the ground, grain, hair mass; beside the general methods.

    ./lather benchmarks strand_quality [--seeds 20] [--sitters wren,tilda] [--grounds own,light,dark,graded,cloth]

gone: share of the length of made hairs over plain ground that was seen (over 2 ΔE) and is under 1.5 ΔE of the
truth after. error: ΔE00 to the truth inside the bands there, low-passed. grain: usual size (median) of the finest
differences there, after / truth, so that a faint rest of a hair is not taken for grain: "gone" counts that.
Plain ground: where the truth has no hair of its own (the sitters' fringes are cleared too, but their truth has them).
mass: share of hair deeper than 3 px, away from made hairs, that changed. The other methods get the same mask.
"""

import argparse
import sys
import time
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.engine.engine import Engine
from lather.core.engine.photo import Photo
from lather.core.find.lines.stray_hairs import find_strands
from lather.core.find.scene import FindScene
from lather.core.imageio.picture import Picture
from lather.core.job.model import new_job
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.edit_for_find import mend_all
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import GROUNDS, HAIR, load_sitter, on_ground
from lather.core.stages.registry import make_kinds

_HAIRS = 20


def tone_lab(rgb):
    return srgb_to_lab(cv2.GaussianBlur(np.clip(rgb, 0, 1), (0, 0), 2.0))


def finest(rgb):
    grey = rgb.mean(-1)
    return np.abs(grey[1:, 1:] - grey[1:, :-1] - grey[:-1, 1:] + grey[:-1, :-1])


def figures(plate, after, band, ground):
    truth = plate.truth.astype(np.float32) / 65535
    photo = plate.photo.astype(np.float32) / 65535
    labs = [srgb_to_lab(cv2.GaussianBlur(p, (0, 0), 1.0)) for p in (photo, truth, after)]
    was, now = delta_e2000(labs[0], labs[1]), delta_e2000(labs[2], labs[1])
    seen = gone = 0.0
    for flaw in plate.flaws:
        path = np.array(flaw.path)
        steps, middle = np.hypot(*np.diff(path, axis=0).T), ((path[1:] + path[:-1]) / 2).astype(int)
        visible = (was[middle[:, 1], middle[:, 0]] > 2) & ground[middle[:, 1], middle[:, 0]]
        seen += steps[visible].sum()
        gone += steps[visible & (now[middle[:, 1], middle[:, 0]] <= 1.5)].sum()
    where = band & ground
    error = delta_e2000(tone_lab(after)[where], tone_lab(truth)[where])
    grain = float(np.median(finest(after)[where[1:, 1:]]) / np.median(finest(truth)[where[1:, 1:]]))
    mass = cv2.distanceTransform((plate.zones == HAIR).astype(np.uint8), cv2.DIST_L2, 5) > 3
    mass &= ~cv2.dilate(made_band(plate, 6).astype(np.uint8), np.ones((3, 3))).astype(bool)
    changed = float((np.abs(after - photo).max(-1)[mass] > 0.01).mean())
    return gone / max(seen, 1), float(error.mean()), float(np.percentile(error, 95)), grain, changed


def plain_ground(plate):
    """Background without hair of the sitter's own within some pixels."""
    light = srgb_to_lab(plate.truth.astype(np.float32) / 65535)[..., 0]
    rough = cv2.GaussianBlur(np.abs(light - cv2.GaussianBlur(light, (0, 0), 4.0)), (0, 0), 1.5)
    ground = plate.zones == 0
    usual = np.median(rough[ground])
    strange = cv2.dilate((rough > 2.2 * usual + 0.1).astype(np.uint8), np.ones((9, 9), np.uint8))
    return ground & (strange == 0)


def made_band(plate, width):
    canvas = np.zeros(plate.zones.shape, np.uint8)
    for flaw in plate.flaws:
        cv2.polylines(canvas, [np.round((np.array(flaw.path) - 0.5) * 16).astype(np.int32)], False, 1, width, 8, 4)
    return canvas > 0


def others(plate, band):
    photo8 = (plate.photo / 257).round().astype(np.uint8)
    mask = band.astype(np.uint8)
    yield "inpaint NS", cv2.inpaint(photo8, mask, 3, cv2.INPAINT_NS)
    yield "inpaint Telea", cv2.inpaint(photo8, mask, 3, cv2.INPAINT_TELEA)
    median = cv2.medianBlur(photo8, 21)
    yield "median 21 px", np.where(band[..., None], median, photo8)


def one(sitter, ground, seed, compare):
    plate = make_plate(on_ground(load_sitter(sitter), ground), seed, flaws={"stray_hair": _HAIRS})
    photo = Photo(Picture(plate.photo), b"", "plate")
    engine, job = Engine(photo, make_kinds()), new_job(photo.source)
    start = time.perf_counter()
    finds = find_strands(FindScene(PhotoMeasures(photo)))
    found_in = time.perf_counter() - start
    start = time.perf_counter()
    command, count = mend_all(engine, job, finds, "")
    job = command.apply(job) if command else job
    after = engine.pixels(job, photo.bounds)
    took = time.perf_counter() - start
    edited = np.zeros(plate.zones.shape, np.uint8)
    for edit in job.edits():
        path = np.round((edit.points[:, :2] - 0.5) * 16).astype(np.int32)
        cv2.polylines(edited, [path], False, 1, max(1, round(edit.brush.size_px)), 8, 4)
    # the sitter's own flyaways stand in the truth: figures of the ground are taken where a made hair was
    near = made_band(plate, 5) & (edited > 0)
    ground_mask = plain_ground(plate)
    rows = [("Lather", *figures(plate, after, near, ground_mask))]
    for name, picture in others(plate, made_band(plate, 7)) if compare else ():
        rows.append((name, *figures(plate, picture.astype(np.float32) / 255, near, ground_mask)))
    return rows, count, found_in, took


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--seeds", type=int, default=20)
    parser.add_argument("--first", type=int, default=100)
    parser.add_argument("--quick", action="store_true", help="without the other methods (else on the first seed)")
    parser.add_argument("--sitters", default="wren,ambrose,tilda,pip,marlow")
    parser.add_argument("--grounds", default=",".join(GROUNDS))
    arguments = parser.parse_args()
    print(f"{'sitter':8} {'ground':7} {'method':14} {'gone':>6} {'ΔE':>6} {'p95':>6} {'grain':>6} {'mass':>7}")
    for sitter in arguments.sitters.split(","):
        for ground in arguments.grounds.split(","):
            table, counts, times = {}, [], []
            for seed in range(arguments.first, arguments.first + arguments.seeds):
                rows, count, found_in, took = one(sitter, ground, seed, seed == arguments.first and not arguments.quick)
                counts.append(count)
                times.append((found_in, took))
                for name, *values in rows:
                    table.setdefault(name, []).append(values)
            for name, values in table.items():
                gone, error, p95, grain, mass = np.mean(values, axis=0)
                print(f"{sitter:8} {ground:7} {name:14} {gone:6.3f} {error:6.2f} {p95:6.2f} {grain:6.3f} {mass:7.4f}")
            print(f"{'':17}{np.mean(counts):.0f} hairs cleared; found in {np.mean(times, 0)[0]:.1f} s, "
                  f"cleared in {np.mean(times, 0)[1]:.1f} s", flush=True)


if __name__ == "__main__":
    main()
