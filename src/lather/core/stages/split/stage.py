"""Split: skin parted into texture and tone; each layer works on one band."""

from lather.core.job.model import Layer, new_id
from lather.core.stages.example import FENCE, edit
from lather.core.stages.info import StageInfo
from lather.core.stages.split.kind import TOOLS_OF_BAND, SplitKind
from lather.core.stages.split.plan import planned


def _layer(band: str, *, edge_keeping: bool) -> Layer:
    outline = [(120, 130), (420, 110), (450, 380), (200, 430)]
    line = [(90 + 20 * i, 260 + 6 * i) for i in range(20)]
    edits = {
        "tone": (edit("area", outline, size=12, feather=30.0), edit("mix", line, size=70, flow=0.3),
                 edit("copy", line, size=50, offset=(30, 60))),
        "texture": (edit("copy", line, size=90, offset=(-40, 80)), edit("carry", line[:6], offset=(60, -90)),
                    edit("dab", [(300, 400)], offset=(40, -70))),
        "blotch": (edit("area", outline, size=40, feather=20.0, mode="flat"), edit("give_back", line[:9], size=60)),
        "veil": (edit("veil", line, size=120),),
    }[band]
    settings = {"band": band, "width_px": 4.0, "edge_keeping": edge_keeping}
    return Layer(new_id(), band, "split", edits=edits, settings=settings, fence=FENCE if edge_keeping else None)


STAGE = StageInfo(
    "split", "Split", SplitKind, "Tone", TOOLS_OF_BAND["tone"],
    lambda: (_layer("tone", edge_keeping=True), _layer("texture", edge_keeping=False),
             _layer("blotch", edge_keeping=False), _layer("veil", edge_keeping=True)),
    tools_of=lambda layer: TOOLS_OF_BAND.get(layer.settings.get("band"), TOOLS_OF_BAND["tone"]),
    planned=planned,
)
