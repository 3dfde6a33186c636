"""A raw file as a camera could have written it: made from a picture, mosaicked, as DNG."""

import io

import cv2
import numpy as np
import tifffile

XYZ_TO_CAMERA = np.array([[0.79, -0.24, -0.08], [-0.44, 1.23, 0.23], [-0.09, 0.21, 0.62]])
"""Made up, of the kind that cameras have."""
_RGB_TO_XYZ = np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750],
                        [0.0193339, 0.1191920, 0.9503041]])  # IEC 61966-2-1
_RGGB, _WHITE_LEVEL = bytes([0, 1, 1, 2]), 16000


def dng(linear: np.ndarray, light: np.ndarray | None = None) -> bytes:
    """The bytes of a DNG of a linear sRGB picture (h, w, 3) 0-1, both sides even.

    light: XYZ of the light it was taken under (Y = 1); what the camera measured is right. None: D65.
    """
    white = XYZ_TO_CAMERA @ (_RGB_TO_XYZ.sum(1) if light is None else light)
    # another light on the same surfaces, as the camera's own channels see it; the exposure gives grey its own green
    seen = linear @ (XYZ_TO_CAMERA @ _RGB_TO_XYZ).T * (white / (XYZ_TO_CAMERA @ _RGB_TO_XYZ.sum(1))) / white[1]
    mosaic = seen[..., 1].copy()
    mosaic[::2, ::2], mosaic[1::2, 1::2] = seen[::2, ::2, 0], seen[1::2, 1::2, 2]
    neutral = white / white.max()
    rational = [v for number in XYZ_TO_CAMERA.ravel() for v in (round(number * 10_000), 10_000)]
    out = io.BytesIO()
    codes = np.round(_WHITE_LEVEL * np.clip(mosaic, 0, 1)).astype(np.uint16)
    tifffile.imwrite(
        out, codes, photometric=32803, metadata=None, rowsperstrip=len(codes), extratags=[
            (271, "s", 0, "Made up", True), (272, "s", 0, "Made up one", True), (274, "H", 1, 1, True),
            (33421, "H", 2, (2, 2), True), (33422, "B", 4, _RGGB, True), (50706, "B", 4, bytes([1, 4, 0, 0]), True),
            (50708, "s", 0, "Made up one", True), (50714, "H", 1, 0, True), (50717, "H", 1, _WHITE_LEVEL, True),
            (50721, "2i", 9, rational, True), (50778, "H", 1, 21, True),
            (50728, "2I", 3, [v for number in neutral for v in (round(number * 1_000_000), 1_000_000)], True),
        ],
    )
    return out.getvalue()


def half_linear(codes: np.ndarray) -> np.ndarray:
    """Linear sRGB (h, w, 3) of uint16 codes at half the size, both sides even."""
    half = cv2.resize(codes.astype(np.float32) / 65535, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    even = half[: half.shape[0] // 2 * 2, : half.shape[1] // 2 * 2].astype(float)
    return np.where(even <= 0.04045, even / 12.92, ((even + 0.055) / 1.055) ** 2.4)
