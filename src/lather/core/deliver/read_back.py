"""A delivered file read again from the disk and compared with what was meant: only then is it called delivered."""

import hashlib
from pathlib import Path

import cv2
import numpy as np

from lather.core.deliver.open_raster import read_open_raster
from lather.core.errors import LatherError, PictureError, SaveError
from lather.core.imageio.files import read_bytes
from lather.core.imageio.read import decode_picture
from lather.core.phrases import phrase

_BLOCK = 16
_LOSSY = ("JPEG", "WebP")
_LOSSY_BLOCK, _LOSSY_MEAN = 16.0, 4.0  # 8-bit codes by which a block's mean, and the whole, may be off


class NotAsMeant(SaveError):
    """What lies on the disk is not what was to be delivered."""


def read_back(
    path: Path, *, meant: np.ndarray, profile: bytes, fmt: str, sha256: str | None = None
) -> tuple[int, str]:
    """(bytes, SHA-256) of the file. meant: codes (h, w, 3), or grey (h, w).

    sha256: of the bytes that were written, where that is known. Raises NotAsMeant with what differs.
    """
    try:
        data = read_bytes(path)
    except LatherError as error:
        raise NotAsMeant(phrase("%1 cannot be read back (%2); deliver it again.", path.name,
                                error.message), path=path) from error
    digest = hashlib.sha256(data).hexdigest()
    height, width = meant.shape[:2]
    if fmt == "OpenRaster":
        _check_open_raster(path, data, meant)
    else:
        try:
            picture = decode_picture(data, name=path.name, max_pixels=max(1, 2 * width * height))
        except PictureError as error:
            raise _wrong(path, phrase("it cannot be read: %1", error.message)) from error
        if (picture.width, picture.height) != (width, height):
            raise _wrong(path, phrase("it is %1 × %2 px, not %3 × %4", picture.width, picture.height, width, height))
        if picture.profile != profile and not (meant.ndim == 2 and picture.grey):
            raise _wrong(path, "its colour profile is not the one it was written with")
        _check_pixels(path, picture.pixels, meant, fmt)
    if sha256 is not None and digest != sha256:
        raise _wrong(path, "its bytes are not those that were written")
    return len(data), digest


def _wrong(path: Path, what: str) -> NotAsMeant:
    return NotAsMeant(phrase("%1 was written, but %2; it is not called delivered. Deliver it again, and look at the "
                             "disk if it comes back.", path.name, what), path=path)


def _check_pixels(path: Path, found: np.ndarray, meant: np.ndarray, fmt: str) -> None:
    if meant.ndim == 2:
        meant = np.repeat(meant[..., None], 3, -1)
        exact = False  # a grey file is read through its profile
    else:
        exact = fmt not in _LOSSY
    if exact:
        if found.dtype != meant.dtype or not np.array_equal(found, meant):
            raise _wrong(path, "its pixels are not those that were meant")
        return
    top = 255 / np.iinfo(meant.dtype).max
    off = np.abs(_blocks(found.astype(np.float32)) - _blocks(meant.astype(np.float32))) * np.float32(top)
    if float(off.mean()) > _LOSSY_MEAN or float(off.max()) > _LOSSY_BLOCK:
        raise _wrong(path, "its pixels are further from what was meant than its format explains")


def _blocks(values: np.ndarray) -> np.ndarray:
    """Means of blocks: what compression keeps."""
    height, width = values.shape[:2]
    size = (max(1, width // _BLOCK), max(1, height // _BLOCK))
    return cv2.resize(values, size, interpolation=cv2.INTER_AREA)


def _check_open_raster(path: Path, data: bytes, meant: np.ndarray) -> None:
    try:
        merged, composed = read_open_raster(data)
    except Exception as error:  # a damaged archive may fail in many ways
        raise _wrong(path, phrase("it is damaged (%1)", error)) from error
    if merged.shape[:2] != meant.shape[:2]:
        raise _wrong(path, phrase("it is %1 × %2 px, not %3 × %4", merged.shape[1], merged.shape[0], meant.shape[1],
                                  meant.shape[0]))
    if not np.array_equal(merged, meant):
        raise _wrong(path, "its pixels are not those that were meant")
    if not np.array_equal(composed, meant):
        raise _wrong(path, "its layers do not make the finished picture")


def still_as_delivered(path: Path, sha256: str) -> bool:
    """True if a file delivered earlier is there, and the very same."""
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest() == sha256
    except OSError:
        return False
