"""Export: the whole picture by strips, at full precision, without the cache, with progress and cancel."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from lather.core.colour import profiles
from lather.core.deliver.scale import scale_in_linear_light
from lather.core.deliver.sharpening import Sharpening, sharpened
from lather.core.engine.engine import Engine
from lather.core.errors import Cancelled, RequestError
from lather.core.imageio.metadata import MetadataChoice, select_exif
from lather.core.imageio.write import DEPTHS, format_for, write_picture
from lather.core.job.model import Job
from lather.core.log import timed
from lather.core.loops import loop
from lather.core.memory import give_back_memory
from lather.core.phrases import phrase
from lather.core.types import TILE, EncodedRGB, Rect

STRIP_PX = TILE
_TILES_KEPT_BYTES = 256 * 1024**2  # about what a window shows: the rest makes room for the picture


@dataclass(frozen=True)
class Output:
    """How a picture is delivered.

    long_edge_px: None keeps the size; it is never enlarged. size_px: (width, height) in its place, larger too. bits: 8
    or 16. quality 1-100 for JPEG and WebP. to_srgb: convert, else keep the photo's profile; profile: convert to that
    one instead. grey: one channel, by lightness. sharpen: last of all. ppi: None keeps the photo's. The profile is
    always embedded.
    """

    bits: int = 8
    quality: int = 92
    long_edge_px: int | None = None
    to_srgb: bool = True
    grey: bool = False
    metadata: MetadataChoice = field(default_factory=MetadataChoice)
    size_px: tuple[int, int] | None = None
    profile: bytes | None = None
    sharpen: Sharpening | None = None
    ppi: float | None = None

    def size_of(self, width: int, height: int) -> tuple[int, int]:
        """Pixels of a delivered photo."""
        return self.size_px or output_size(width, height, self.long_edge_px)

    def profile_of(self, photo_profile: bytes | None) -> bytes:
        """The profile its pixels are in; a grey output becomes grey after that."""
        own = photo_profile or profiles.srgb_profile()
        if self.profile is not None:
            return self.profile
        return profiles.srgb_profile() if self.to_srgb and not profiles.is_srgb(own) else own


@loop("f4[:, :, ::1], i8, u1[:, :, ::1]", fastmath=True)
def _dither(values, y0, out):  # pragma: no cover - compiled
    """Round to 8 bits with position-seeded noise under half a step: a value that is whole stays as it is."""
    for y in range(values.shape[0]):
        for x in range(values.shape[1]):
            h = np.uint32(x) * np.uint32(374761393) + np.uint32(y + y0) * np.uint32(668265263)
            for c in range(3):
                g = h + np.uint32(c) * np.uint32(2246822519)
                g = (g ^ (g >> np.uint32(13))) * np.uint32(1274126177)
                g = g ^ (g >> np.uint32(16))
                noise = (np.float32(g & np.uint32(0xFFFF)) / np.float32(65536.0) - np.float32(0.5)) * np.float32(0.98)
                v = min(max(values[y, x, c], np.float32(0.0)), np.float32(1.0)) * np.float32(255.0)
                out[y, x, c] = np.uint8(min(max(np.floor(v + noise + np.float32(0.5)), 0.0), 255.0))


def to_codes(values: EncodedRGB, bits: int, first_row: int = 0) -> np.ndarray:
    """Encoded RGB 0-1 to uint8 (dithered by absolute position) or uint16 codes."""
    if bits == 16:
        return np.round(np.clip(values, 0, 1) * 65535).astype(np.uint16)
    out = np.empty(values.shape, np.uint8)
    _dither(np.ascontiguousarray(values, np.float32), first_row, out)
    return out


def output_size(width: int, height: int, long_edge_px: int | None) -> tuple[int, int]:
    """Size after fitting the long edge; never larger than the picture."""
    longest = max(width, height)
    if not long_edge_px or long_edge_px >= longest:
        return width, height
    scale = long_edge_px / longest
    return max(1, round(width * scale)), max(1, round(height * scale))


def render(
    engine: Engine, job: Job, output: Output, progress: Callable[[float], bool] | None = None
) -> tuple[np.ndarray, bytes]:
    """Codes (h, w, 3), of grey (h, w), uint8 or uint16, and the profile they are in.

    progress(share 0-1) is called after each strip; returning False cancels. Scaling runs in linear light on
    float strips. Raises Cancelled or RequestError.
    """
    if output.long_edge_px is not None and output.long_edge_px < 1:
        raise RequestError("The long edge must be at least 1 px.")
    photo = engine.photo
    profile, target = photo.profile or profiles.srgb_profile(), output.profile_of(photo.profile)
    scaled = output.size_of(photo.width, photo.height) != (photo.width, photo.height)
    in_float = scaled or output.sharpen is not None
    whole = np.empty((photo.height, photo.width, 3),
                     np.float32 if in_float else np.uint8 if output.bits == 8 else np.uint16)
    share = 0.8 if in_float else 0.95
    for rect, values in strips(engine, job):
        if target is not profile:
            values = profiles.convert(np.clip(values, 0, 1), profile, target)
        whole[rect.y0 : rect.y1] = values if in_float else to_codes(values, output.bits, rect.y0)
        if progress and not progress(share * rect.y1 / photo.height):
            raise Cancelled()
    if in_float:
        whole = to_codes(finished(whole, output, target), output.bits)
    if output.grey:
        return profiles.rgb_to_grey(whole, target), profiles.grey_profile()
    return whole, target


def strips(engine: Engine, job: Job) -> Iterator[tuple[Rect, EncodedRGB]]:
    """The finished picture from top to bottom; the tiles on the way are not all kept."""
    engine.cache.shrink(_TILES_KEPT_BYTES)
    give_back_memory()
    width, height = engine.photo.width, engine.photo.height
    for y0 in range(0, height, STRIP_PX):
        rect = Rect(0, y0, width, min(height, y0 + STRIP_PX))
        yield rect, engine.pixels(job, rect)


def finished(values: EncodedRGB, output: Output, target: bytes) -> EncodedRGB:
    """A whole picture, in the profile it goes out in, at its size and sharpened."""
    values = scale_in_linear_light(values, output.size_of(values.shape[1], values.shape[0]), target)
    return values if output.sharpen is None else sharpened(np.clip(values, 0, 1), output.sharpen)


@timed("picture written")
def export(
    engine: Engine, job: Job, path: str | Path, output: Output, progress: Callable[[float], bool] | None = None
) -> None:
    """Render and write a file by its ending. Raises SaveError, RequestError or Cancelled; then nothing is left."""
    fmt = format_for(path)
    if output.bits not in DEPTHS[fmt]:
        raise RequestError(phrase("%1 holds 8 bits a channel; choose PNG or TIFF for 16.", fmt))
    if output.grey and fmt == "WebP":
        raise RequestError("WebP holds no grey pictures; choose JPEG, PNG or TIFF.")
    codes, profile = render(engine, job, output, progress)
    photo = engine.photo.picture
    exif = select_exif(photo.exif, output.metadata)
    write_picture(path, codes, profile=profile, exif=exif, quality=output.quality, fmt=fmt,
                  ppi=output.ppi or photo.ppi)
    if progress:
        progress(1.0)
