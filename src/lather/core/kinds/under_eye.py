"""The hollow under an eye: softened, not deleted."""

from lather.core.kinds.base import FindKind

KIND = FindKind(
    "under_eye", "Under-eye", softened=True, layer_name="Under-eye, {where}", size=(1.7, 3.0), edge=0.8,
    caution="Softened, not deleted: what is left is measured at the right. Less than the band reads as painted.",
)
