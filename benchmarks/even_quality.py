"""Even on plates: how much nearer “even all” brings the skin to its even truth, and what is left of made blotches.

    ./lather benchmarks even_quality [--seeds 4] [--sitters wren,pip | --crowd 47-61] [--melanin] [--share 0.8]

The network was fitted on other people (fit_even.py). Against NAME-even.jpg, on facial skin, in L* of the tone band:
alone, the photo as it is; evened. texture, modelling: of the evened photo over the photo's. left: share of the made
blotches that is left, by "even all", by an outline as around, and by assisted strokes. scribble: what 200 assisted
strokes at random change, over what "even all" at full share may. rest: the light that is still needed of a photo that
was evened at full share, over what was needed at first. --melanin: blotches of melanin alone.
"""

import argparse
import sys
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from lather.core.brush.values import Brush
from lather.core.colour.lab import srgb_lightness, srgb_to_lab
from lather.core.engine.engine import Engine
from lather.core.engine.photo import Photo
from lather.core.find.areas.blotches import find_blotches
from lather.core.find.scene import FindScene
from lather.core.imageio.picture import Picture
from lather.core.job.commands import AddEdits, AddLayer, SetFinds
from lather.core.job.model import Layer, Stroke, freeze_points, new_id, new_job
from lather.core.measure.bands import modelling_spread, texture_energy, tone_band
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.even_blotches import SHARE, even_all_command
from lather.core.people.zone_masks import ZoneMasks
from lather.core.practice.flaws.areas import soft_area
from lather.core.practice.flaws.base import MELANIN
from lather.core.practice.flaws.registry import MAKERS
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import SKIN, load_sitter
from lather.core.stages.light.cells import Seen
from lather.core.stages.light.needed import BARE, NeededLight, needed_lightness, new_cells
from lather.core.stages.registry import make_kinds
from lather.core.types import as_float32

SHARED = Path(__file__).parents[2] / "shared"
_BLOTCHES, _STROKES = 12, 200


class Evened:
    """A photo, what was found on it, and jobs over it."""

    def __init__(self, pixels: np.ndarray, network: Path | None, face=None):
        self.photo = Photo(Picture(pixels), pixels.tobytes()[:4096], "photo")
        self.engine, self.network = Engine(self.photo, make_kinds()), network
        self.engine.zones = ZoneMasks(self.photo)
        for kind in ("even", "sculpt"):
            self.engine.kinds[kind].stores.needed = NeededLight(new_cells(), network)
        self.measures = PhotoMeasures(self.photo, face)
        needed = NeededLight(new_cells(), network)
        self.finds = [f for f in find_blotches(FindScene(self.measures), needed) if f.kind.startswith("blotch")]
        self.job = SetFinds(tuple(self.finds), self.measures.face, self.measures.faces[1:]).apply(
            new_job(self.photo.source))

    def evened(self, share: float) -> np.ndarray:
        command = even_all_command(self.job, self.photo.bounds, share=share)
        return self.pixels(command.apply(self.job) if command else self.job)

    def needed(self) -> float:
        """Mean |ΔL*| that bare skin needs."""
        field = self.network_field()
        bare = field.values[..., BARE]
        return float((np.abs(needed_lightness(field)) * bare).sum() / max(bare.sum(), 1e-6))

    def network_field(self):
        measures = self.measures
        seen = Seen(self.photo.read, lambda _: b"photo", self.photo.read, self.photo.bounds, tuple(measures.faces),
                    *measures.skin_read, self.photo.blocks)
        return NeededLight(new_cells(), self.network).at_once(seen, measures.skin_box)

    def with_edits(self, edits: list[Stroke]) -> np.ndarray:
        layer = Layer(new_id(), "Even", "even")
        job = AddLayer("even", layer, 0).apply(self.job)
        return self.pixels(AddEdits("even", layer.id, tuple(edits)).apply(job))

    def pixels(self, job) -> np.ndarray:
        return np.clip(self.engine.pixels(job, self.photo.bounds), 0, 1)


def tone(pixels: np.ndarray, width: float) -> np.ndarray:
    return tone_band(srgb_lightness(pixels)[..., None], width).squeeze()


def around_edit(flaw) -> Stroke:
    corners = np.array(flaw.outline)
    middle = corners.mean(0)
    points = freeze_points([(x, y, 1, 0) for x, y in middle + 1.15 * (corners - middle)])
    brush = Brush(size_px=max(2.0, flaw.size_px), edge=1.0, ceiling=1.0)
    return Stroke(new_id(), "even_area", brush, points, mode="around", feather=0.12 * flaw.size_px)


def assisted_edit(flaw) -> Stroke:
    """One stroke of the assisted brush along a blotch, as wide as it is."""
    corners = np.array(flaw.outline)
    middle = corners.mean(0)
    long = corners[np.hypot(*(corners - middle).T).argmax()] - middle
    points = freeze_points([(*(middle + t * long), 1, 0.1 * abs(t)) for t in np.linspace(-0.7, 0.7, 7)])
    tool = "lift" if flaw.kind == "blotch_dark" else "lower"
    return Stroke(new_id(), tool, Brush(size_px=max(2.0, 1.6 * flaw.size_px), edge=0.6, ceiling=1.0, flow=1.0), points,
                  mode="assisted")


def melanin_blotch(scene):
    """A darker or lighter place of melanin alone."""
    sign = scene.rng.choice([1.0, -0.8], p=[0.65, 0.35])
    kind = "blotch_dark" if sign > 0 else "blotch_bright"
    return soft_area(scene, kind, (2, 8), lambda b, m, s, _: b * np.exp(-sign * s * MELANIN * m), (2.0, 4.0))


def scribbles(face, seed: int) -> list[Stroke]:
    rng = np.random.default_rng(seed)
    origin, across, down = face.frame
    d, edits = face.eye_distance_px, []
    for _ in range(_STROKES):
        start = origin + d * (rng.uniform(-1, 1) * across + rng.uniform(-0.8, 1.6) * down)
        way = rng.uniform(-0.5, 0.5, 2) * d
        points = freeze_points([(*(start + t * way), 1, 0.1 * t) for t in np.linspace(0, 1, 8)])
        brush = Brush(size_px=float(rng.uniform(0.05, 0.4) * d), edge=1.0, ceiling=0.14, flow=0.14)
        edits.append(Stroke(new_id(), str(rng.choice(["lift", "lower"])), brush, points, mode="assisted"))
    return edits


def left(before: np.ndarray, after: np.ndarray, clean: np.ndarray, clean_after: np.ndarray, flaws) -> list[float]:
    """Share of each made blotch that is left: what it changed, after evening over before."""
    shares = []
    for flaw in flaws:
        mask = np.zeros(before.shape, np.uint8)
        corners = np.array(flaw.outline)
        core = corners.mean(0) + 0.7 * (corners - corners.mean(0))
        cv2.fillPoly(mask, [np.round(core).astype(np.int32)], 1)
        own = mask > 0
        made = float((before - clean)[own].mean())
        if abs(made) > 0.8:
            shares.append(float((after - clean_after)[own].mean()) / made)
    return shares


def judge(name: str, network: Path, seeds: int, share: float) -> tuple:
    sitter = load_sitter(name)
    width = sitter.face_width_px
    photo = Evened(sitter.picture.pixels, network)
    face = photo.measures.face
    truth_file = Path(name).with_name(f"{Path(name).stem}-even.jpg") if Path(name).suffix else (
        SHARED / "plates" / f"{name}-even.jpg")
    truth = cv2.imread(str(truth_file))[..., ::-1].astype(np.float32) / 255
    plain = as_float32(sitter.picture.pixels)
    after = photo.evened(share)
    skin = np.zeros(sitter.zones.shape, np.uint8)
    marks = np.array([sitter.landmarks[k] for k in sitter.landmarks])
    low, high = marks.min(0).astype(int), marks.max(0).astype(int)
    skin[low[1] : high[1], low[0] : high[0]] = 1
    skin = cv2.erode(((sitter.zones == SKIN) & (skin > 0)).astype(np.uint8), np.ones((3, 3))) > 0
    goal, was, now = (tone(p, width) for p in (truth, plain, after))
    off = [np.abs(part - goal)[skin] for part in (was, now)]
    labs = [srgb_to_lab(p) for p in (plain, after)]
    on_skin = (sitter.zones == SKIN).astype(np.float32)
    texture = np.divide(*(texture_energy(lab, skin, width) for lab in labs[::-1]))
    modelling = np.divide(*(modelling_spread(lab[..., 0], on_skin, width) for lab in labs[::-1]))
    by_all, by_outline, by_strokes = [], [], []
    for seed in range(702, 702 + seeds):
        made = make_plate(name, seed, flaws={"blotch": _BLOTCHES})
        spotted, bare = Evened(made.photo, network, face), Evened(made.truth, network, face)
        before, clean = (tone(as_float32(p), width) for p in (made.photo, made.truth))
        by_all += left(before, tone(spotted.evened(1.0), width), clean, tone(bare.evened(1.0), width), made.flaws)
        edits = [around_edit(flaw) for flaw in made.flaws]
        mine = [replace(edit, id=new_id()) for edit in edits]
        by_outline += left(before, tone(spotted.with_edits(edits), width), clean, tone(bare.with_edits(mine), width),
                           made.flaws)
        assisted = [assisted_edit(flaw) for flaw in made.flaws]
        mine = [replace(edit, id=new_id()) for edit in assisted]
        by_strokes += left(before, tone(spotted.with_edits(assisted), width), clean, tone(bare.with_edits(mine), width),
                           made.flaws)
    rested = Evened(np.round(65535 * photo.evened(1.0)).astype(np.uint16), network, face)
    rest = rested.needed() / max(photo.needed(), 1e-6)
    strokes = np.abs(tone(photo.with_edits(scribbles(face, 5)), width) - was)[skin].mean()
    most = np.abs(tone(photo.evened(1.0), width) - was)[skin].mean()
    return (len(photo.finds), off[0].mean(), off[1].mean(), *(np.percentile(o, 95) for o in off), texture, modelling,
            np.mean(by_all), np.mean(by_outline), np.mean(by_strokes), strokes / max(most, 1e-6), rest)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--seeds", type=int, default=4)
    parser.add_argument("--sitters", default="ambrose,marlow,pip,tilda,wren")
    parser.add_argument("--crowd", metavar="NUMBERS", help="instead people of the crowd, such as 47-61")
    parser.add_argument("--melanin", action="store_true", help="blotches of melanin alone")
    parser.add_argument("--network", type=Path, default=None)
    parser.add_argument("--share", type=float, default=SHARE)
    arguments = parser.parse_args()
    names = arguments.sitters.split(",")
    if arguments.crowd:
        first, last = (int(n) for n in arguments.crowd.split("-"))
        names = [str(SHARED / "crowd" / f"p{n:04d}.jpg") for n in range(first, last + 1)]
    if arguments.melanin:
        MAKERS["blotch"] = melanin_blotch
    print("sitter   finds  alone evened  nearer   p95: alone evened  texture modelling  left: all outline strokes  "
          "scribble  rest")
    rows = []
    for name in names:
        n, was, now, was95, now95, texture, modelling, by_all, outline, by_strokes, strokes, rest = judge(
            name, arguments.network, arguments.seeds, arguments.share)
        rows.append((1 - now / was, by_all, outline, by_strokes, rest))
        print(f"{Path(name).stem:8} {n:5}  {was:.3f}  {now:.3f}  {100 * (1 - now / was):5.1f} %      {was95:.2f}   "
              f"{now95:.2f}  {texture:7.3f} {modelling:9.3f}      {by_all:.2f}    {outline:.2f}    {by_strokes:.2f}"
              f"      {strokes:.2f}  {rest:.2f}", flush=True)
    means, worst = np.nanmean(rows, axis=0), min(row[0] for row in rows)
    print(f"nearer {100 * means[0]:.1f} %, worst {100 * worst:.1f} %; left by all {means[1]:.2f}, outline "
          f"{means[2]:.2f}, strokes {means[3]:.2f}; rest {means[4]:.2f}")


if __name__ == "__main__":
    main()
