"""Mend on the desk: it works on finds, which have a list of their own."""

from lather.desktop.stages.base import StagePart


class MendPart(StagePart):
    empty = ("No mends on this layer yet.\n\nTouch a spot on the photo: Lather looks for the skin to use and mends it. "
             "Every mend stays in this list and can be taken out again.")
