"""Split on plates: the width proposed, and a blotchy cheek evened with Area and with Mix.

    ./lather benchmarks split_quality [--seeds 20] [--sitters wren,pip]

The sitters with a face large enough to outline its cheeks. width: proposed split width (px, % of face), and what the
tone at that width still keeps of the pore band. blotch: spread of L* between pore scale and feature scale inside each
evened area, after / before; this counts the sitter's own unevenness too. made: share of the made blotches that is
left, by regression of that band on what the blotches changed and on the truth. band: energy of the pore band there,
after / before, and after / truth. halo: 98th percentile of ΔE outside the bare skin within 2 % of the face.
"""

import argparse
import sys
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from lather.core.brush.values import Brush
from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.engine.engine import Engine
from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.model import Layer, Stroke, freeze_points, new_id, new_job
from lather.core.measure.bands import pore_band, texture_energy
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.bare_skin import skin_fence
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import SKIN, load_sitter
from lather.core.stages.registry import make_kinds
from lather.core.stages.split.bands import low_pass
from lather.core.types import as_float32

_MIX_PASSES = 2
_BLOTCHES = 60  # wanted; as many lie on the face as keep apart


def cheeks(face):
    """Outlines (n, 2) of both cheeks and the forehead, as a person would draw them."""
    origin, across, down = face.frame
    d = face.eye_distance_px
    angles = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    for u, v, a, b in ((-0.46, 0.56, 0.22, 0.19), (0.46, 0.56, 0.22, 0.19), (0.0, -0.52, 0.36, 0.12)):
        yield np.array([origin + d * ((u + a * np.cos(t)) * across + (v + b * np.sin(t)) * down) for t in angles])


def area_edits(face):
    for rim in cheeks(face):
        points = np.column_stack([rim, np.ones(len(rim)), np.zeros(len(rim))])
        yield Stroke(new_id(), "area", Brush(size_px=float(np.clip(0.07 * face.width_px, 4, 400)), edge=0.0),
                     freeze_points(points), feather=0.03 * face.width_px)


def mix_edits(face):
    """Small circles all over each outline, round and back, as a hand makes them."""
    size = float(np.clip(0.1 * face.width_px, 6, 800))
    turn = np.linspace(0, 2 * np.pi, 24)
    for rim in cheeks(face):
        low, high = rim.min(0), rim.max(0)
        for number in range(_MIX_PASSES):
            for y in np.arange(low[1], high[1], 0.4 * size):
                for x in np.arange(low[0], high[0], 0.4 * size):
                    if cv2.pointPolygonTest(rim.astype(np.float32), (float(x), float(y)), False) < 0:
                        continue
                    way = turn if number % 2 else -turn
                    circle = np.stack([x + 0.3 * size * np.cos(way), y + 0.3 * size * np.sin(way)], 1)
                    points = np.column_stack([circle, np.ones(24), np.zeros(24)])
                    yield Stroke(new_id(), "mix", Brush(size_px=size, edge=1.0, flow=0.06), freeze_points(points))


def blotch_band(lab, skin, face_px):
    """L* between pore scale and feature scale, nothing taken from outside the skin."""
    def blur(sigma):
        return cv2.GaussianBlur(lab[..., 0] * skin, (0, 0), sigma) / np.maximum(
            cv2.GaussianBlur(skin, (0, 0), sigma), 1e-3)

    return blur(0.006 * face_px) - blur(0.04 * face_px)


def spread_inside(values, areas):
    """Root mean square of what deviates from the mean of each area."""
    return float(np.sqrt((deviations(values, areas) ** 2).mean()))


def deviations(values, areas):
    """(n,) from the mean of each area: what one area has more light than another is form."""
    return np.concatenate([values[areas == n] - values[areas == n].mean() for n in range(1, areas.max() + 1)])


def made_left(after, before, truth, areas):
    """Share of what the blotches changed that is in `after` yet; what the sitter's own unevenness became is set apart.
    """
    own = deviations(truth, areas)
    terms = np.column_stack([deviations(before, areas) - own, own])
    return float(np.linalg.lstsq(terms, deviations(after, areas), rcond=None)[0][0])


def one(sitter, seed):
    plate = make_plate(sitter, seed, flaws={"blotch": _BLOTCHES})
    photo = Photo(Picture(plate.photo), b"", "plate")
    measures = PhotoMeasures(photo)
    scale, face_px = measures.texture_scale, measures.face_width_px
    skin = (plate.zones == SKIN).astype(np.float32)
    whole = as_float32(plate.photo)
    before = srgb_to_lab(whole)
    tone = srgb_to_lab(np.clip(low_pass(whole, scale.split_px, False), 0, 1))
    inside = cv2.erode(skin, np.ones((25, 25), np.uint8)) > 0.5
    pores_left = float(pore_band(tone, face_px)[inside].var() / pore_band(before, face_px)[inside].var())
    fence = skin_fence(measures)
    rows = {}
    areas = np.zeros(plate.zones.shape, np.uint8)
    margin = 2 * int(0.035 * face_px) + 1
    for number, rim in enumerate(cheeks(measures.face), 1):
        own = cv2.fillPoly(np.zeros_like(areas), [np.round(rim).astype(np.int32)], 1)
        areas[cv2.erode(own, np.ones((margin, margin), np.uint8)) > 0] = number
    areas[fence.coverage(photo.bounds) <= 0.99] = 0
    where = areas > 0
    truth = srgb_to_lab(as_float32(plate.truth))
    was = blotch_band(before, skin, face_px), blotch_band(truth, skin, face_px)
    pores = where.astype(np.float32)
    outside = cv2.dilate(skin, np.ones((2 * int(0.02 * face_px) + 1,) * 2, np.uint8)) > 0.5
    outside &= skin < 0.5
    for name, edits in (("area", area_edits), ("mix", mix_edits)):
        job = new_job(photo.source)
        layer = Layer(new_id(), name, "split", edits=tuple(edits(measures.face)), fence=fence,
                      settings={"band": "tone", "width_px": scale.split_px, "edge_keeping": True})
        job = job.with_stage(replace(job.stage("split"), layers=(layer,)))
        after = srgb_to_lab(np.clip(Engine(photo, make_kinds()).pixels(job, photo.bounds), 0, 1))
        now = blotch_band(after, skin, face_px)
        kept = [texture_energy(after, pores, face_px) / texture_energy(lab, pores, face_px) for lab in (before, truth)]
        halo = delta_e2000(cv2.GaussianBlur(after, (0, 0), 2), cv2.GaussianBlur(before, (0, 0), 2))[outside]
        spread = spread_inside(now, areas) / spread_inside(was[0], areas)
        rows[name] = (spread, made_left(now, *was, areas), *kept, np.percentile(halo, 98))
    return scale.split_px, scale.split_px / face_px, pores_left, rows


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--seeds", type=int, default=20)
    parser.add_argument("--first", type=int, default=50)
    parser.add_argument("--sitters", default="wren,ambrose,tilda,pip")
    arguments = parser.parse_args()
    for name in arguments.sitters.split(","):
        sitter, results = load_sitter(name), []
        for seed in range(arguments.first, arguments.first + arguments.seeds):
            results.append(one(sitter, seed))
        width, share, left = np.mean([r[:3] for r in results], axis=0)
        print(f"{name:8} split {width:5.2f} px ({100 * share:.2f} % of the face), "
              f"keeps {100 * left:.1f} % of the pores")
        for tool in ("area", "mix"):
            values = np.array([r[3][tool] for r in results])
            spread, made, band, of_truth, halo = values.T
            print(f"{'':8} {tool:5} blotch left {spread.mean():.2f} (most {spread.max():.2f})  made {made.mean():.2f} "
                  f"({made.max():.2f})  band {band.mean():.3f} ({band.min():.3f}–{band.max():.3f})  of truth "
                  f"{of_truth.mean():.3f} ({of_truth.min():.3f}–{of_truth.max():.3f})  halo {halo.max():.2f} ΔE",
                  flush=True)


if __name__ == "__main__":
    main()
