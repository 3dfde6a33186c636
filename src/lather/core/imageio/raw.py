"""Raw camera files and DNG, developed neutrally by LibRaw: no curve, no look, 16 bits in a wide colour space."""

import io
from functools import cache

import imagecodecs
import numpy as np
import tifffile
from PIL import Image

from lather.core.errors import PictureError
from lather.core.imageio.development import Development, balance, kelvin_of, neutral_by
from lather.core.imageio.picture import Picture
from lather.core.phrases import phrase

_SIGNED = (b"FUJIFILMCCD-RAW", b"IIRO", b"IIRS", b"MMOR", b"IIU\0")
_CFA, _LINEAR, _DNG_VERSION = 32803, 34892, 50706  # TIFF/EP and DNG: photometric interpretations, a tag
_TOLD = (271, 272, 306, 315, 33432)  # make, model, date, artist, copyright
_GAMMA = 2.2
_PRIMARIES = [0.708, 0.292, 1, 0.170, 0.797, 1, 0.131, 0.046, 1]  # ITU-R BT.2020: more than skin and lips need
_WHITE = [0.3127, 0.3290, 1.0]
_SRGB_TO_XYZ = np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750],
                         [0.0193339, 0.1191920, 0.9503041]])  # IEC 61966-2-1
_MISSING = ("{name} is a raw camera file: reading those needs an extra, pip install 'lather[raw]' (in a checkout: "
            "./lather extra raw). Or develop it elsewhere and open the TIFF.")


def is_raw(data: bytes) -> bool:
    """By what is in the file, never by its name."""
    if data[:15].startswith(_SIGNED) or data[4:12] == b"ftypcrx ":
        return True
    if data[:4] not in (b"II*\0", b"MM\0*"):
        return False
    if data[8:10] == b"CR":
        return True
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            first = file.pages.first
            inner = first.pages or ()
            return _DNG_VERSION in first.tags or any(int(page.photometric or 0) in (_CFA, _LINEAR)
                                                     for page in (first, *inner))
    except Exception:  # whatever it is, the reader of TIFF says what is wrong with it
        return False


@cache
def wide_profile() -> bytes:
    """ICC profile of what is developed: primaries of BT.2020, gamma 2.2."""
    return imagecodecs.cms_profile("rgb", whitepoint=_WHITE, primaries=_PRIMARIES, gamma=_GAMMA)


@cache
def _encode() -> np.ndarray:
    """Linear 16-bit codes to gamma ones."""
    return np.round(65535 * (np.arange(65536) / 65535) ** (1 / _GAMMA)).astype(np.uint16)


def _opened(data: bytes, name: str):
    try:
        import rawpy
    except ImportError:
        raise PictureError(_MISSING.format(name=name)) from None
    try:
        return rawpy.imread(io.BytesIO(data))
    except rawpy.LibRawError as error:
        raise PictureError(phrase("%1 cannot be developed (%2); get a fresh copy, or develop it elsewhere and open "
                                  "the TIFF.", name, _said(error))) from error


def _said(error: Exception) -> str:
    said = error.args[0] if error.args else type(error).__name__
    return (said.decode(errors="replace") if isinstance(said, bytes) else str(said))[:100]


def _xyz_to_camera(file) -> np.ndarray:
    """(3, 3). LibRaw names it for the cameras it knows; of a DNG it keeps only what it made of it: camera to sRGB,
    after the factors for daylight. Where neither is known, the camera is taken to see as sRGB does.
    """
    known = np.array(file.rgb_xyz_matrix[:3], float)
    if np.linalg.matrix_rank(known) == 3:
        return known
    to_srgb, daylight = np.array(file.color_matrix[:3, :3], float), np.array(file.daylight_whitebalance[:3], float)
    if np.linalg.matrix_rank(to_srgb) == 3 and (daylight > 0).all():
        return np.diag(1 / daylight) @ np.linalg.inv(to_srgb) @ np.linalg.inv(_SRGB_TO_XYZ)
    return np.linalg.inv(_SRGB_TO_XYZ)


def _measured_balance(file) -> np.ndarray:
    """(3,) factors as the camera measured the light; for daylight where it wrote none."""
    camera = np.array(file.camera_whitebalance[:3], float)
    return camera if (camera > 0).all() else np.array(file.daylight_whitebalance[:3], float)


def light_of(data: bytes, name: str) -> float:
    """Temperature of the light, kelvin, as the camera measured it. Raises PictureError."""
    with _opened(data, name) as file:
        return kelvin_of(_xyz_to_camera(file), _measured_balance(file))


def neutral_of(data: bytes, name: str, development: Development, code: np.ndarray) -> Development | None:
    """The development by which a colour becomes grey, as `neutral_by`. code: (3,) 0-1, as `develop` gave it.

    Raises PictureError.
    """
    with _opened(data, name) as file:
        linear = np.clip(np.asarray(code, float), 0, 1) ** _GAMMA
        return neutral_by(linear, development, _xyz_to_camera(file), _measured_balance(file))


def develop(data: bytes, name: str, development: Development, *, max_pixels: int, half: bool = False) -> Picture:
    """uint16, BT.2020 primaries, gamma 2.2; clipped where the sensor was. half: half the size, much faster.

    Raises PictureError, also where the extra `raw` is not installed.
    """
    with _opened(data, name) as file:
        import rawpy

        height, width = file.sizes.height, file.sizes.width
        if width * height > max_pixels:
            raise PictureError(phrase("%1 claims %2×%3 pixels, over the limit of %4 megapixels; raise the limit.", name,
                                      width, height, f"{max_pixels / 1000000.0:.0f}"))
        red, green, blue = balance(development, _xyz_to_camera(file), _measured_balance(file))
        try:
            linear = file.postprocess(
                user_wb=[red, green, blue, green], adjust_maximum_thr=0.0,
                output_color=rawpy.ColorSpace.Rec2020, output_bps=16, gamma=(1, 1), no_auto_bright=True,
                half_size=half, highlight_mode=rawpy.HighlightMode.Clip,
                exp_shift=2.0**development.exposure if development.exposure else None,
                exp_preserve_highlights=1.0 if development.exposure > 0 else 0.0,
            )
        except rawpy.LibRawError as error:
            raise PictureError(phrase("%1 cannot be developed (%2); get a fresh copy.", name, _said(error))) from error
    note = phrase("Developed from raw: %1.", development.said())
    return Picture(_encode()[linear], wide_profile(), _exif(data), "raw", (note,))


def _exif(data: bytes) -> bytes | None:
    """Who took it, with what and when, of the kinds of raw file that are TIFF inside; None of the others."""
    exif = Image.Exif()
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            for tag in _TOLD:
                if tag in file.pages.first.tags:
                    exif[tag] = str(file.pages.first.tags[tag].value)
    except Exception:  # made by all kinds of devices; the picture is there
        return None
    return exif.tobytes() if exif else None
