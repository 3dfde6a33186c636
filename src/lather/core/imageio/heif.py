"""HEIC and HEIF, as phones write them, by libheif."""

import io

import numpy as np

from lather.core.errors import PictureError
from lather.core.phrases import phrase

_BRANDS = (b"heic", b"heix", b"heim", b"heis", b"hevc", b"hevx", b"mif1", b"msf1")
_MISSING = ("{name} is a HEIC photo: reading those needs an extra, pip install 'lather[heif]' (in a checkout: "
            "./lather extra heif). Or save it as JPEG on the phone.")


def is_heif(data: bytes) -> bool:
    """True for the bytes of a HEIC or AVIF file, by its brand."""
    return data[4:8] == b"ftyp" and data[8:12] in _BRANDS


def read_heif(data: bytes, name: str, max_pixels: int) -> tuple[np.ndarray, bytes | None, bytes | None]:
    """(codes uint8, or uint16 where it holds more, of 1 to 4 channels and upright, profile, Exif).

    Raises PictureError, also where the extra is missing.
    """
    try:
        import pillow_heif
    except ImportError:
        raise PictureError(_MISSING.format(name=name)) from None
    file = pillow_heif.open_heif(io.BytesIO(data), convert_hdr_to_8bit=False)
    width, height = file.size
    if width * height > max_pixels:
        raise PictureError(phrase("%1 claims %2×%3 pixels, over the limit of %4 megapixels; raise the limit.", name,
                                  width, height, f"{max_pixels / 1000000.0:.0f}"))
    return np.asarray(file), file.info.get("icc_profile") or None, file.info.get("exif") or None
