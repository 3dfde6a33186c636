"""Read JPEG, PNG, TIFF and WebP into a `Picture`, raw and HEIC by extras. The bytes decide what a file is."""

import io
import logging
import struct
import warnings
from pathlib import Path

import imagecodecs
import numpy as np
import tifffile
from PIL import Image

from lather.core.colour import profiles
from lather.core.errors import PictureError
from lather.core.imageio.development import Development
from lather.core.imageio.files import read_bytes
from lather.core.imageio.heif import is_heif, read_heif
from lather.core.imageio.picture import MAX_PIXELS, Picture
from lather.core.imageio.raw import develop, is_raw
from lather.core.log import timed
from lather.core.phrases import phrase
from lather.core.ranges import Range

logging.getLogger("tifffile").setLevel(logging.CRITICAL)  # what is wrong is said by PictureError, once
warnings.filterwarnings("ignore", module="PIL")
Image.MAX_IMAGE_PIXELS = None  # the limit below is checked before anything is decoded
_MOST_JPEG_PIXELS_PER_BYTE = 32 * 32 * 8
_MOST_DEFLATED = 1032
_MOST_PACKED, _MOST_PACKED_OTHERWISE = {1: 1, 5: 3000, 8: _MOST_DEFLATED, 32946: _MOST_DEFLATED, 32773: 64}, 10_000
_KNOWN = "JPEG, PNG, TIFF or WebP (raw files and HEIC with their extras)"
_ORIENTATION_TAG = 274
_X_RESOLUTION, _RESOLUTION_UNIT = 282, 296
_PER_INCH = {2: 1.0, 3: 2.54}
_PPI = Range(2.0, 30_000.0)


def read_picture(path: str | Path, *, max_pixels: int = MAX_PIXELS) -> Picture:
    """Read a picture file.

    Raises PictureError with one clear sentence for anything that is not a whole, readable picture
    of at most `max_pixels`.
    """
    path = Path(path)
    return decode_picture(read_bytes(path), name=path.name, max_pixels=max_pixels)


@timed("photo decoded", lambda picture: f"{picture.format}, {picture.bits} bits, {picture.pixels.shape}")
def decode_picture(data: bytes, *, name: str = "picture", max_pixels: int = MAX_PIXELS,
                   development: Development | None = None) -> Picture:
    """Decode the bytes of a picture file; `name` is only used in messages. Raises PictureError.

    development: of a raw file; without it, as the camera measured.
    """
    if not data:
        raise PictureError(phrase("%1 is empty (0 bytes); copy it again from the camera or the sender.", name))
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            if is_raw(data):
                return develop(data, name, development or Development(), max_pixels=max_pixels)
            if is_heif(data):
                codes, profile, exif = read_heif(data, name, max_pixels)
                return _finish(codes, profile=profile, exif=exif, fmt="HEIF", notes=[])
            if data[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
                return _decode_tiff(data, name, max_pixels)
            if data[:8] == b"\x89PNG\r\n\x1a\n":
                return _decode_png(data, name, max_pixels)
            if data[:3] == b"\xff\xd8\xff" or (data[:4] == b"RIFF" and data[8:12] == b"WEBP"):
                return _decode_pillow(data, name, max_pixels)
    except PictureError:
        raise
    except MemoryError:
        raise PictureError(phrase("%1 needs more memory than is free; close other programs and try again.",
                                  name)) from None
    except Exception as error:  # any decoder may fail in its own way on a damaged file
        raise PictureError(phrase("%1 is damaged and cannot be read (%2); get a fresh copy.", name,
                                  _short(error))) from error
    raise PictureError(phrase("%1 is not a picture Lather reads; use %2.", name, _KNOWN))


def _short(error: Exception) -> str:
    text = str(error).split("\n")[0].strip() or type(error).__name__
    return text[:100].rstrip(".")


def _check_size(width: int, height: int, name: str, max_pixels: int) -> None:
    if width < 1 or height < 1:
        raise PictureError(phrase("%1 has no pixels (%2×%3); get a fresh copy.", name, width, height))
    if width * height > max_pixels:
        raise PictureError(
            phrase("%1 claims %2×%3 pixels, over the limit of %4 megapixels; scale it down first or raise the limit.",
                   name, width, height, f"{max_pixels / 1000000.0:.0f}")
        )


def _good_profile(profile: bytes | None, space: str, notes: list[str]) -> bytes | None:
    if not profile:
        return None
    if not profiles.is_valid(profile) or profiles.colour_space(profile) != space:
        notes.append("The embedded colour profile is broken or of another kind; sRGB is assumed.")
        return None
    return profile


def _upright(pixels: np.ndarray, orientation: int) -> np.ndarray:
    """Turn and mirror by the Exif orientation 1-8 (CIPA DC-008)."""
    if orientation in (2, 4):
        pixels = pixels[:, ::-1] if orientation == 2 else pixels[::-1]
    elif orientation == 3:
        pixels = pixels[::-1, ::-1]
    elif orientation in (5, 6, 7, 8):
        pixels = np.swapaxes(pixels, 0, 1)
        if orientation == 6:
            pixels = pixels[:, ::-1]
        elif orientation == 7:
            pixels = pixels[::-1, ::-1]
        elif orientation == 8:
            pixels = pixels[::-1]
    return np.ascontiguousarray(pixels)


def _over_white(rgba: np.ndarray, notes: list[str]) -> np.ndarray:
    """Flatten straight alpha onto white."""
    top = np.iinfo(rgba.dtype).max
    if (rgba[..., 3] == top).all():
        return np.ascontiguousarray(rgba[..., :3])
    notes.append("Transparent parts were laid on white.")
    alpha = rgba[..., 3:].astype(np.float32) / top
    return np.round(rgba[..., :3] * alpha + top * (1 - alpha)).astype(rgba.dtype)


def _finish(codes, *, profile, exif, fmt, notes, ppi=None) -> Picture:
    """Codes of 1 to 4 channels (grey, grey+alpha, RGB, RGBA) to a Picture."""
    if codes.ndim == 2:
        codes = codes[..., None]
    is_grey = codes.shape[2] in (1, 2)
    if is_grey:
        grey = codes[..., 0]
        rgb = profiles.grey_to_rgb(grey, profile)
        if codes.shape[2] == 2:
            rgb = np.concatenate([rgb, codes[..., 1:]], -1)
        had = profile is not None and profiles.is_valid(profile) and profiles.colour_space(profile) == "GRAY"
        codes, profile = rgb, (profiles.srgb_profile() if had else None)
    if codes.shape[2] == 4:
        codes = _over_white(codes, notes)
    profile = _good_profile(profile, "RGB", notes)
    return Picture(np.ascontiguousarray(codes), profile, exif, fmt, tuple(notes), ppi, is_grey)


def _ppi(image: Image.Image) -> float | None:
    """Pixels per inch that a file states; None where it states none, or nothing that can be."""
    try:
        if image.format in ("JPEG", "WEBP") and not image.info.get("jfif_unit"):  # Pillow makes up 72 here
            exif = image.getexif()
            ppi = float(exif[_X_RESOLUTION]) * _PER_INCH[int(exif.get(_RESOLUTION_UNIT, 2))]
        else:
            ppi = float(image.info["dpi"][0])
    except Exception:  # metadata never keeps a picture from opening
        return None
    return round(ppi, 2) if ppi in _PPI else None


def _decode_pillow(data: bytes, name: str, max_pixels: int) -> Picture:
    with Image.open(io.BytesIO(data)) as image:
        _check_size(*image.size, name, max_pixels)
        notes: list[str] = []
        profile, exif = image.info.get("icc_profile"), image.info.get("exif")
        orientation, ppi = _orientation(image), _ppi(image)
        fmt = image.format or ""
        if fmt == "JPEG":
            _check_jpeg_end(data, name, image.width * image.height)
        if fmt == "JPEG" and image.mode in ("RGB", "L"):
            codes = imagecodecs.jpeg8_decode(data)  # the same library as Pillow's, a third quicker on large photos
        elif image.mode == "CMYK":
            ink = np.asarray(image)
            notes.append("CMYK was turned into sRGB.")
            codes, profile = profiles.cmyk_to_rgb(ink, profile), profiles.srgb_profile()
        else:
            if image.mode not in ("L", "LA", "RGB", "RGBA"):
                image = image.convert("RGBA" if "transparency" in image.info or "A" in image.mode else "RGB")
            codes = np.asarray(image)
    return _finish(_upright(codes, orientation), profile=profile, exif=exif, fmt=fmt, notes=notes, ppi=ppi)


def _check_jpeg_end(data: bytes, name: str, pixels: int) -> None:
    """A JPEG has its end marker after the scan; the decoder itself would fill a cut-off picture with grey.

    It also has at least a bit for each of its largest blocks (32×32 px): a few bytes are no picture of 400 megapixels.
    """
    at = 2
    while at + 4 <= len(data) and data[at] == 0xFF and data[at + 1] != 0xDA:
        at += 1 if data[at + 1] == 0xFF else 2 + int.from_bytes(data[at + 2 : at + 4], "big")
    if data.find(b"\xff\xd9", at) < 0 or len(data) - at < pixels / _MOST_JPEG_PIXELS_PER_BYTE:
        raise PictureError(phrase("%1 is cut off before its end; get a fresh copy.", name))


def _check_packed(data: bytes, raw_bytes: int, name: str) -> None:
    """Deflate packs at most 1032 to 1: a file that claims more pixels than that is cut off."""
    if len(data) * _MOST_DEFLATED < raw_bytes:
        raise PictureError(phrase("%1 is cut off before its end; get a fresh copy.", name))


def _orientation(image: Image.Image) -> int:
    try:
        return int(image.getexif().get(_ORIENTATION_TAG, 1))
    except Exception:  # a broken Exif block must not keep the picture from opening
        return 1


def _decode_png(data: bytes, name: str, max_pixels: int) -> Picture:
    if data[12:16] != b"IHDR" or len(data) < 33:
        raise PictureError(phrase("%1 is damaged: its PNG header is cut off; get a fresh copy.", name))
    width, height, depth, colour_type = struct.unpack(">IIBB", data[16:26])
    _check_size(width, height, name, max_pixels)
    channels = {0: 1, 2: 3, 3: 1, 4: 2, 6: 4}.get(colour_type, 1)
    _check_packed(data, height * (1 + width * channels * depth // 8), name)
    if depth < 16:
        return _decode_pillow(data, name, max_pixels)
    if b"IEND" not in data[-16:]:
        raise PictureError(phrase("%1 is cut off before its end; get a fresh copy.", name))
    notes: list[str] = []
    with Image.open(io.BytesIO(data)) as image:  # header only: Pillow does not decode 16 bits
        profile, exif = image.info.get("icc_profile"), image.info.get("exif")
        orientation, ppi = _orientation(image), _ppi(image)
    codes = imagecodecs.png_decode(data)
    return _finish(_upright(codes, orientation), profile=profile, exif=exif, fmt="PNG", notes=notes, ppi=ppi)


def _decode_tiff(data: bytes, name: str, max_pixels: int) -> Picture:
    notes: list[str] = []
    with tifffile.TiffFile(io.BytesIO(data)) as tiff:
        if not tiff.pages:
            raise PictureError(phrase("%1 holds no picture; get a fresh copy.", name))
        page = tiff.pages[0]
        _check_size(page.imagewidth, page.imagelength, name, max_pixels)
        _check_segments(page, len(data), name)
        codes = page.asarray()
        tags = page.tags
        profile = tags[34675].value if 34675 in tags else None
        orientation = int(tags[_ORIENTATION_TAG].value) if _ORIENTATION_TAG in tags else 1
        photometric, planar = int(page.photometric), int(page.planarconfig)
    if codes.ndim == 3 and planar == 2:
        codes = np.moveaxis(codes, 0, -1)
    if codes.ndim not in (2, 3) or codes.size == 0:
        raise PictureError(phrase("%1 is not a flat picture (its shape is %2); save it as a plain TIFF.", name,
                                  codes.shape))
    codes = _integer_codes(codes, name, notes)
    if photometric == 0:  # white is zero
        codes = np.iinfo(codes.dtype).max - codes
    if photometric == 5 and codes.ndim == 3 and codes.shape[2] >= 4:
        notes.append("CMYK was turned into sRGB.")
        codes, profile = profiles.cmyk_to_rgb(codes[..., :4], profile), profiles.srgb_profile()
    elif photometric not in (0, 1, 2, 6):
        raise PictureError(phrase("%1 uses a TIFF colour kind Lather does not read; save it as RGB TIFF.", name))
    codes = codes[..., :4] if codes.ndim == 3 else codes
    exif, ppi = _tiff_facts(data)
    return _finish(_upright(codes, orientation), profile=profile, exif=exif, fmt="TIFF", notes=notes, ppi=ppi)


def _check_segments(page: tifffile.TiffPage, file_bytes: int, name: str) -> None:
    """Strips or tiles hold at least what the best packing needs; missing ones would be filled with nothing."""
    held = sum(count for at, count in zip(page.dataoffsets, page.databytecounts) if 0 < at < file_bytes)
    times = _MOST_PACKED.get(int(page.compression), _MOST_PACKED_OTHERWISE)
    if min(held, file_bytes) * times < page.nbytes:
        raise PictureError(phrase("%1 is cut off before its end; get a fresh copy.", name))


def _integer_codes(codes: np.ndarray, name: str, notes: list[str]) -> np.ndarray:
    if codes.dtype in (np.uint8, np.uint16):
        return codes
    if codes.dtype == bool:
        return codes.astype(np.uint8) * 255
    if np.issubdtype(codes.dtype, np.floating):
        if not np.isfinite(codes).all():
            notes.append("Pixels that were not numbers were set to black.")
            codes = np.nan_to_num(codes, nan=0.0, posinf=1.0, neginf=0.0)
        return np.round(np.clip(codes, 0, 1) * 65535).astype(np.uint16)
    raise PictureError(phrase("%1 stores %2 samples; save it with 8 or 16 bits.", name, codes.dtype))


def _tiff_facts(data: bytes) -> tuple[bytes | None, float | None]:
    """(Exif, ppi)"""
    try:
        with Image.open(io.BytesIO(data)) as image:
            return image.getexif().tobytes() or None, _ppi(image)
    except Exception:  # metadata never keeps a picture from opening
        return None, None
