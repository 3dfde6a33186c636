"""The demo job: a made-up sitter and scenario, enough flaws to work on, a few already mended."""

import io
import os
from pathlib import Path

import numpy as np
from PIL import Image

from lather.core.brush.values import Brush
from lather.core.colour import profiles
from lather.core.engine.photo import Photo
from lather.core.errors import SaveError
from lather.core.imageio.read import decode_picture
from lather.core.job.commands import AddEdits, AddLayer, SetBrief
from lather.core.job.history import History
from lather.core.job.model import Layer, Stroke, freeze_points, new_id, new_job
from lather.core.practice.make import Plate, make_plate
from lather.core.session import Session
from lather.core.stages.mend.dab import dab_stroke, source_candidates, with_source

SITTER, SEED = "wren", 12
FLAWS = {"blemish_dark": 16, "blemish_red": 12, "blemish_bright": 8, "mole": 2, "freckle": 8, "crease": 1}
_NAMES = {"blemish_dark": "dark spot", "blemish_red": "red spot", "blemish_bright": "bright spot"}
_MENDED = 6
_VERSION = 4  # goes up when the demo changes, so that an old one is made anew


def demo_folder() -> Path:
    return Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "lather" / "demo"


def demo_plate() -> Plate:
    return make_plate(SITTER, SEED, flaws=FLAWS)


def _jpeg(pixels: np.ndarray) -> bytes:
    """The plate as a camera would hand it over."""
    exif = Image.Exif()
    exif[315], exif[33432] = "Lather demo", "Made-up sitter, free to use with Lather"
    exif[271], exif[272], exif[306] = "Lather", "practice room", "2026:03:20 10:12:00"
    buffer = io.BytesIO()
    Image.fromarray(np.round(pixels / 257).astype(np.uint8)).save(
        buffer, "JPEG", quality=96, subsampling=0, icc_profile=profiles.srgb_profile(), exif=exif.tobytes()
    )
    return buffer.getvalue()


def make_demo() -> Session:
    """A fresh demo job in memory."""
    plate = demo_plate()
    data = _jpeg(plate.photo)
    photo = Photo(decode_picture(data), data, "wren-spring-12.jpg")
    job = new_job(photo.source)
    session = Session(photo, History(job))
    history = session.history
    for key, value in (("title", "Wren, spring cards"), ("frame", "frame 12"), ("kind", "natural portrait")):
        history.do(SetBrief(key, value))
    layer_id = job.stage("mend").layers[0].id
    spots = sorted((f for f in plate.flaws if f.kind in _NAMES), key=lambda f: (f.y, f.x))
    for flaw in spots[:_MENDED]:
        stroke = dab_stroke(flaw.x, flaw.y, 1.6 * flaw.size_px + 4, note=_NAMES[flaw.kind])
        stroke = with_source(stroke, source_candidates(session.engine, history.job, layer_id, stroke))
        if stroke is not None:
            history.do(AddEdits("mend", layer_id, (stroke,)))
    crease = next((f for f in plate.flaws if f.kind == "crease"), None)
    if crease is not None:
        _carry_crease(history, crease)
    session.history = History(history.job)  # what was prepared is not the person's to undo
    return session


def _carry_crease(history: History, crease) -> None:
    """The crease mended whole with Carry, on a layer of its own at part strength: softened, not deleted."""
    path, width = np.array(crease.path), crease.width_px
    across = np.array([-(path[-1] - path[0])[1], (path[-1] - path[0])[0]])
    away = across / np.hypot(*across) * width * 9
    points = np.column_stack([path, np.ones(len(path)), np.arange(len(path)) * 0.02])
    brush = Brush(size_px=max(14.0, width * 5), edge=0.5, flow=0.8)
    offset = (round(float(away[0])), round(float(away[1])))
    stroke = Stroke(new_id(), "carry", brush, freeze_points(points), offset=offset, note="crease")
    layer = Layer(new_id(), "Crease, softened", strength=0.55)
    history.do(AddLayer("mend", layer, 0))
    history.do(AddEdits("mend", layer.id, (stroke,)))


def demo_job_path() -> Path:
    """The demo job as a file in the person's cache, made at the first call. Raises SaveError."""
    path = demo_folder() / f"wren-spring-cards-{_VERSION}.lather"
    if not path.exists():
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise SaveError(f"The folder {path.parent} cannot be made ({error.strerror}).") from error
        session = make_demo()
        session.engine.pixels(session.job, session.photo.bounds)
        session.save(path)
    return path


if __name__ == "__main__":
    print(demo_job_path())
