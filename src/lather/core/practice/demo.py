"""The demo job: a made-up sitter and scenario, enough flaws to work on, a few already mended."""

import io
import os
from pathlib import Path

import numpy as np
from PIL import Image

from lather.core.colour import profiles
from lather.core.deliver.presets import SHIPPED
from lather.core.engine.photo import Photo
from lather.core.errors import SaveError
from lather.core.find.finder import look_at
from lather.core.imageio.read import decode_picture
from lather.core.job.commands import AddEdits
from lather.core.job.history import History
from lather.core.job.model import new_job
from lather.core.job.purpose import of_find
from lather.core.kinds.registry import SOFTENED
from lather.core.mending.edit_for_find import mend_command
from lather.core.phrases import phrase
from lather.core.practice.make import Plate, make_plate
from lather.core.session import Session
from lather.core.stages.mend.dab import dab_stroke, source_candidates, with_source

SITTER, SEED = "wren", 12
FLAWS = {
    "blemish_dark": 14, "blemish_red": 12, "blemish_bright": 8, "mole": 2, "freckle": 8, "crease": 2, "flake": 2,
    "scar": 1, "hair_on_skin": 2, "under_eye": 1, "cloth_speck": 2, "lens_mark": 1, "stray_hair": 9,
    "brow_hair": 3, "redness": 1, "shine": 2,
}
_NAMES = {"blemish_dark": "dark spot", "blemish_red": "red spot", "blemish_bright": "bright spot"}
_MENDED = 6
_SOFTENED_AT_MOST = 2
BRIEF = {
    "title": "Wren, spring cards", "client": "Alder & Finch", "frame": "frame 12", "kind": "natural portrait",
    "route": "light", "rate_cents": 4800, "currency": "EUR", "minutes_allowed": 45.0, "demo": True,
    "outputs": [spec.to_json() for spec in SHIPPED["Cards"]],
}
_VERSION = 16  # goes up when the demo changes, so that an old one is made anew


def demo_folder() -> Path:
    """Where the demo job is kept once it was made."""
    return Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "lather" / "demo"


def demo_file() -> Path:
    """Where its file is, or will be."""
    return demo_folder() / f"wren-spring-cards-{_VERSION}.lather"


def demo_plate() -> Plate:
    """The plate that the demo job is about."""
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


def untouched_demo(plate: Plate) -> Session:
    """The demo's photo and its sheet; nothing is looked for or done yet."""
    data = _jpeg(plate.photo)
    photo = Photo(decode_picture(data), data, "wren-spring-12.jpg")
    return Session(photo, History(new_job(photo.source, **BRIEF)))


def make_demo(plate: Plate | None = None) -> Session:
    """A fresh demo job in memory. plate: `demo_plate()`, where it is there already."""
    plate = plate or demo_plate()
    session = untouched_demo(plate)
    history, photo = session.history, session.photo
    job = history.job
    layer_id = job.stage("mend").layers[0].id
    spots = sorted((f for f in plate.flaws if f.kind in _NAMES), key=lambda f: (f.y, f.x))
    for flaw in spots[:_MENDED]:
        stroke = dab_stroke(flaw.x, flaw.y, 1.6 * flaw.size_px + 4, note=_NAMES[flaw.kind],
                            purpose=of_find(flaw.kind))
        stroke = with_source(stroke, source_candidates(session.engine, history.job, layer_id, stroke))
        if stroke is not None:
            history.do(AddEdits("mend", layer_id, (stroke,)))
    found = look_at(photo, hairs_from=0.1)  # as the desk does
    history.amend(found.command)
    for find in [f for f in found.finds if f.kind in SOFTENED][:_SOFTENED_AT_MOST]:
        command = mend_command(session.engine, history.job, find, layer_id)
        if command is not None:
            history.do(command)
    session.history = History(history.job)  # what was prepared is not the person's to undo
    return session


def demo_job_path(plate: Plate | None = None) -> Path:
    """The demo job as a file in the person's cache, made at the first call (of a plate if it is there). Raises
    SaveError.
    """
    path = demo_file()
    if not path.exists():
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise SaveError(phrase("The folder %1 cannot be made (%2).", path.parent, error.strerror)) from error
        session = make_demo(plate)
        session.engine.pixels(session.job, session.photo.bounds)
        session.save(path)
    return path


if __name__ == "__main__":
    print(demo_job_path())
