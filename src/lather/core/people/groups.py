"""Groups of parts that are asked for together."""

from lather.core.people.parsing import PARTS

GROUPS = {
    "skin": ("skin",), "hair": ("hair", "beard"), "scalp hair": ("hair",), "beard": ("beard",), "brows": ("brows",),
    "lips": ("lips",), "teeth": ("teeth",), "mouth": ("mouth",), "eye_whites": ("eye white",), "irises": ("iris",),
    "eyes": ("eye white", "iris"), "cloth": ("cloth",), "other": ("other",), "ground": ("ground",),
    "person": tuple(name for name in PARTS if name != "ground"),
    "features": ("brows", "lips", "teeth", "mouth", "eye white", "iris"),
}
"""What can be asked for, and which parts of the network it is."""


def numbers_of(what: str) -> tuple[int, ...]:
    """Numbers in PARTS of a group. Raises KeyError for another word."""
    return tuple(PARTS.index(name) for name in GROUPS[what])
