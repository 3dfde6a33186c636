"""Sculpt on the five sitters with all proposals at the starting share.

    ./lather benchmarks sculpt_quality [--sitters wren,pip] [--share 0.25]

proposed, left out: paths. light, shade: most stops laid down. modelling, colour life, texture: after / before, in %.
clipped: pixels that were not before. edges: 95th percentile of |ΔL*| on the edge of the lips, on lashes and brows,
and on the hairline.
"""

import argparse
import sys
from functools import partial
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from lather.core.colour.lab import srgb_lightness, srgb_to_lab
from lather.core.engine.engine import Engine
from lather.core.engine.photo import Photo
from lather.core.gauges.compared import Compared
from lather.core.gauges.registry import GAUGES
from lather.core.imageio.picture import Picture
from lather.core.job.commands import SetFinds
from lather.core.job.model import new_job
from lather.core.measure.bands import modelling_spread, texture_energy
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.sitters import BROWS, HAIR, LIPS, SKIN, load_sitter
from lather.core.stages.registry import make_kinds
from lather.core.stages.sculpt.paths import SHARE, laid_stops, lay_command, proposals


def rim(zones: np.ndarray, zone: int) -> np.ndarray:
    own = (zones == zone).astype(np.uint8)
    edge = cv2.morphologyEx(own, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0
    skin = cv2.dilate((zones == SKIN).astype(np.uint8), np.ones((5, 5))) > 0
    return edge & skin


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--sitters", default="ambrose,marlow,pip,tilda,wren")
    parser.add_argument("--share", type=float, default=SHARE)
    arguments = parser.parse_args()
    print("sitter   proposed out  light  shade  modelling  colour  texture  clipped  edges: lips lashes hairline")
    for name in arguments.sitters.split(","):
        sitter = load_sitter(name)
        photo = Photo(Picture(sitter.picture.pixels), name.encode(), name)
        engine, measures = Engine(photo, make_kinds()), PhotoMeasures(photo)
        job = SetFinds((), measures.face, measures.faces[1:]).apply(new_job(photo.source))
        rows = proposals(engine, job)
        command = lay_command(job, rows, arguments.share)
        if command is None:
            print(f"{name:8} nothing is proposed")
            continue
        done, width = command.apply(job), measures.face.width_px
        before, after = (engine.pixels(j, photo.bounds) for j in (job, done))
        labs = [srgb_to_lab(p) for p in (before, after)]
        skin = (sitter.zones == SKIN).astype(np.float32)
        if name == "marlow":  # a whole body: what is done to the face is judged there
            low, high = measures.face.mesh_px.min(0).astype(int), measures.face.mesh_px.max(0).astype(int)
            on_face = np.zeros_like(skin)
            on_face[low[1] : high[1], low[0] : high[0]] = 1
            skin *= on_face
        modelling = np.divide(*(modelling_spread(lab[..., 0], skin, width) for lab in labs[::-1]))
        texture = np.divide(*(texture_energy(lab, skin, width) for lab in labs[::-1]))
        pictures = Compared(photo.bounds, photo.profile, photo.read, partial(engine.pixels, done), measures,
                            zones=sitter.zones)
        colour = GAUGES["colour_life"].measure(pictures)
        change = np.abs(srgb_lightness(after) - srgb_lightness(before))
        edges = [np.percentile(change[where], 95) if where.any() else 0.0 for where in
                 (rim(sitter.zones, LIPS), sitter.zones == BROWS, rim(sitter.zones, HAIR))]
        clipped = int(((after >= 1) & (before < 1)).sum())
        light, shade = laid_stops(engine, done)
        print(f"{name:8} {sum(not one.left_out for one in rows):8} {sum(bool(one.left_out) for one in rows):3}  "
              f"{light:+.2f}  {-shade:+.2f}  {100 * modelling:8.1f}  {colour:6.1f}  {100 * texture:7.1f}  {clipped:7}  "
              f"      {edges[0]:.2f}   {edges[1]:.2f}     {edges[2]:.2f}", flush=True)
        for one in rows:
            stops = one.left_out or f"{one.stops(arguments.share):+.2f}"
            print(f"         {one.label:24} {stops:>12}  follows {np.mean(one.follows):.2f}")


if __name__ == "__main__":
    main()
