"""Write JPEG, PNG and TIFF. Files appear whole or not at all: a temporary file is renamed at the end."""

import io
import os
import struct
import tempfile
import zlib
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import tifffile
from PIL import Image

from lather.core.errors import LatherError, SaveError

FORMATS = {".jpg": "JPEG", ".jpeg": "JPEG", ".png": "PNG", ".tif": "TIFF", ".tiff": "TIFF", ".webp": "WebP"}
DEPTHS = {"JPEG": (8,), "PNG": (8, 16), "TIFF": (8, 16), "WebP": (8,)}


def write_atomically(path: str | Path, write: Callable[[io.BufferedWriter], None]) -> None:
    """Call `write(file)` on a temporary file beside `path`, flush it to the disk, then rename it.

    Raises SaveError with what to do; then `path` is as it was before and nothing half-written stays.
    """
    path = Path(path)
    temporary = None
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        os.close(handle)
        with open(temporary, "wb") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o666 & ~_umask())
        os.replace(temporary, path)
        temporary = None
        _sync_folder(path.parent)
    except LatherError:
        raise
    except FileNotFoundError:
        raise SaveError(f"The folder {path.parent} does not exist; make it or choose another.", path=path) from None
    except OSError as error:
        reason = error.strerror or str(error)
        raise SaveError(
            f"{path.name} could not be written to {path.parent} ({reason}); free some space or choose another folder.",
            path=path,
        ) from error
    finally:
        if temporary is not None:
            Path(temporary).unlink(missing_ok=True)


def _umask() -> int:
    current = os.umask(0o022)
    os.umask(current)
    return current


def _sync_folder(folder: Path) -> None:
    """Make the rename itself survive a power cut, where the file system lets a folder be synced."""
    try:
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
    except OSError:
        pass


def format_for(path: str | Path) -> str:
    """`JPEG`, `PNG`, `TIFF` or `WebP` from a file name. Raises SaveError for another ending."""
    fmt = FORMATS.get(Path(path).suffix.lower())
    if fmt is None:
        raise SaveError(f"{Path(path).name}: the ending says no format Lather writes; use .jpg, .png, .tif or .webp.")
    return fmt


def write_picture(
    path: str | Path,
    codes: np.ndarray,
    *,
    profile: bytes,
    exif: Image.Exif | None = None,
    quality: int = 92,
    fmt: str | None = None,
) -> None:
    """Write uint8 or uint16 RGB codes (h, w, 3) with an embedded profile.

    `quality` 1-100 is for JPEG and WebP; from 90 on, JPEG keeps full colour resolution. Raises SaveError.
    """
    fmt = fmt or format_for(path)
    bits = codes.dtype.itemsize * 8
    if bits not in DEPTHS[fmt]:
        raise SaveError(f"{fmt} holds 8 bits a channel; choose PNG or TIFF for 16.")
    exif_bytes = exif.tobytes() if exif else b""

    def write(file) -> None:
        if fmt == "TIFF":
            _write_tiff(file, codes, profile, exif)
        elif fmt == "PNG" and bits == 16:
            _write_png16(file, codes, profile, exif_bytes)
        else:
            options: dict[str, object] = {"icc_profile": profile}
            if exif_bytes:
                options["exif"] = exif_bytes
            if fmt == "JPEG":
                options |= {"quality": quality, "subsampling": 0 if quality >= 90 else 2, "optimize": False}
            elif fmt == "WebP":
                options |= {"quality": quality}
            else:
                options |= {"compress_level": 4}
            # into memory first: Pillow may seek or leave out an error that a full disk raises on flush
            buffer = io.BytesIO()
            Image.fromarray(codes).save(buffer, fmt, **options)
            file.write(buffer.getbuffer())

    write_atomically(path, write)


def _write_tiff(file, codes: np.ndarray, profile: bytes, exif: Image.Exif | None) -> None:
    extra = []
    for tag in (271, 272, 306, 315, 33432):
        if exif and tag in exif:
            extra.append((tag, "s", 0, str(exif[tag]), True))
    tifffile.imwrite(
        file, codes, photometric="rgb", iccprofile=profile, extratags=extra, metadata=None, software="Lather",
        compression="zlib", compressionargs={"level": 1}, predictor=True, rowsperstrip=256, maxworkers=2,
    )


def _write_png16(file, codes: np.ndarray, profile: bytes, exif: bytes) -> None:
    done, encoded = cv2.imencode(".png", codes[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1])
    if not done:
        raise SaveError("The PNG could not be made; try TIFF.")
    data = encoded.tobytes()
    chunks = _png_chunk(b"iCCP", b"profile\0\0" + zlib.compress(profile))
    if exif:
        chunks += _png_chunk(b"eXIf", exif.removeprefix(b"Exif\0\0"))
    after_header = 33  # signature 8, IHDR chunk 25
    file.write(data[:after_header] + chunks + data[after_header:])


def _png_chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))
