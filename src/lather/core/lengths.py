"""Lengths as they are shown: held in centimetres and millimetres, shown in those or in inches."""

CM_PER = {"cm": 1.0, "in": 2.54}
"""Centimetres in one of a unit."""


def shown(cm: float, unit: str) -> float:
    """A length in cm, as the unit shows it, to a hundredth."""
    return round(cm / CM_PER[unit], 2)


def sides_text(width_cm: float, height_cm: float, unit: str = "cm") -> str:
    """`20 × 25 cm`, `7.87 × 9.84 in`."""
    return f"{shown(width_cm, unit):g} × {shown(height_cm, unit):g} {unit}"


def small_text(mm: float, unit: str = "cm", digits: int = 1) -> str:
    """`1.3 mm`, `0.05 in`."""
    return f"{mm:.{digits}f} mm" if unit == "cm" else f"{mm / 25.4:.{digits + 1}f} in"
