"""What a smearing hand sets before it paints."""


def take_full_veil(desk) -> None:
    """A new Veil in Split, wide and at full strength, with a large brush; Split must be in hand."""
    split = desk.stages["split"].panel
    split.new["veil"].click()
    split.width_px.set_value(30, tell=True)
    desk.layers.strength.set_value(100, tell=True)
    desk.brush_strip.flow.set_value(100, tell=True)
    desk.brush_strip.size.set_value(300, tell=True)
