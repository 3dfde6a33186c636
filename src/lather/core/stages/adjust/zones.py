"""Zones that a mask may start from, and their labels."""

from lather.core.errors import RequestError
from lather.core.phrases import phrase

ZONES = {
    "skin": "Skin", "lips": "Lips", "teeth": "Teeth", "eye_whites": "Eye whites", "irises": "Irises",
    "brows": "Brows and lashes", "hair": "Hair", "cloth": "Cloth", "ground": "Ground", "person": "Person",
}

SKIN_PARTS = {
    "face": "Face, whole", "forehead": "Forehead", "nose": "Nose", "cheek, left": "Cheek, left",
    "cheek, right": "Cheek, right", "chin": "Chin", "neck": "Neck", "ears": "Ears", "hands": "Hands and other skin",
}
"""Parts of the skin that Match can take from, or carry to."""


def zone_label(zone: str) -> str:
    """What a zone is called."""
    return ZONES.get(zone) or SKIN_PARTS.get(zone) or zone


def read_zones(value: object) -> tuple[str, ...]:
    """Zones of a layer as a job file holds them. Raises RequestError or TypeError."""
    names = tuple(value)
    for name in names:
        if name not in ZONES and name not in SKIN_PARTS:
            raise RequestError(phrase("There is no zone “%1”; choose from %2.", name, ", ".join((*ZONES, *SKIN_PARTS))))
    return names
