"""What the tip's pressure becomes: each hand presses otherwise."""

from dataclasses import dataclass

_BEND_PER_DOUBLING = 50.0


@dataclass(frozen=True)
class PressureCurve:
    """start, full: pressure 0-1 that is nothing yet, and all already. bend: -100 (soft: a light touch gives much)
    to 100 (firm), 0 a straight line. Never falls; 0 stays 0 and 1 stays 1.
    """

    start: float = 0.0
    full: float = 1.0
    bend: float = 0.0

    def __call__(self, pressure: float) -> float:
        share = (pressure - self.start) / max(self.full - self.start, 1e-6)
        return min(1.0, max(0.0, share)) ** (2 ** (self.bend / _BEND_PER_DOUBLING))


_current = PressureCurve()


def curve() -> PressureCurve:
    """As the person set it."""
    return _current


def use(chosen: PressureCurve) -> None:
    global _current
    _current = chosen
