"""The profile of a made-up matte paper, made by this program and free for any use (CC0): for soft proofs and trials.

An output profile of version 2 (ICC.1:2001-04) with tables of 16 bits (`mft2`). What the paper does is a smooth map that
can be inverted: black is lifted, and chroma runs into a limit, so that the tables need no search.
"""

import struct
from functools import cache
from pathlib import Path

import numpy as np

from lather.core.colour import lab, srgb

FILE = Path(__file__).parents[1] / "data" / "profiles" / "matte-paper.icc"
NAME = "Lather matte paper (made up)"
_LICENCE = "Made by Lather; no rights reserved (CC0 1.0)."
_BLACK_L = 17.0  # L* of the deepest black over paper white
_MOST_C = 62.0  # chroma that the paper tends to
_STRAIGHT = 0.55  # of that: up to here chroma stays as it is
_WHITE_XYZ = (0.836, 0.868, 0.704)  # of the paper, under D50
_DEVICE_GRID, _LAB_GRID = 17, 33


@cache
def paper_profile() -> bytes:
    """The profile as it ships."""
    return FILE.read_bytes()


def make_paper_profile() -> bytes:
    """The profile made anew."""
    forward = _table(_DEVICE_GRID, lambda rgb: _lab_codes(_printed(_lab_of(rgb))))
    colorimetric, perceptual = (
        _table(_LAB_GRID, lambda codes, black=black: np.round(65535 * _device(codes, black)).astype(">u2"))
        for black in (_BLACK_L, 0.0))
    to_lab, from_lab, from_lab_perceptual = (
        _mft2(forward, _DEVICE_GRID), _mft2(colorimetric, _LAB_GRID), _mft2(perceptual, _LAB_GRID))
    return _profile([
        (b"desc", _text_description(NAME)), (b"cprt", b"text\0\0\0\0" + _LICENCE.encode() + b"\0"),
        (b"wtpt", b"XYZ \0\0\0\0" + b"".join(_s15(value) for value in _WHITE_XYZ)),
        (b"A2B0", to_lab), (b"A2B1", to_lab), (b"A2B2", to_lab),
        (b"B2A0", from_lab_perceptual), (b"B2A1", from_lab), (b"B2A2", from_lab_perceptual),
    ])


def _lab_of(rgb: np.ndarray) -> np.ndarray:
    """Device values 0-1 (n, 3), coded as sRGB, before the paper: Lab (D50)."""
    return lab.srgb_to_lab(np.float32(rgb)[None])[0].astype(np.float64)


def _printed(before: np.ndarray) -> np.ndarray:
    """Lab relative to paper white, of what was meant to be Lab `before`."""
    chroma = np.hypot(before[:, 1], before[:, 2])
    share = _held(chroma) / np.maximum(chroma, 1e-9)
    light = _BLACK_L + before[:, 0] * (100 - _BLACK_L) / 100
    return np.stack([light, before[:, 1] * share, before[:, 2] * share], 1)


def _held(chroma: np.ndarray) -> np.ndarray:
    """Straight at first, then towards _MOST_C without reaching it."""
    knee = _STRAIGHT * _MOST_C
    room = _MOST_C - knee
    return np.where(chroma <= knee, chroma, knee + room * np.tanh(np.maximum(chroma - knee, 0) / room))


def _freed(chroma: np.ndarray) -> np.ndarray:
    """Inverse of `_held`; chroma that the paper does not reach gives what comes nearest."""
    knee = _STRAIGHT * _MOST_C
    room = _MOST_C - knee
    beyond = np.clip((chroma - knee) / room, 0, np.tanh(2.0))
    return np.where(chroma <= knee, chroma, knee + room * np.arctanh(beyond))


def _device(codes: np.ndarray, black_l: float) -> np.ndarray:
    """Device values for grid places (n, 3) of 0-1 over the encoded Lab; black_l: L* that becomes black.

    What no device value gives keeps its lightness and hue and loses chroma.
    """
    codes = codes * 65535
    wanted = np.stack([codes[:, 0] / 652.8, codes[:, 1] / 256 - 128, codes[:, 2] / 256 - 128], 1)
    light = np.clip((wanted[:, 0] - black_l) * 100 / (100 - black_l), 0, 100)
    chroma = np.hypot(wanted[:, 1], wanted[:, 2])
    # the perceptual table is given what was meant, the colorimetric one what the paper is to show
    target = chroma if black_l == 0 else _freed(chroma)
    unit = wanted[:, 1:] / np.maximum(chroma, 1e-9)[:, None]
    low, high = np.zeros(len(light)), np.ones(len(light))
    for _ in range(18):  # the largest share of the chroma that sRGB holds at this lightness and hue
        share = 0.5 * (low + high)
        rgb = _rgb(light, unit * (target * share)[:, None])
        inside = ((rgb > -1e-4) & (rgb < 1 + 1e-4)).all(1)
        low, high = np.where(inside, share, low), np.where(inside, high, share)
    whole = _rgb(light, unit * target[:, None])
    fits = ((whole > -1e-4) & (whole < 1 + 1e-4)).all(1)
    return np.clip(np.where(fits[:, None], whole, _rgb(light, unit * (target * low)[:, None])), 0, 1)


def _rgb(light: np.ndarray, ab: np.ndarray) -> np.ndarray:
    """Coded sRGB of Lab (D50), unclipped below 0 and above 1 as far as signs go."""
    fy = (light + 16) / 116
    fx, fz = fy + ab[:, 0] / 500, fy - ab[:, 1] / 200
    xyz = np.stack([np.where(f**3 > 216 / 24389, f**3, (116 * f - 16) * 27 / 24389) for f in (fx, fy, fz)], 1)
    linear = (xyz * lab.WHITE_D50) @ np.linalg.inv(lab.RGB_TO_XYZ_D50).T
    return np.sign(linear) * srgb.encode(np.abs(linear)).astype(np.float64)


def _table(side: int, values) -> bytes:
    steps = np.linspace(0, 1, side)
    grid = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), -1).reshape(-1, 3)
    return np.ascontiguousarray(values(grid)).astype(">u2").tobytes()


def _lab_codes(values: np.ndarray) -> np.ndarray:
    """Lab as version 2 has it in 16 bits: L* 100 is 65280, a* and b* 0 are 32768."""
    codes = np.stack([values[:, 0] * 652.8, (values[:, 1] + 128) * 256, (values[:, 2] + 128) * 256], 1)
    return np.clip(np.round(codes), 0, 65535).astype(">u2")


def _mft2(table: bytes, side: int) -> bytes:
    identity = b"".join(_s15(value) for value in (1, 0, 0, 0, 1, 0, 0, 0, 1))
    ramp = struct.pack(">HH", 0, 65535) * 3
    return (b"mft2\0\0\0\0" + bytes((3, 3, side, 0)) + identity + struct.pack(">HH", 2, 2) + ramp + table + ramp)


def _s15(value: float) -> bytes:
    return struct.pack(">i", round(value * 65536))


def _text_description(text: str) -> bytes:
    plain = text.encode() + b"\0"
    return b"desc\0\0\0\0" + struct.pack(">I", len(plain)) + plain + bytes(4 + 4 + 2 + 1 + 67)


def _profile(tags: list[tuple[bytes, bytes]]) -> bytes:
    at, body, table, held = 128 + 4 + 12 * len(tags), b"", b"", {}
    for name, data in tags:
        if data not in held:
            held[data] = at + len(body)
            body += data + bytes(-len(data) % 4)
        table += name + struct.pack(">II", held[data], len(data))
    date = struct.pack(">6H", 2026, 11, 1, 0, 0, 0)
    header = (
        struct.pack(">I", at + len(body)) + b"lcms" + bytes((2, 0x40, 0, 0)) + b"prtrRGB Lab " + date + b"acsp"
        + bytes(4) + struct.pack(">I", 0) + bytes(4) + bytes(4) + bytes(8) + struct.pack(">I", 0)
        + b"".join(_s15(value) for value in (0.9642, 1.0, 0.8249)) + bytes(4)
    )
    return header + bytes(128 - len(header)) + struct.pack(">I", len(tags)) + table + body


if __name__ == "__main__":
    FILE.parent.mkdir(exist_ok=True)
    FILE.write_bytes(make_paper_profile())
