"""Write JPEG, PNG, TIFF and WebP."""

import io
import struct
import zlib
from pathlib import Path

import numpy as np
import tifffile
from PIL import Image

from lather.core.errors import SaveError
from lather.core.imageio.atomic import write_atomically
from lather.core.imageio.png import encode_png
from lather.core.phrases import phrase

FORMATS = {".jpg": "JPEG", ".jpeg": "JPEG", ".png": "PNG", ".tif": "TIFF", ".tiff": "TIFF", ".webp": "WebP"}
_X_RESOLUTION, _Y_RESOLUTION, _RESOLUTION_UNIT, _PER_INCH = 282, 283, 296, 2  # Exif (CIPA DC-008)
_METRES_PER_INCH = 0.0254
DEPTHS = {"JPEG": (8,), "PNG": (8, 16), "TIFF": (8, 16), "WebP": (8,)}


def format_for(path: str | Path) -> str:
    """`JPEG`, `PNG`, `TIFF` or `WebP` from a file name. Raises SaveError for another ending."""
    fmt = FORMATS.get(Path(path).suffix.lower())
    if fmt is None:
        raise SaveError(phrase("%1: the ending says no format Lather writes; use .jpg, .png, .tif or .webp.",
                               Path(path).name))
    return fmt


def write_picture(
    path: str | Path,
    codes: np.ndarray,
    *,
    profile: bytes,
    exif: Image.Exif | None = None,
    quality: int = 92,
    fmt: str | None = None,
    ppi: float | None = None,
) -> None:
    """Write uint8 or uint16 codes, RGB (h, w, 3) or grey (h, w), with an embedded profile, and ppi if it is known.

    `quality` 1-100 is for JPEG and WebP; from 90 on, JPEG keeps full colour resolution. Raises SaveError.
    """
    data = encode_picture(codes, fmt or format_for(path), profile=profile, exif=exif, quality=quality, ppi=ppi)
    write_atomically(path, lambda file: file.write(data))


def encode_picture(
    codes: np.ndarray, fmt: str, *, profile: bytes, exif: Image.Exif | None = None, quality: int = 92,
    ppi: float | None = None,
) -> memoryview:
    """The bytes of a picture file, as `write_picture` puts them on the disk. Raises SaveError."""
    bits = codes.dtype.itemsize * 8
    if bits not in DEPTHS[fmt]:
        raise SaveError(phrase("%1 holds 8 bits a channel; choose PNG or TIFF for 16.", fmt))
    if ppi and fmt == "WebP":  # it has no other place for it
        exif = exif or Image.Exif()
        exif[_X_RESOLUTION], exif[_Y_RESOLUTION], exif[_RESOLUTION_UNIT] = ppi, ppi, _PER_INCH
    exif_bytes = exif.tobytes() if exif else b""
    buffer = io.BytesIO()
    if fmt == "TIFF":
        _write_tiff(buffer, codes, profile, exif, ppi)
    elif fmt == "PNG" and bits == 16:
        _write_png16(buffer, codes, profile, exif_bytes, ppi)
    else:
        options: dict[str, object] = {"icc_profile": profile}
        if exif_bytes:
            options["exif"] = exif_bytes
        if ppi:
            options["dpi"] = (ppi, ppi)
        if fmt == "JPEG":
            options |= {"quality": quality, "subsampling": 0 if quality >= 90 else 2, "optimize": False}
        elif fmt == "WebP":
            options |= {"quality": quality}
        else:
            options |= {"compress_level": 4}
        Image.fromarray(codes).save(buffer, fmt, **options)
    return buffer.getbuffer()


def _write_tiff(file, codes: np.ndarray, profile: bytes, exif: Image.Exif | None, ppi: float | None) -> None:
    extra = []
    for tag in (271, 272, 306, 315, 33432):
        if exif and tag in exif:
            extra.append((tag, "s", 0, str(exif[tag]), True))
    tifffile.imwrite(
        file, codes, photometric="rgb" if codes.ndim == 3 else "minisblack", iccprofile=profile, extratags=extra,
        metadata=None, software="Lather",
        compression="zlib", compressionargs={"level": 1}, predictor=True, rowsperstrip=256, maxworkers=2,
        resolution=(ppi, ppi) if ppi else None, resolutionunit="inch" if ppi else None,
    )


def _write_png16(file, codes: np.ndarray, profile: bytes, exif: bytes, ppi: float | None) -> None:
    data = encode_png(codes)
    chunks = _png_chunk(b"iCCP", b"profile\0\0" + zlib.compress(profile))
    if ppi:
        per_metre = round(ppi / _METRES_PER_INCH)
        chunks += _png_chunk(b"pHYs", struct.pack(">IIB", per_metre, per_metre, 1))
    if exif:
        chunks += _png_chunk(b"eXIf", exif.removeprefix(b"Exif\0\0"))
    after_header = 33  # signature 8, IHDR chunk 25
    file.write(data[:after_header] + chunks + data[after_header:])


def _png_chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))
