"""ICC profiles: checking, naming and converting between them with LittleCMS (through imagecodecs)."""

import functools
import hashlib
import io
import re

import imagecodecs
import numpy as np
from PIL import ImageCms

from lather.core.colour import lab, srgb
from lather.core.loops import loop

_LUT_SIZE = 33
_D50_XY = (0.3457, 0.3585)
_STRIP_ROWS = 512
_CHANNELS = {"RGB": ("rgb", 3), "GRAY": ("gray", 1), "CMYK": ("cmyk", 4)}


@functools.cache
def srgb_profile() -> bytes:
    """An sRGB ICC profile made by LittleCMS; used where a photo has none and for export."""
    return _undated(bytes(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()))


def _undated(profile: bytes) -> bytes:
    """A profile of ours without the hour at which it was made, nor the checksum over it (ICC.1:2022, 7.2.8 and 7.2.18):
    the same work gives the same bytes.
    """
    return profile[:24] + bytes((7, 208, 0, 1, 0, 1, 0, 0, 0, 0, 0, 0)) + profile[36:84] + bytes(16) + profile[100:]


@functools.cache
def grey_profile() -> bytes:
    """A grey ICC profile with the sRGB curve under D50: the codes of a neutral sRGB picture are its codes."""
    ramp = srgb.decode(np.linspace(0, 1, 1024, dtype=np.float32))
    curve = np.round(ramp * 65535).astype(np.uint16)
    return _undated(imagecodecs.cms_profile("gray", transferfunction=curve, whitepoint=list(_D50_XY)))


def rgb_to_grey(codes: np.ndarray, source: bytes) -> np.ndarray:
    """RGB codes (h, w, 3), uint8 or uint16, to grey codes (h, w) in `grey_profile`, by their lightness."""
    out = np.empty(codes.shape[:2], codes.dtype)
    for y0 in range(0, len(codes), _STRIP_ROWS):
        strip = np.ascontiguousarray(codes[y0 : y0 + _STRIP_ROWS])
        out[y0 : y0 + _STRIP_ROWS] = imagecodecs.cms_transform(
            strip, source, grey_profile(), colorspace="rgb", outcolorspace="gray", outdtype=codes.dtype,
            intent=imagecodecs.CMS.INTENT.RELATIVE_COLORIMETRIC,
        ).reshape(strip.shape[:2])
    return out


@functools.lru_cache(maxsize=64)
def is_valid(profile: bytes) -> bool:
    """True if LittleCMS can open the profile and convert colours with it: one that is a little broken only opens."""
    space = _CHANNELS.get(colour_space(profile))
    try:
        ImageCms.ImageCmsProfile(io.BytesIO(profile))
        if space is not None:
            name, channels = space
            one = np.zeros((1, 1, channels) if channels > 1 else (1, 1), np.uint16)
            imagecodecs.cms_transform(one, profile, srgb_profile(), colorspace=name, outcolorspace="rgb",
                                      outdtype=np.uint16, intent=imagecodecs.CMS.INTENT.RELATIVE_COLORIMETRIC,
                                      flags=imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION)
            if name == "rgb":  # it is written with as well
                imagecodecs.cms_transform(one, srgb_profile(), profile, colorspace=name, outcolorspace=name,
                                          outdtype=np.uint16)
    except (ImageCms.PyCMSError, imagecodecs.CmsError, OSError, ValueError, TypeError, RuntimeError):
        return False
    return True


def colour_space(profile: bytes) -> str:
    """`RGB`, `GRAY`, `CMYK`, …: the data colour space in the profile's header."""
    return profile[16:20].decode("ascii", "replace").strip()


@functools.lru_cache(maxsize=64)
def name(profile: bytes | None) -> str:
    """A short name for people; a photo without a profile is taken as sRGB."""
    if profile is None:
        return "sRGB (assumed)"
    if profile == grey_profile():
        return "grey, sRGB curve"
    try:
        text = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(profile))).strip()
    except (ImageCms.PyCMSError, OSError):
        text = ""
    return "sRGB" if re.match(r"sRGB\b", text) else text or "unnamed profile"


@functools.lru_cache(maxsize=64)
def is_srgb(profile: bytes | None) -> bool:
    """True if pixels in this profile look the same when read as sRGB (to half an 8-bit step)."""
    if profile is None or profile == srgb_profile():
        return True
    steps = np.linspace(0, 1, 6, dtype=np.float32)
    cube = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), -1).reshape(1, -1, 3)
    return bool(np.abs(_lcms(cube, profile, srgb_profile()) - cube).max() < 0.5 / 255)


INTENTS = {"relative": imagecodecs.CMS.INTENT.RELATIVE_COLORIMETRIC, "perceptual": imagecodecs.CMS.INTENT.PERCEPTUAL}


def _lcms(
    values: np.ndarray, source: bytes, target: bytes, intent: str = "relative", black_point: bool = True
) -> np.ndarray:
    """Through 16 bits; (h, w, 3) float 0-1. intent: one of INTENTS. black_point: black becomes black."""
    codes = np.round(np.clip(values, 0, 1) * 65535).astype(np.uint16)
    out = imagecodecs.cms_transform(
        np.ascontiguousarray(codes), source, target, colorspace="rgb", outcolorspace="rgb", outdtype=np.uint16,
        intent=INTENTS[intent], flags=imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION if black_point else 0,
    )
    return out.astype(np.float32) * np.float32(1 / 65535)


def convert(
    values: np.ndarray, source: bytes | None, target: bytes, *, intent: str = "relative", black_point: bool = True
) -> np.ndarray:
    """Encoded RGB (h, w, 3) float 0-1 from one profile to another; exact to 16 bits. intent: one of INTENTS."""
    source = source or srgb_profile()
    if source == target:
        return values
    return _lcms(values, source, target, intent, black_point)


def cmyk_to_rgb(codes: np.ndarray, source: bytes | None) -> np.ndarray:
    """CMYK ink (h, w, 4), integers with 0 = no ink, to sRGB integers of the same depth."""
    if source is not None and is_valid(source) and colour_space(source) == "CMYK":
        return imagecodecs.cms_transform(
            np.ascontiguousarray(codes), source, srgb_profile(), colorspace="cmyk", outcolorspace="rgb",
            outdtype=codes.dtype, intent=imagecodecs.CMS.INTENT.RELATIVE_COLORIMETRIC,
        )
    top = np.iinfo(codes.dtype).max
    ink = codes.astype(np.float32) / top
    return np.round((1 - ink[..., :3]) * (1 - ink[..., 3:]) * top).astype(codes.dtype)


def grey_to_rgb(codes: np.ndarray, source: bytes | None) -> np.ndarray:
    """Grey (h, w) integers to sRGB (h, w, 3) of the same depth, through the grey profile if there is one."""
    if source is not None and is_valid(source) and colour_space(source) == "GRAY":
        top = np.iinfo(codes.dtype).max
        ramp = np.arange(top + 1, dtype=codes.dtype).reshape(1, -1)
        table = imagecodecs.cms_transform(
            np.ascontiguousarray(ramp), source, srgb_profile(), colorspace="gray", outcolorspace="rgb",
            outdtype=codes.dtype, intent=imagecodecs.CMS.INTENT.RELATIVE_COLORIMETRIC,
        )
        return table.reshape(-1, 3)[codes]
    return np.repeat(codes[..., None], 3, -1)


@loop("const(f4[:, :, ::1]), f4[:, :, :, ::1], f4[:, :, ::1]", fastmath=True)
def _apply_lut(values, lut, out):  # pragma: no cover - compiled
    size = lut.shape[0]
    for y in range(values.shape[0]):
        for x in range(values.shape[1]):
            r = min(max(values[y, x, 0], 0.0), 1.0) * (size - 1)
            g = min(max(values[y, x, 1], 0.0), 1.0) * (size - 1)
            b = min(max(values[y, x, 2], 0.0), 1.0) * (size - 1)
            i, j, k = min(int(r), size - 2), min(int(g), size - 2), min(int(b), size - 2)
            fr, fg, fb = r - i, g - j, b - k
            for c in range(3):
                low = (lut[i, j, k, c] * (1 - fb) + lut[i, j, k + 1, c] * fb) * (1 - fg) + (
                    lut[i, j + 1, k, c] * (1 - fb) + lut[i, j + 1, k + 1, c] * fb
                ) * fg
                high = (lut[i + 1, j, k, c] * (1 - fb) + lut[i + 1, j, k + 1, c] * fb) * (1 - fg) + (
                    lut[i + 1, j + 1, k, c] * (1 - fb) + lut[i + 1, j + 1, k + 1, c] * fb
                ) * fg
                out[y, x, c] = low * (1 - fr) + high * fr


@functools.lru_cache(maxsize=8)
def display_lut(source: bytes | None, display: bytes | None) -> np.ndarray | None:
    """33³ table from the photo's profile to the display's; None where nothing has to be done."""
    display = display or srgb_profile()
    if is_srgb(source) and is_srgb(display):
        return None
    steps = np.linspace(0, 1, _LUT_SIZE, dtype=np.float32)
    cube = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), -1)
    flat = convert(cube.reshape(_LUT_SIZE, -1, 3), source, display)
    return np.ascontiguousarray(flat.reshape(_LUT_SIZE, _LUT_SIZE, _LUT_SIZE, 3))


def apply_display_lut(values: np.ndarray, lut: np.ndarray | None) -> np.ndarray:
    """Encoded RGB (h, w, 3) float32 through a `display_lut`; good to one 8-bit step inside the display gamut."""
    if lut is None:
        return values
    out = np.empty(values.shape, np.float32)
    _apply_lut(np.ascontiguousarray(values, np.float32), lut, out)
    return out


def to_lab(encoded: np.ndarray, profile: bytes | None) -> np.ndarray:
    """Encoded RGB (h, w, 3) in the photo's profile to Lab (D50)."""
    if not is_srgb(profile):
        encoded = convert(encoded, profile, srgb_profile())
    return lab.srgb_to_lab(encoded)


def digest(profile: bytes | None) -> str:
    """Short stable name of a profile, for cache keys."""
    return hashlib.sha256(profile or b"srgb").hexdigest()[:16]
