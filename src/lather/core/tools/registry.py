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
    grow,
    hold,
    hold_area,
    let_go,
    lift,
    light,
    lower,
    mask,
    mask_area,
    measure,
    mix,
    pick,
    pool_rim,
    push,
    reference,
    settle,
    shade,
    straighten,
    strand,
    stretch,
    sweep,
    swell,
    target,
    tuck,
    unmask,
    veil,
)
from lather.core.tools.base import Tool

TOOLS: dict[str, Tool] = {}
"""Tools by id; `add` is how one comes in."""


def add(tool: Tool) -> None:
    """Let a tool in; the line that a tool has here."""
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
    pick.TOOL,
    reference.TOOL,
    target.TOOL,
    pool_rim.TOOL,
    mask_area.TOOL,
    mask.TOOL,
    unmask.TOOL,
    grow.TOOL,
):
    add(_tool)

COPY_MODES = TOOLS["copy"].modes


def modes() -> tuple[str, ...]:
    """All that a stroke's mode may be."""
    return tuple(dict.fromkeys(("any", *(mode for tool in TOOLS.values() for mode in tool.modes))))
