"""What a person's program does with a file that comes in, all of it: open, look, render, save, open again."""

from pathlib import Path

from lather.core.colour import profiles
from lather.core.deliver.export import Output
from lather.core.errors import LatherError
from lather.core.imageio.metadata import describe
from lather.core.session import Session
from lather.core.types import Rect

_LARGEST_PX = 400


def try_file(path: Path, *, thorough: bool = False) -> str:
    """"" when all went well, else the one sentence that was said. Any other exception escapes, as a fault.

    thorough: also export it, save it as a job and open that.
    """
    try:
        session = Session.open(path)
        photo = session.photo
        describe(photo.picture.exif)
        profiles.name(photo.profile)
        part = Rect(0, 0, min(photo.width, _LARGEST_PX), min(photo.height, _LARGEST_PX))
        profiles.to_lab(session.engine.pixels(session.job, part), photo.profile)
        if thorough and photo.width * photo.height < 4_000_000:
            session.export(path.with_name("out.jpg"), Output())
            session.save(path.with_name("again.lather"))
            Session.open(path.with_name("again.lather"))
    except LatherError as error:
        if "\n" in error.message.strip() or len(error.message) > 600 or not error.message.strip():
            raise AssertionError(f"not one clear sentence: {error.message[:200]!r}") from error
        return error.message
    return ""
