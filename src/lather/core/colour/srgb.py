"""sRGB transfer function (IEC 61966-2-1)."""

import numpy as np

from lather.core.loops import loop

_KNEE = 0.04045
_STEPS = 4096  # of the table between which decoding interpolates: off by 1e-7 at the most, float32 rounding with it


def _decoded(encoded: np.ndarray) -> np.ndarray:
    return np.where(encoded <= _KNEE, encoded / 12.92, ((np.maximum(encoded, 0) + 0.055) / 1.055) ** 2.4)


_FEW = 12  # values
TABLE = _decoded(np.arange(_STEPS + 2) / _STEPS)
"""Linear light of encoded n / 4096, for compiled loops; the last entry is one step beyond white."""


def decode(encoded: np.ndarray) -> np.ndarray:
    """Encoded sRGB 0-1 to linear light 0-1, any shape, float32."""
    encoded = np.asarray(encoded, np.float32, order="C")
    out = np.empty_like(encoded)
    few = encoded.size <= _FEW and not _decode.ready  # the colour under the pen waits for nothing
    (_decode.plain if few else _decode)(encoded.reshape(-1), TABLE, out.reshape(-1))
    return out


@loop("const(f4[::1]), f8[::1], f4[::1]")
def _decode(values, table, out):  # pragma: no cover - compiled
    for n in range(values.size):
        v = np.float64(values[n])
        if v <= _KNEE:
            out[n] = v / 12.92
        elif v < 1:
            at = v * _STEPS
            i = int(at)
            out[n] = table[i] + (at - i) * (table[i + 1] - table[i])
        else:
            out[n] = ((v + 0.055) / 1.055) ** 2.4


def encode(linear: np.ndarray) -> np.ndarray:
    """Linear light 0-1 to encoded sRGB 0-1, any shape, float32."""
    linear = np.maximum(np.asarray(linear, np.float32), 0.0)
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055).astype(np.float32)
