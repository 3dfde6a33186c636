"""Mending each kind of flaw by itself, against general libraries, in the same run.

    ./lather benchmarks mend_by_kind [--seeds 20] [--sitters wren,…] [--general fast]

Every flaw is mended as it would be proposed for a find that lies exactly on it (this measures the mend, not the
finder; softened kinds at full strength). Tone error to truth (CIEDE2000 on the tone band: mean, 95th percentile) and
texture (variance of the pore band, after / truth), inside the mended area. "with rim": the mean over the mended area
and what lies within 10 px of it, times their area over the mended area's: a method that fills the same mask but leaves
the flaw's soft rim standing is told by it.
"""

import argparse
import sys
from collections import defaultdict
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)]
from heal_quality import general_methods

from lather.core.brush.coverage import stroke_coverage
from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.engine import Engine
from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.commands import AddEdits
from lather.core.job.finds import Find
from lather.core.job.history import History
from lather.core.job.model import new_job
from lather.core.measure.bands import pore_band, tone_error
from lather.core.mending.edit_for_find import proposed_stroke
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import load_sitter, sitter_names
from lather.core.stages.mend.dab import source_candidates, with_source
from lather.core.stages.registry import make_kinds
from lather.core.types import Rect

_RIM_PX = 10
KINDS = (
    "blemish_dark",
    "blemish_red",
    "blemish_bright",
    "flake",
    "scar",
    "crease",
    "makeup_fold",
    "under_eye",
    "strap_mark",
    "jewellery_mark",
    "vein_nose",
    "vein_eye",
    "hair_on_skin",
    "smeared_lip",
    "cloth_speck",
    "lens_mark",
)


def as_find(flaw) -> Find:
    return Find(
        f"f{flaw.id}",
        flaw.kind,
        flaw.x,
        flaw.y,
        flaw.size_px,
        flaw.contrast_de,
        1.0,
        flaw.zone,
        outline=tuple(flaw.outline),
        path=tuple(flaw.path) if flaw.path else None,
        width_px=flaw.width_px,
    )


def judge(rows, method, kind, after, truth, core, face_width):
    lab_a, lab_t = srgb_to_lab(after), srgb_to_lab(truth)
    a, t = pore_band(lab_a, face_width)[core], pore_band(lab_t, face_width)[core]
    error = tone_error(lab_a, lab_t, face_width)
    rim = cv2.dilate(core.astype(np.uint8), np.ones((2 * _RIM_PX + 1,) * 2, np.uint8)) > 0
    rows[(kind, method)].append((error[core], a.var(), t.var(), error[rim].sum() / core.sum()))


def one_flaw(rows, plate, flaw, general):
    """Mend one flaw on a plate that has no other, and let general methods fill the same mask."""
    photo = Photo(Picture(plate.photo), b"", "plate")
    engine, history = Engine(photo, make_kinds()), History(new_job(photo.source))
    layer_id = history.job.stage("mend").layers[0].id
    stroke = proposed_stroke(as_find(flaw))
    if stroke.tool == "dab":
        stroke = with_source(stroke, source_candidates(engine, history.job, layer_id, stroke))
    if stroke is None:
        rows[(flaw.kind, "no source")].append(None)
        return
    history.do(AddEdits("mend", layer_id, (replace(stroke, find=""),)))
    margin = int(stroke.brush.size_px) + 30
    rect = stroke.bounds.expand(margin).intersect(photo.bounds)
    window = rect.slices(photo.bounds)
    core = stroke_coverage(stroke, rect) > 0.3
    truth = plate.truth[window].astype(np.float32) / 65535
    width = plate.sitter.face_width_px
    judge(rows, "lather", flaw.kind, engine.pixels(history.job, rect), truth, core, width)
    judge(rows, "(left as it is)", flaw.kind, photo.read(rect), truth, core, width)
    if general != "none":
        photo8 = np.round(plate.photo[window] / 257).astype(np.uint8)
        if general == "fast" or rect.width * rect.height > 90_000:  # biharmonic takes minutes on these
            methods = {
                "inpaint Telea": cv2.inpaint(photo8, core.astype(np.uint8) * 255, 5, cv2.INPAINT_TELEA),
                "inpaint NS": cv2.inpaint(photo8, core.astype(np.uint8) * 255, 5, cv2.INPAINT_NS),
            }
        else:
            methods = general_methods(photo8, core.astype(np.uint8) * 255, Rect(0, 0, rect.width, rect.height))
        for name, filled in methods.items():
            judge(rows, name, flaw.kind, filled.astype(np.float32) / 255, truth, core, width)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--seeds", type=int, default=20)
    parser.add_argument("--sitters", default=",".join(sitter_names()))
    parser.add_argument("--kinds", help="only these, with commas")
    parser.add_argument("--general", choices=("all", "fast", "none"), default="all",
                        help="general libraries: all, those that take no minutes (both inpaintings of OpenCV), none")
    arguments = parser.parse_args()
    usual = [k for k in KINDS if k != "smeared_lip"]  # as drawn it covers lips
    kinds = arguments.kinds.split(",") if arguments.kinds else usual
    rows = defaultdict(list)
    for name in arguments.sitters.split(","):
        sitter = load_sitter(name)
        for seed in range(arguments.seeds):
            plate = make_plate(sitter, 500 + seed, flaws=dict.fromkeys(kinds, 1), edge_margin_px=12)
            for flaw in plate.flaws:
                if flaw.size_px <= 400:
                    one_flaw(rows, plate, flaw, arguments.general)
            print(f"{name} {seed}", file=sys.stderr)
    print(f"{'kind':15} {'method':22} {'n':>4} {'mean ΔE':>8} {'p95 ΔE':>8} {'texture':>8} {'with rim':>8}")
    for (kind, method), parts in sorted(rows.items(), key=lambda r: (KINDS.index(r[0][0]), r[0][1])):
        parts = [p for p in parts if p is not None]
        if not parts:
            print(f"{kind:15} {method:22} {len(rows[(kind, method)]):4}")
            continue
        error = np.concatenate([p[0] for p in parts])
        ratio = sum(p[1] for p in parts) / max(1e-9, sum(p[2] for p in parts))
        rim = np.mean([p[3] for p in parts])
        print(f"{kind:15} {method:22} {len(parts):4} {error.mean():8.3f} {np.percentile(error, 95):8.3f} {ratio:8.3f} "
              f"{rim:8.3f}")


if __name__ == "__main__":
    main()
