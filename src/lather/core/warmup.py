"""Compile the fast loops once, so that the first stroke does not wait. Numba keeps them beside the code."""

import hashlib
import os
import platform
import sys
from collections.abc import Callable
from pathlib import Path

import numba
import numpy as np

from lather import __version__

_STEPS = 8


def _mark() -> Path:
    """There once all loops of this version were compiled on this machine, for the code where it lies."""
    code = Path(__file__).parents[1]
    key = f"{__version__} {numba.__version__} {platform.machine()} {code}"
    cache = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
    return cache / "lather" / f"compiled-{hashlib.blake2b(key.encode(), digest_size=8).hexdigest()}"


def is_warm() -> bool:
    """False at the first start after an installation: then the loops are compiled, which takes a few minutes."""
    return _mark().is_file()


def _keep_mark() -> None:
    try:
        _mark().parent.mkdir(parents=True, exist_ok=True)
        _mark().touch()
    except OSError:
        pass  # then it is said once more at the next start


def _spotted_skin(rng) -> np.ndarray:
    """300×300 px in the colour of skin with a few spots, 0-1: the finders have something to measure."""
    values = np.array([0.8, 0.6, 0.5]) + rng.normal(0, 0.01, (300, 300, 3))
    y, x = np.mgrid[:300, :300]
    for _ in range(30):
        at, size = rng.uniform(20, 280, 2), rng.uniform(2, 6)
        values -= 0.2 * np.exp(-((x - at[0]) ** 2 + (y - at[1]) ** 2) / (2 * size * size))[..., None]
    return np.clip(values, 0, 0.999)


def run(tell: Callable[[float], None] = lambda share: None) -> None:
    """Run each compiled loop on a tiny picture, with the types that real work uses. tell(share done)."""
    done = iter(range(1, _STEPS + 1))

    def step() -> None:
        tell(next(done, _STEPS) / _STEPS)

    _run(step)
    _keep_mark()
    tell(1.0)


def get_ready() -> None:
    """At the first start after an installation: all loops are compiled now, and whoever sits there is told."""
    if sys.stderr.isatty() and not is_warm():
        print("lather: compiling the fast loops, once after an installation; a few minutes.", file=sys.stderr)
        run()


def _run(step: Callable[[], None]) -> None:
    from dataclasses import replace

    from lather.core.colour import profiles
    from lather.core.deliver.export import to_codes
    from lather.core.engine.engine import Engine
    from lather.core.engine.live import LiveStroke
    from lather.core.engine.photo import Photo
    from lather.core.find.finder import find_all
    from lather.core.find.spots import patch_net
    from lather.core.imageio.picture import Picture
    from lather.core.job.commands import AddEdits, AddLayer
    from lather.core.job.grain_model import GrainModel
    from lather.core.job.model import Layer, freeze_points, new_id, new_job
    from lather.core.practice.flaws.tube import distance_to_path
    from lather.core.stages.grain.kind import grain_settings
    from lather.core.stages.mend.dab import dab_stroke, source_candidates, with_source
    from lather.core.stages.mend.solve import solve_stroke
    from lather.core.stages.patches.patch import Patch
    from lather.core.stages.registry import make_kinds
    from lather.core.types import Rect

    rng = np.random.default_rng(1)
    for dtype, top in ((np.uint8, 256), (np.uint16, 65536)):
        picture = Picture((top * _spotted_skin(rng)).astype(dtype))
        photo = Photo(picture, b"", "warm-up")
        engine, job = Engine(photo, make_kinds()), new_job(photo.source)
        layer_id = job.stage("mend").layers[0].id
        for size in (20.0, 110.0):
            stroke = dab_stroke(150, 150, size)
            stroke = with_source(stroke, source_candidates(engine, job, layer_id, stroke)) or stroke
            if stroke.offset:
                job = AddEdits("mend", layer_id, (stroke,)).apply(job)
                engine.pixels(job, Rect(100, 100, 200, 200))
                engine.pixels(job, Rect(50, 50, 100, 100), 1)
        step()
        for stage_id, tool, settings in (
            ("split", "mix", {"band": "tone"}), ("split", "veil", {"band": "veil"}),
            ("grain", "grain", grain_settings(GrainModel(((0.5, 1.0),), 0.6, 0.3))), ("shape", "push", {}),
        ):
            edit = replace(stroke, id=new_id(), tool=tool, offset=None)
            if stage_id == "shape":
                edit = replace(edit, points=freeze_points([(140, 150, 1, 0), (160, 150, 1, 0.1)]))
            layer = Layer(new_id(), tool, stage_id, edits=(edit,), settings=settings)
            job = AddLayer(stage_id, layer, 0).apply(job)
        for stage_id, kind, settings in (
            ("colour", "calm", {"toward": (60.0, 10.0, 20.0), "width_px": 4.0}), ("finish", "tone", {"contrast": 0.1}),
        ):
            layer = Layer(new_id(), kind, kind, settings=settings | {"everywhere": True})
            job = AddLayer(stage_id, layer, 0).apply(job)
        engine.pixels(job, Rect(100, 100, 200, 200))
        step()
        masking = LiveStroke(engine, job, "colour", job.stage("colour").layers[0].id, replace(edit, tool="mask"))
        masking.extend(edit.points)
        masking.pixels(Rect(100, 100, 200, 200))
        warp = engine.warp(job)
        warp.to_above(warp.to_below(np.array([[120.0, 130.0]])))
        pushing = LiveStroke(engine, job, "shape", job.stage("shape").layers[0].id, replace(edit, id=new_id()))
        pushing.extend(edit.points)
        pushing.pixels(Rect(100, 100, 200, 200))
        live = LiveStroke(engine, job, "mend", layer_id, replace(stroke, tool="carry", offset=(30, 30)))
        live.extend(np.array([[100, 100, 1, 0], [120, 110, 1, 0.1]], np.float32))
        live.pixels(Rect(90, 90, 150, 150))
        live.pixels(Rect(45, 45, 75, 75), 1)
        patch = Patch([(Rect(0, 0, 2, 2), np.zeros((2, 2, 3), np.int16))], photo.bounds)
        Patch.from_png_pieces(patch.to_png_pieces(), photo.bounds)
        step()
    find_all(photo)
    step()
    layer = np.zeros((40, 40, 4), np.float32), np.ones((40, 40), np.float32)
    patch_net.patches([layer], np.array([(20.0, 20.0, 6.0)]))
    drag = replace(stroke, tool="drag", offset=None)
    solve_stroke(drag, read=lambda rect: photo.read(rect), original=lambda rect: photo.read(rect), bounds=photo.bounds)
    distance_to_path(np.array([[1.0, 1.0], [9.0, 9.0]]), Rect(0, 0, 12, 12), 3.0)
    values = rng.random((16, 16, 3), np.float32)
    to_codes(values, 8)
    profiles.apply_display_lut(values, np.zeros((33, 33, 33, 3), np.float32))


if __name__ == "__main__":
    run()
