"""Shape: the field under random pushes, planted forms undone by strokes, texture kept, both sides alike.

    ./lather benchmarks shape_quality [--sitters tilda,wren,ambrose] [--seeds 4] [--pushes 10000]

pushes: least area of skin (folds at 0), what is not finite, largest step over the frame's border, worst of
to_above(to_below(p)) - p in px. cheek: largest move that is left of a planted one after three pushes as a hand makes
them, in %. bump: the same of a bump in the hair at its crest, after up to eight strokes of Tuck. texture: high-passed
skin after a move of 3 % of the face's width, against before, at three radii (px). held: px by which anything moves in
a held area. lines: bend of the worst line behind before and after it is held, px.
"""

import argparse
import sys
import time
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from lather.core.brush.values import Brush
from lather.core.engine.live import LiveStroke
from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.history import History
from lather.core.job.model import Layer, Stage, Stroke, freeze_points, new_id, new_job
from lather.core.measure.lines_behind import lines_behind
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.flaws.warps import planted_move
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import SKIN, load_sitter, on_ground
from lather.core.session import Session
from lather.core.stages.base import Step
from lather.core.stages.shape.grid import areas
from lather.core.stages.shape.layers import Moves
from lather.core.stages.shape.lines import hold_of
from lather.core.stages.shape.readout import moves_of
from lather.core.types import Rect

_MOST_TUCKS = 8
_RADII = (1.0, 2.0, 4.0)


def stroke(tool: str, places, size: float, order: int = 1, **brush) -> Stroke:
    rows = [(x, y, 1, 0.05 * n) for n, (x, y) in enumerate(places)]
    values = {"edge": 1.0, "ceiling": 1.0, "flow": 1.0, "size_px": float(np.clip(size, 1, 2000))} | brush
    return Stroke(new_id(), tool, Brush(**values), freeze_points(rows), order=order)


def pushes(count: int) -> None:
    rng, bounds = np.random.default_rng(1), Rect(0, 0, 1500, 1100)
    edits = []
    for n in range(count):
        size = float(np.exp(rng.uniform(np.log(8), np.log(900))))
        way = rng.uniform([-50, -50], [1550, 1150]) + np.cumsum(rng.normal(0, 0.25 * size, (rng.integers(2, 6), 2)), 0)
        tool = str(rng.choice(["push", "push", "push", "swell", "draw_in"]))
        edits.append(stroke(tool, way, size, n + 1, edge=float(rng.uniform(0, 1)),
                            ceiling=float(rng.uniform(0.05, 1)), flow=float(rng.uniform(0.05, 1))))
    layer = Layer("a", "a", "shape", edits=tuple(edits))
    start = time.perf_counter()
    field = Moves(10**9).field(Step(Stage("shape", layers=(layer,)), (layer,), bounds=bounds))
    took = time.perf_counter() - start
    places = rng.uniform([0, 0], [1500, 1100], (200_000, 2))
    least = 1 / areas(field.backward, field.grid.dx, field.grid.dy, places).max()
    odd = int((~np.isfinite(field.forward)).sum() + (~np.isfinite(field.backward)).sum())
    side = np.column_stack([np.repeat([0.0, 1500.0], 500), np.tile(np.linspace(0, 1100, 500), 2)])
    top = np.column_stack([np.tile(np.linspace(0, 1500, 500), 2), np.repeat([0.0, 1100.0], 500)])
    border = max(np.abs((field.to_below(edge) - edge)[:, axis]).max() for axis, edge in enumerate((side, top)))
    there = np.abs(field.to_above(field.to_below(places)) - places).max()
    print(f"{count} pushes in {took:.0f} s: largest {field.largest[0]:.0f} px, least area {least:.3f}, "
          f"not finite {odd}, border {border:.1e} px, there and back {there:.4f} px")


def session_of(plate) -> Session:
    photo = Photo(Picture(plate.photo), str(plate.seed).encode(), "photo.png")
    return Session(photo, History(new_job(photo.source)))


def by_hand(session: Session, edits: list[Stroke]):
    """Strokes as the pen makes them, one after the other; returns the warp."""
    layer = Layer(new_id(), "By hand", "shape")
    job = session.job.with_stage(replace(session.job.stage("shape"), layers=(layer,)))
    for edit in edits:
        live = LiveStroke(session.engine, job, "shape", layer.id, replace(edit, points=edit.points[:1]))
        for point in edit.points:
            live.extend(point[None])
        done = live.finish().edit
        if done is not None:
            layer = replace(job.stage("shape").layers[0], edits=(*job.stage("shape").layers[0].edits, done))
            job = job.with_layer("shape", layer)
    return session.engine.warp(job), job


def cheek_left(plate, flaw: dict) -> float:
    session = session_of(plate)
    move, at = np.array(flaw["move"]), np.array([flaw["x"], flaw["y"]])
    edits, here = [], at + move
    for share in (0.5, 0.5, 0.3):
        steps = [here - 0.5 * move - s * share * move for s in np.linspace(0, 1, 9)]
        edits.append(stroke("push", steps, 1.95 * flaw["reach_px"], flow=0.8))
    warp, _ = by_hand(session, edits)
    ys, xs = np.mgrid[-1:1:60j, -1:1:60j]
    places = at + flaw["reach_px"] * np.stack([xs, ys], -1).reshape(-1, 2)
    bounds = session.photo.bounds
    places = places[((places > 2) & (places < np.array([bounds.x1, bounds.y1]) - 2)).all(1)]
    below = warp.to_below(places)
    return 100 * float(np.hypot(*(below - planted_move(flaw, below) - places).T).max() / np.hypot(*move))


def bump_left(plate, flaw: dict) -> float:
    session = session_of(plate)
    move = np.array(flaw["move"])
    out, reach = move / np.hypot(*move), flaw["reach_px"]
    crest, along = np.array([flaw["x"], flaw["y"]]) + move, np.array([-out[1], out[0]])
    way = [crest + a * reach * along for a in np.linspace(-0.55, 0.55, 9)]
    for count in range(1, _MOST_TUCKS + 1):  # as often as it takes, as a hand does
        warp, _ = by_hand(session, [stroke("tuck", way, 1.5 * reach, ceiling=0.6, flow=0.5) for _ in range(count)])
        moved = warp.to_above(crest[None])[0] - crest
        if np.hypot(*moved) > 0.85 * np.hypot(*move):
            break
    return 100 * float(np.hypot(*(moved + move)) / np.hypot(*move))


def texture(plate, face_px: float) -> tuple[list[float], float]:
    session = session_of(plate)
    ys, xs = np.nonzero(plate.zones == SKIN)
    x, y = float(np.median(xs)), float(np.median(ys))
    hold = stroke("hold", [(x + 0.2 * face_px, y), (x + 0.2 * face_px, y + 0.1 * face_px)], 0.12 * face_px, 1, edge=0.3)
    push = stroke("push", [(x - 0.015 * face_px, y), (x + 0.015 * face_px, y + 0.01 * face_px)], 0.6 * face_px, 2)
    held, _ = by_hand(session, [hold, push])  # the hold stops the push: texture is asked for where it goes all the way
    warp, job = by_hand(session, [push])
    area = Rect(*(int(v) for v in (x - 0.2 * face_px, y - 0.2 * face_px, x + 0.12 * face_px, y + 0.2 * face_px)))
    after, photo = session.engine.pixels(job, area).mean(-1), session.photo.read(session.photo.bounds).mean(-1)
    places = np.stack(np.meshgrid(np.arange(area.x0, area.x1), np.arange(area.y0, area.y1)), -1) + 0.5
    below = warp.to_below(places)
    source = np.floor(below).astype(int)
    moved = (np.hypot(*(below - places).transpose(2, 0, 1)) > 0.005 * face_px) & (plate.zones[
        area.slices(session.photo.bounds)] == SKIN)
    moved = cv2.erode(moved.astype(np.uint8), np.ones((9, 9))) > 0
    kept = []
    for radius in _RADII:
        fine = photo - cv2.GaussianBlur(photo, (0, 0), radius)
        now = after - cv2.GaussianBlur(after, (0, 0), radius)
        kept.append(float(now[moved].std() / fine[source[..., 1], source[..., 0]][moved].std()))
    inside = np.array([(x + 0.2 * face_px, y + t * face_px) for t in np.linspace(0, 0.1, 20)])
    return kept, float(np.abs(held.to_above(inside) - inside).max())


def lines(name: str, seed: int) -> tuple[float, float]:
    plate = make_plate(on_ground(load_sitter(name), "lines", seed), seed, flaws={})
    session = session_of(plate)
    found = lines_behind(PhotoMeasures(session.photo))
    if not found:
        return 0.0, 0.0
    part = max((part for line in found for part in line.parts), key=lambda ends: np.hypot(*np.subtract(*ends)))
    middle, along = (np.array(part[0]) + part[1]) / 2, np.subtract(part[1], part[0])
    across = np.array([-along[1], along[0]]) / np.hypot(*along)
    _, job = by_hand(session, [stroke("push", [middle, middle + 20 * across], 300)])
    bent = max(bend.px for bend in moves_of(session.engine, job, found).bends)
    layer = job.stage("shape").layers[0]
    held = replace(layer, edits=(*layer.edits, *(hold_of(one.parts, one.name, 9) for one in found)))
    return bent, max(bend.px for bend in moves_of(session.engine, job.with_layer("shape", held), found).bends)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--sitters", default="tilda,wren,ambrose")
    parser.add_argument("--seeds", type=int, default=4)
    parser.add_argument("--pushes", type=int, default=10_000)
    arguments = parser.parse_args()
    print("sitter   cheek left %      bump left %       texture at 1, 2, 4 px     held px  lines bent → held px")
    for name in arguments.sitters.split(","):
        cheeks, bumps, bends = [], [], []
        for seed in range(1, arguments.seeds + 1):
            plate = make_plate(name, seed, flaws={"warp_cheek": 1, "hair_bump": 1})
            for flaw in (flaw.to_json() for flaw in plate.flaws):
                (cheeks if flaw["kind"] == "warp_cheek" else bumps).append(
                    (cheek_left if flaw["kind"] == "warp_cheek" else bump_left)(plate, flaw))
            bends.append(lines(name, seed))
        clean = make_plate(name, 1, flaws={})
        kept, held = texture(clean, clean.sitter.face_width_px)
        worst, after = (max(values) for values in zip(*bends))
        fine = "  ".join(f"{value:.3f}" for value in kept)
        print(f"{name:8} {_listed(cheeks):17} {_listed(bumps):17} {fine:25} {held:.3f}    {worst:.1f} → {after:.2f}",
              flush=True)
    pushes(arguments.pushes)


def _listed(values: list[float]) -> str:
    return " ".join(f"{value:.0f}" for value in values) or "–"


if __name__ == "__main__":
    main()
