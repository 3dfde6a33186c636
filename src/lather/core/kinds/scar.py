"""A scar: mended only if asked."""

from lather.core.kinds.base import FindKind

KIND = FindKind(
    "scar", "Scar", size=(1.4, 3.0),
    caution="Permanent marks stay unless the person wants them gone: ask first. A photo for an identity document must "
            "not be retouched.",
)
