"""Healing on plates against general libraries, in the same run.

    ./lather benchmarks heal_quality [--seeds 20] [--sitters wren,ambrose,tilda] [--json FILE]

For every blemish of every plate: tone error to truth (CIEDE2000 on the tone band, mean and 95th percentile) and
texture (variance in the pore band, after / truth) inside the mended area. Cases: free; collar (the same spots with a
dark collar painted 2 px beside the mask); edge (with --edge: right beside lips, hair, cloth).
"""

import argparse
import json
import sys
import time
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))
from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.engine import Engine
from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.commands import AddEdits
from lather.core.job.history import History
from lather.core.job.model import new_job
from lather.core.measure.bands import pore_band, tone_error
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import load_sitter
from lather.core.stages.mend.dab import dab_stroke, source_candidates, with_source
from lather.core.stages.registry import make_kinds
from lather.core.types import Rect

FREE = {"blemish_dark": 12, "blemish_red": 12, "blemish_bright": 10}


def dab_size(flaw) -> float:
    """What a retoucher would choose: the spot and its soft rim."""
    return min(90.0, 1.6 * flaw.size_px + 4)


def lather_mend(plate):
    """Dab every blemish in order on one layer; returns pixels, seconds per dab and share dabbed."""
    photo = Photo(Picture(plate.photo), b"", "plate")
    engine, history = Engine(photo, make_kinds()), History(new_job(photo.source))
    layer_id = history.job.stage("mend").layers[0].id
    times = []
    for flaw in plate.flaws:
        if flaw.keeper:
            continue
        start = time.perf_counter()
        stroke = dab_stroke(flaw.x, flaw.y, dab_size(flaw))
        stroke = with_source(stroke, source_candidates(engine, history.job, layer_id, stroke))
        if stroke is not None:
            history.do(AddEdits("mend", layer_id, (stroke,)))
            engine.pixels(history.job, stroke.bounds.intersect(photo.bounds))
        times.append(time.perf_counter() - start)
    return engine.pixels(history.job, photo.bounds), times


def mend_beside_collar(plate, flaw, rng):
    """The same spot mended after a dark collar was painted 2 px beside the dabbed place: (crop after, window)."""
    size = dab_size(flaw)
    m = int(5 * size) + 30
    height, width = plate.zones.shape
    rect = Rect(int(flaw.x) - m, int(flaw.y) - m, int(flaw.x) + m, int(flaw.y) + m).intersect(Rect(0, 0, width, height))
    window = rect.slices(Rect(0, 0, width, height))
    photo = plate.photo[window].copy()
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] + 0.5
    angle = rng.uniform(0, 2 * np.pi)
    collar = (xs - flaw.x) * np.cos(angle) + (ys - flaw.y) * np.sin(angle) > size / 2 + 2
    cloth = rng.normal(7000, 900, (*collar.shape, 1)) * np.array([0.8, 0.9, 1.2])
    photo[collar] = np.clip(cloth, 0, 65535).astype(np.uint16)[collar]
    engine = Engine(Photo(Picture(photo), b"", "collar"), make_kinds())
    job = new_job(engine.photo.source)
    layer_id = job.stage("mend").layers[0].id
    stroke = dab_stroke(flaw.x - rect.x0, flaw.y - rect.y0, size)
    stroke = with_source(stroke, source_candidates(engine, job, layer_id, stroke))
    if stroke is None:
        return None
    after = engine.pixels(AddEdits("mend", layer_id, (stroke,)).apply(job), engine.photo.bounds)
    changed = np.abs(after - engine.photo.read(engine.photo.bounds)).max(-1) > 0
    assert not (changed & (np.hypot(xs - flaw.x, ys - flaw.y) > size / 2 + 1)).any(), "changed outside the mask"
    truth = plate.truth[window].astype(np.float32) / 65535
    after[collar] = truth[collar]  # the tone band must not see the cloth that both sides share
    core = np.hypot(xs - flaw.x, ys - flaw.y) < size / 2
    return after, truth, core & (plate.zones[window] == 1)


def general_methods(photo8, mask, rect):
    """Other ways to fill the same mask, on an 8-bit crop: {name: crop}."""
    ys, xs = np.nonzero(mask)
    result = {
        "inpaint NS": cv2.inpaint(photo8, mask, 5, cv2.INPAINT_NS),
        "inpaint Telea": cv2.inpaint(photo8, mask, 5, cv2.INPAINT_TELEA),
    }
    try:
        from skimage.restoration import inpaint_biharmonic

        filled = inpaint_biharmonic(photo8, mask > 0, channel_axis=-1)
        result["biharmonic"] = np.clip(np.round(filled * 255), 0, 255).astype(np.uint8)
    except ImportError:
        pass
    side = int(xs.max() - xs.min() + 1)
    shift = side + 6
    if xs.max() + shift < mask.shape[1] - 1:
        taken = np.roll(photo8, -shift, 1)
        centre = (int(xs.min() + xs.max() + 1) // 2, int(ys.min() + ys.max() + 1) // 2)
        result["seamless, fixed offset"] = cv2.seamlessClone(taken, photo8, mask, centre, cv2.NORMAL_CLONE)
    return result


def measure(rows, name, case, after, truth, core, fw):
    lab_a, lab_t = srgb_to_lab(after), srgb_to_lab(truth)
    error = tone_error(lab_a, lab_t, fw)[core]
    pores_a, pores_t = pore_band(lab_a, fw)[core], pore_band(lab_t, fw)[core]
    rows.setdefault((case, name), []).append((error, (pores_a - pores_a.mean()) ** 2, (pores_t - pores_t.mean()) ** 2))


def run(sitters, seeds, general=True, edge=False):
    rows, times, worst, rng = {}, [], [], np.random.default_rng(9)
    for name in sitters:
        sitter = load_sitter(name)
        fw = sitter.face_width_px
        for seed in range(seeds):
            plate = make_plate(sitter, seed, flaws=FREE, edge_margin_px=1.0 if edge else 30.0)
            mended, spent = lather_mend(plate)
            times += spent
            truth = plate.truth.astype(np.float32) / 65535
            photo8 = np.round(plate.photo / 257).astype(np.uint8)
            height, width = plate.zones.shape
            skin = cv2.distanceTransform((plate.zones == 1).astype(np.uint8), cv2.DIST_L2, 5)
            for flaw in plate.flaws:
                size = dab_size(flaw)
                clear = skin[int(flaw.y), int(flaw.x)] - size / 2
                case = "free" if clear > 8 else "edge" if clear <= 3 else None
                if case is None or size > 60 * 1.6 + 4:
                    continue
                m = int(size * 2) + 24
                rect = Rect(int(flaw.x) - m, int(flaw.y) - m, int(flaw.x) + m, int(flaw.y) + m)
                if not Rect(0, 0, width, height).contains(rect):
                    continue
                window = rect.slices(Rect(0, 0, width, height))
                ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] + 0.5
                core = np.hypot(xs - flaw.x, ys - flaw.y) < size / 2
                core &= plate.zones[window] == 1
                measure(rows, "lather", case, mended[window], truth[window], core, fw)
                last = rows[(case, "lather")][-1]
                if case == "free":
                    beside = mend_beside_collar(plate, flaw, rng)
                    if beside is not None:
                        measure(rows, "lather", "collar", *beside, fw)
                worst.append((float(last[0].mean()), name, seed, flaw.kind, round(flaw.x), round(flaw.y), case))
                if general and case == "free":
                    mask = (core * 255).astype(np.uint8)
                    for method, filled in general_methods(photo8[window].copy(), mask, rect).items():
                        after = filled.astype(np.float32) / 255
                        measure(rows, method, case, after, truth[window], core, fw)
            print(f"{name} seed {seed}", file=sys.stderr)
    table = []
    for (case, method), parts in sorted(rows.items()):
        error = np.concatenate([p[0] for p in parts])
        ratio = np.concatenate([p[1] for p in parts]).sum() / np.concatenate([p[2] for p in parts]).sum()
        table.append({
            "case": case, "method": method, "spots": len(parts), "tone_mean_de": round(float(error.mean()), 3),
            "tone_p95_de": round(float(np.percentile(error, 95)), 3), "texture_ratio": round(float(ratio), 3),
        })
    worst.sort(reverse=True)
    return table, {"dab_ms_p95": round(1000 * float(np.percentile(times[20:], 95)), 1), "worst": worst[:12]}


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--seeds", type=int, default=20)
    parser.add_argument("--sitters", default="wren,ambrose,tilda")
    parser.add_argument("--edge", action="store_true", help="let flaws stand right beside the border of skin")
    parser.add_argument("--quick", action="store_true", help="leave the general libraries out")
    parser.add_argument("--json")
    arguments = parser.parse_args()
    table, facts = run(arguments.sitters.split(","), arguments.seeds, not arguments.quick, arguments.edge)
    print(f"{'case':6} {'method':24} {'spots':>6} {'mean ΔE':>8} {'p95 ΔE':>8} {'texture':>8}")
    for row in table:
        print(f"{row['case']:6} {row['method']:24} {row['spots']:6} {row['tone_mean_de']:8.3f} "
              f"{row['tone_p95_de']:8.3f} {row['texture_ratio']:8.3f}")
    print(f"dab with search and heal, p95: {facts['dab_ms_p95']} ms")
    for item in facts["worst"]:
        print("  worst", item)
    if arguments.json:
        Path(arguments.json).write_text(json.dumps({"table": table, **facts}, indent=1))


if __name__ == "__main__":
    main()
