"""A crease: softened, not deleted."""

from lather.core.kinds.base import FindKind

KIND = FindKind(
    "crease", "Crease", softened=True, layer_name="Creases, {zone}",
    caution="Softened, not deleted: lines belong to the likeness. What is left is measured at the right.",
)
