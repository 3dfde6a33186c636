"""How a raw file is developed: neutrally, but for exposure and white balance."""

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass

import numpy as np

from lather.core.phrases import phrase
from lather.core.ranges import Range

EXPOSURE, KELVIN, TINT = Range(-3.0, 3.0, "stops"), Range(2000.0, 12_000.0, "K"), Range(-50.0, 50.0)
DEVELOPMENT = "development"
"""Where a job sheet keeps it."""

_WIDE_TO_XYZ = np.array([[0.6369580, 0.1446169, 0.1688810], [0.2627002, 0.6779981, 0.0593017],
                         [0.0000000, 0.0280727, 1.0609851]])  # ITU-R BT.2020, D65
_TELLS = (0.01, 0.97)  # linear: between them a colour says what light fell on it
_MOST_CAST = 3.0  # of its strongest camera colour over its weakest, beyond which it is no grey card and no white
_TINT_PER_STOP = 200.0
_PLANCK_TO, _DAYLIGHT_FROM = 3500.0, 4500.0


@dataclass(frozen=True)
class Development:
    """exposure: stops. kelvin: colour of the light, None as the camera measured it. tint: -50 (green) to 50 (magenta),
    50 takes green down by a quarter of a stop.
    """

    exposure: float = 0.0
    kelvin: float | None = None
    tint: float = 0.0

    def to_json(self) -> dict:
        """Plain values, for the job sheet."""
        return asdict(self)

    @classmethod
    def of(cls, written: object) -> "Development":
        """What cannot be is left out."""
        held = written if isinstance(written, Mapping) else {}
        kelvin = _within(held.get("kelvin"), KELVIN)
        return cls(_within(held.get("exposure"), EXPOSURE) or 0.0, kelvin, _within(held.get("tint"), TINT) or 0.0)

    def said(self) -> str:
        """`as the camera measured`, `+0.7 stop, 5600 K`."""
        parts = [phrase("%1 stop", f"{self.exposure:+.1f}")] if self.exposure else []
        parts += [f"{self.kelvin:.0f} K"] if self.kelvin is not None else []
        parts += [phrase("tint %1", f"{self.tint:+.0f}")] if self.tint else []
        return ", ".join(parts) or "as the camera measured"


def _within(value: object, held: Range) -> float | None:
    known = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
    return min(held.high, max(held.low, float(value))) if known else None


def daylight_xyz(kelvin: float) -> np.ndarray:
    """White of a light, XYZ with Y = 1: Planck's light up to 3500 K (cubic fit by Kim et al., US patent 7024034), the
    CIE daylight locus (CIE 15:2004) from 4500 K on, and what lies between, so that nothing jumps.
    """
    share = min(1.0, max(0.0, (kelvin - _PLANCK_TO) / (_DAYLIGHT_FROM - _PLANCK_TO)))
    lights = [(1 - share, _planck(kelvin)), (share, _daylight(max(kelvin, 4000.0)))]
    x, y = (sum(part * xy[n] for part, xy in lights) for n in (0, 1))
    return np.array([x / y, 1.0, (1 - x - y) / y])


def _daylight(t: float) -> tuple[float, float]:
    a = (-4.6070e9, 2.9678e6, 0.09911e3, 0.244063) if t <= 7000 else (-2.0064e9, 1.9018e6, 0.24748e3, 0.237040)
    x = a[0] / t**3 + a[1] / t**2 + a[2] / t + a[3]
    return x, -3.000 * x * x + 2.870 * x - 0.275


def _planck(t: float) -> tuple[float, float]:
    a = (-0.2661239e9, -0.2343589e6, 0.8776956e3, 0.179910) if t <= 4000 else (
        -3.0258469e9, 2.1070379e6, 0.2226347e3, 0.240390)
    x = a[0] / t**3 + a[1] / t**2 + a[2] / t + a[3]
    b = ((-1.1063814, -1.34811020, 2.18555832, -0.20219683) if t < 2222 else
         (-0.9549476, -1.37418593, 2.09137015, -0.16748867) if t <= 4000 else
         (3.0817580, -5.87338670, 3.75112997, -0.37001483))
    return x, ((b[0] * x + b[1]) * x + b[2]) * x + b[3]


def multipliers(xyz_to_camera: np.ndarray, kelvin: float) -> np.ndarray:
    """(3,) factors of red, green, blue, green 1, that make a light's white grey in the camera's own colours (3, 3)."""
    white = xyz_to_camera @ daylight_xyz(kelvin)
    return white[1] / np.maximum(white, 1e-6)


def kelvin_of(xyz_to_camera: np.ndarray, camera: np.ndarray) -> float:
    """The light that a camera's own factors (3,) were meant for: where red against blue agrees."""
    wanted = math.log(camera[0] / camera[2])
    low, high = KELVIN.low, KELVIN.high
    for _ in range(40):  # red against blue only rises with the light's temperature
        middle = math.sqrt(low * high)
        red, _, blue = multipliers(xyz_to_camera, middle)
        low, high = (middle, high) if math.log(red / blue) < wanted else (low, middle)
    return math.sqrt(low * high)


def balance(development: Development, xyz_to_camera: np.ndarray, camera: np.ndarray) -> np.ndarray:
    """(3,) factors for a development. What the camera measured beside the light's temperature (its tint) is kept."""
    made = np.asarray(camera, float) / camera[1]
    if development.kelvin is not None:
        at, now = (multipliers(xyz_to_camera, k) for k in (kelvin_of(xyz_to_camera, made), development.kelvin))
        made = made * now / at
    made[1] *= 2.0 ** (-development.tint / _TINT_PER_STOP)
    return made / made.min()


def neutral_by(rgb: np.ndarray, development: Development, xyz_to_camera: np.ndarray, camera: np.ndarray
               ) -> Development | None:
    """The development under which a colour becomes grey; None for one that is no grey card and no white: too colourful,
    clipped, or too dark to tell.

    rgb: (3,) linear, BT.2020, of the picture as `development` gives it. camera: factors as the camera measured them.
    """
    if not _TELLS[0] <= float(np.min(rgb)) <= float(np.max(rgb)) <= _TELLS[1]:
        return None
    into = xyz_to_camera @ _WIDE_TO_XYZ
    seen = (into / into.sum(1, keepdims=True)) @ rgb  # what the camera saw, after its factors: white is white in both
    if seen.min() <= 0 or seen.max() / seen.min() > _MOST_CAST:
        return None
    wanted = balance(development, xyz_to_camera, camera) * seen[1] / seen
    low, high = KELVIN.low, KELVIN.high
    for _ in range(40):
        kelvin = math.sqrt(low * high)
        made = balance(Development(development.exposure, kelvin), xyz_to_camera, camera)
        low, high = (kelvin, high) if made[0] / made[2] < wanted[0] / wanted[2] else (low, kelvin)
    green = (wanted[1] / math.sqrt(wanted[0] * wanted[2])) / (made[1] / math.sqrt(made[0] * made[2]))
    tint = min(TINT.high, max(TINT.low, -_TINT_PER_STOP * math.log2(green)))
    return Development(development.exposure, round(kelvin), round(tint, 1))
