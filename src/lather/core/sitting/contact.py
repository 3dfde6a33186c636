"""The contact sheet: every frame of a sitting, before and after, on one page."""

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from PIL import Image, ImageDraw, ImageFont

from lather.core.colour import profiles
from lather.core.errors import Cancelled
from lather.core.imageio.atomic import write_atomically
from lather.core.session import Session
from lather.core.sitting.sitting import PHOTO, Sitting

_FONT = Path(__file__).parents[1] / "data" / "fonts" / "Inter-Medium.otf"
_CELL, _GAP, _HEAD, _LINE = 260, 20, 54, 26  # px of a picture, between cells, of the title, of a name
_PAPER, _INK, _QUIET = (246, 245, 242), (34, 38, 40), (110, 114, 116)


def contact_sheet(sitting: Sitting, path: str | Path, *, columns: int = 3, title: str = "",
                  progress: Callable[[float], bool] | None = None) -> None:
    """Writes a PNG: each frame before and after, side by side, with its name and state.

    Raises PictureError, JobFileError or SaveError; Cancelled where progress(share) returns False.
    """
    cells = []
    for number, frame in enumerate(sitting.frames):
        if progress and not progress(number / len(sitting.frames)):
            raise Cancelled("The contact sheet was stopped; nothing was written.")
        job = sitting.job(frame.name)
        session = Session.open(job) if job.is_file() else Session.from_photo(sitting.photo(frame.name))
        cells.append((frame, _small(session, after=False), _small(session, after=True) if job.is_file() else None))
    pair = 2 * _CELL + 4
    columns = max(1, min(columns, len(cells)))
    rows = -(-len(cells) // columns)
    tall = max((before.shape[0] for _, before, _ in cells), default=_CELL)
    width = _GAP + columns * (pair + _GAP)
    height = _HEAD + rows * (tall + _LINE + _GAP) + _GAP
    page = Image.new("RGB", (width, height), _PAPER)
    draw, large, small = ImageDraw.Draw(page), ImageFont.truetype(_FONT, 22), ImageFont.truetype(_FONT, 14)
    finished = sum(frame.state != PHOTO for frame in sitting.frames)
    draw.text((_GAP, 16), title or sitting.folder.name, _INK, large)
    draw.text((width - _GAP, 22), f"{len(cells)} frames, {finished} retouched · before, after", _QUIET, small,
              anchor="ra")
    for number, (frame, before, after) in enumerate(cells):
        x, y = _GAP + number % columns * (pair + _GAP), _HEAD + number // columns * (tall + _LINE + _GAP)
        for at, picture in ((x, before), (x + _CELL + 4, after)):
            if picture is not None:
                page.paste(Image.fromarray(picture), (at, y))
        draw.text((x, y + tall + 6), frame.stem, _INK, small)
        draw.text((x + pair, y + tall + 6), frame.state, _QUIET, small, anchor="ra")
    write_atomically(path, lambda file: page.save(file, "PNG"))


def _small(session: Session, *, after: bool) -> np.ndarray:
    """uint8 sRGB, _CELL px wide."""
    photo, level = session.photo, 0
    while photo.level_bounds(level + 1).width >= _CELL:
        level += 1
    rect = photo.level_bounds(level)
    pixels = session.engine.pixels(session.job, rect, level) if after else photo.read(rect, level)
    size = (_CELL, max(1, round(_CELL * rect.height / rect.width)))
    small = cv2.resize(np.clip(pixels, 0, 1), size, interpolation=cv2.INTER_AREA)
    if not profiles.is_srgb(photo.profile):
        small = profiles.convert(small, photo.profile, profiles.srgb_profile())
    return np.round(255 * np.clip(small, 0, 1)).astype(np.uint8)
