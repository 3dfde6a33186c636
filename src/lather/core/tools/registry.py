"""All tools, in the order in which the brush strip shows them."""

from lather.core.tools import (
    area,
    blend_in,
    carry,
    copy,
    dab,
    drag,
    draw_in,
    even_area,
    give_back,
    graft,
    grain,
    hold,
    hold_area,
    let_go,
    lift,
    light,
    lower,
    measure,
    mix,
    push,
    settle,
    shade,
    straighten,
    strand,
    stretch,
    sweep,
    swell,
    tuck,
    veil,
)
from lather.core.tools.base import Tool

TOOLS: dict[str, Tool] = {}
"""Tools by id; `add` is how one comes in."""


def add(tool: Tool) -> None:
    TOOLS[tool.id] = tool


for _tool in (
    dab.TOOL,
    carry.TOOL,
    copy.TOOL,
    sweep.TOOL,
    graft.TOOL,
    blend_in.TOOL,
    drag.TOOL,
    give_back.TOOL,
    strand.TOOL,
    area.TOOL,
    mix.TOOL,
    veil.TOOL,
    grain.TOOL,
    lift.TOOL,
    lower.TOOL,
    even_area.TOOL,
    light.TOOL,
    shade.TOOL,
    push.TOOL,
    swell.TOOL,
    draw_in.TOOL,
    settle.TOOL,
    hold.TOOL,
    let_go.TOOL,
    hold_area.TOOL,
    straighten.TOOL,
    stretch.TOOL,
    tuck.TOOL,
    measure.TOOL,
):
    add(_tool)

COPY_MODES = TOOLS["copy"].modes


def modes() -> tuple[str, ...]:
    """All that a stroke's mode may be."""
    return tuple(dict.fromkeys(("any", *(mode for tool in TOOLS.values() for mode in tool.modes))))
