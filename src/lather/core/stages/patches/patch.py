"""A solved edit: the change it makes, kept sparse, at every level.

A change (delta) is linear in all that follows: layer strength multiplies it and halving it is exact, so levels
agree. Stored as int16 (steps of 1/32767), so a patch read back from a job file is the same to the bit.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import cv2
import imagecodecs
import numpy as np

from lather.core.loops import loop
from lather.core.memory import Budget
from lather.core.recent import Recent
from lather.core.types import EMPTY, TILE, Mask, Rect

_STEPS = 32767
_WITH_LEVELS = 5 / 3  # a quarter as many pixels at each level, of twice the bytes


@loop("f4[:, :, :], i2[:, :, :], f4", "f4[:, :, :], f4[:, :, :], f4", fastmath=True)
def _add_codes(out, codes, scale):  # pragma: no cover - compiled
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            for c in range(3):
                out[y, x, c] += codes[y, x, c] * scale


@loop("f4[:, :, :], i2[:, :, ::1]")
def _to_codes(delta, codes):  # pragma: no cover - compiled
    """Fill codes; (x0, y0, x1, y1) around what is not zero."""
    x0, y0, x1, y1 = delta.shape[1], delta.shape[0], 0, 0
    steps, one = np.float32(_STEPS), np.float32(1)
    for y in range(delta.shape[0]):
        first, last = delta.shape[1], -1
        for x in range(delta.shape[1]):
            for c in range(3):
                code = np.int16(np.rint(min(max(delta[y, x, c], -one), one) * steps))
                codes[y, x, c] = code
                if code != 0:
                    first, last = min(first, x), x
        if last >= 0:
            x0, x1, y0, y1 = min(x0, first), max(x1, last + 1), min(y0, y), y + 1
    return x0, y0, x1, y1


@dataclass
class Patch:
    """`pieces`: (rect at level 0, int16 (h, w, 3)); each lies inside one tile. `bounds`: the picture."""

    pieces: list[tuple[Rect, np.ndarray]]
    bounds: Rect
    disagreement: float = 0.0
    _levels: dict[int, list[tuple[Rect, np.ndarray]]] = field(default_factory=dict)

    @property
    def nbytes(self) -> int:
        """Of all levels, which are made as they are asked for."""
        return int(_WITH_LEVELS * sum(codes.nbytes for _, codes in self.pieces))

    @classmethod
    def from_blocks(cls, blocks, bounds: Rect, disagreement: float = 0.0) -> "Patch":
        """From (rect, float32 delta) blocks; what is zero all round is cut away."""
        pieces = []
        for rect, delta in blocks:
            codes = np.empty(delta.shape, np.int16)
            used = Rect(*_to_codes(delta, codes))
            if not used.empty:
                pieces.append((used.shift(rect.x0, rect.y0), np.ascontiguousarray(codes[used.slices(EMPTY)])))
        return cls(pieces, bounds, disagreement)

    def times(self, coverage: Callable[[Rect], Mask]) -> "Patch":
        """The change where a fence lets it through."""
        blocks = [(rect, codes * (coverage(rect)[..., None] / np.float32(_STEPS))) for rect, codes in self.pieces]
        return Patch.from_blocks(blocks, self.bounds, self.disagreement)

    def add_to(self, out: np.ndarray, rect: Rect, level: int, strength: float = 1.0) -> None:
        """Add `strength` times the change inside a rectangle of a level to `out` (float32, rect's size)."""
        for piece, values in self.at_level(level):
            common = piece.intersect(rect)
            if common.empty:
                continue
            target, part = out[common.slices(rect)], values[common.slices(piece)]
            _add_codes(target, part, np.float32(strength / _STEPS))

    def at_level(self, level: int) -> list[tuple[Rect, np.ndarray]]:
        """Pieces of a level; above 0 they are float32 in code units."""
        if level == 0:
            return self.pieces
        if level not in self._levels:
            width, height = self.bounds.x1, self.bounds.y1
            for _ in range(level - 1):
                width, height = (width + 1) // 2, (height + 1) // 2
            self._levels[level] = [
                _halve_piece(rect, values, width, height) for rect, values in self.at_level(level - 1)
            ]
        return self._levels[level]

    def to_png_pieces(self) -> list[tuple[int, int, bytes]]:
        """(x0, y0, 16-bit PNG) of each piece, for the job file: code + 32768."""
        encoded = []
        for rect, codes in self.pieces:
            shifted = (codes.astype(np.int32) + 32768).astype(np.uint16)
            encoded.append((rect.x0, rect.y0, cv2.imencode(".png", shifted[..., ::-1], [16, 1])[1].tobytes()))
        return encoded

    @classmethod
    def from_png_pieces(cls, encoded, bounds: Rect) -> "Patch | None":
        """Inverse of `to_png_pieces`; None if a piece is damaged or does not lie in the picture."""
        pieces = []
        for x0, y0, png in encoded:
            codes = _decoded(png)
            if codes is None:
                return None
            rect = Rect(x0, y0, x0 + codes.shape[1], y0 + codes.shape[0])
            if not bounds.contains(rect):
                return None
            values = np.empty(codes.shape, np.int16)
            _from_png_codes(codes, values)
            pieces.append((rect, values))
        return cls(pieces, bounds)


def _decoded(png: bytes) -> np.ndarray | None:
    """16-bit RGB codes (h, w, 3) of a piece, which is a tile at most; None for anything else."""
    if png[12:16] != b"IHDR" or any(int.from_bytes(png[at : at + 4], "big") > TILE for at in (16, 20)):
        return None
    try:
        codes = imagecodecs.png_decode(png)
    except Exception:  # a damaged cache is solved anew
        return None
    return codes if codes.dtype == np.uint16 and codes.ndim == 3 and codes.shape[2] == 3 else None


def _halve_piece(rect: Rect, values: np.ndarray, width: int, height: int) -> tuple[Rect, np.ndarray]:
    """One level up. Outside a piece the change is 0, but past the picture's border the edge repeats."""
    half = Rect(rect.x0 // 2, rect.y0 // 2, (rect.x1 + 1) // 2, (rect.y1 + 1) // 2)
    out = np.empty((half.height, half.width, 3), np.float32)
    _halve(values, rect.y0 % 2, rect.x0 % 2, rect.y1 == height, rect.x1 == width, out)
    return half, out


@loop("i2[:, :, ::1], i8, i8, b1, b1, f4[:, :, ::1]", "f4[:, :, ::1], i8, i8, b1, b1, f4[:, :, ::1]", fastmath=True)
def _halve(values, top, left, at_bottom, at_right, out):  # pragma: no cover - compiled
    height, width = values.shape[0], values.shape[1]
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            t0, t1, t2 = np.float32(0), np.float32(0), np.float32(0)
            for j in range(2):
                yy = 2 * y + j - top
                if yy == height and at_bottom:
                    yy = height - 1
                if yy < 0 or yy >= height:
                    continue
                for i in range(2):
                    xx = 2 * x + i - left
                    if xx == width and at_right:
                        xx = width - 1
                    if xx < 0 or xx >= width:
                        continue
                    t0, t1, t2 = t0 + values[yy, xx, 0], t1 + values[yy, xx, 1], t2 + values[yy, xx, 2]
            quarter = np.float32(0.25)
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = t0 * quarter, t1 * quarter, t2 * quarter


@loop("u2[:, :, ::1], i2[:, :, ::1]", fastmath=True)
def _from_png_codes(codes, out):  # pragma: no cover - compiled
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            for c in range(3):
                out[y, x, c] = np.int32(codes[y, x, c]) - 32768


class PatchStore:
    """Solved patches by fingerprint. Those of a job file wait as PNG until they are needed.

    limit_bytes: of what is solved; a third of it more for what lies there as PNG.
    """

    def __init__(self, limit_bytes: int | None = None):
        limit = int(0.75 * Budget.usual().share("patches")) if limit_bytes is None else limit_bytes
        self.solved = 0
        self._patches = Recent(limit, lambda patch: patch.nbytes, keeps_one=True)
        self._encoded = Recent(limit // 3, _png_bytes, keeps_one=True)

    def offer_encoded(self, encoded: dict) -> None:
        """Pieces of PNG by fingerprint; decoded when they are first wanted."""
        for fingerprint, pieces in encoded.items():
            self._encoded.put(fingerprint, pieces)

    def get(self, fingerprint: bytes, bounds: Rect) -> Patch | None:
        """The patch of a fingerprint, or None; a damaged one is none."""
        patch = self._patches.get(fingerprint)
        if patch is not None:
            return patch
        pieces = self._encoded.get(fingerprint)
        patch = Patch.from_png_pieces(pieces, bounds) if pieces is not None else None
        if patch is not None:
            self.put(fingerprint, patch)
        return patch

    def put(self, fingerprint: bytes, patch: Patch) -> None:
        """Keep a patch that was solved."""
        if fingerprint not in self._patches:
            self._patches.put(fingerprint, patch)

    def encoded(self, fingerprint: bytes) -> list[tuple[int, int, bytes]] | None:
        """PNG pieces of a patch that is at hand; None if it has not been solved."""
        pieces = self._encoded.get(fingerprint)
        if pieces is None:
            patch = self._patches.get(fingerprint)
            if patch is None:
                return None
            pieces = patch.to_png_pieces()
            self._encoded.put(fingerprint, pieces)
        return pieces


def _png_bytes(pieces: list[tuple[int, int, bytes]]) -> int:
    return 100 + sum(len(png) for _, _, png in pieces)
