"""An outline while the pen draws it."""

from collections.abc import Callable

from lather.desktop.input.pen import PenEvent


class OutlineTrail:
    """places: (x, y) in the photo, from the press on; empty while nothing is drawn."""

    def __init__(self):
        self.places: list[tuple[float, float]] = []

    def take(self, event: PenEvent) -> list[tuple[float, float]]:
        """Follow the pen. Returns the whole outline when it is lifted, else an empty list."""
        if event.kind == "press":
            self.places = [(event.x, event.y)]
        elif event.kind == "move" and event.down and self.places:
            self.places.append((event.x, event.y))
        elif event.kind == "release":
            return self.drop()
        return []

    def follow(self, event: PenEvent, finish: Callable[[list[tuple[float, float]]], None]) -> bool:
        """Follow the pen; `finish` gets the whole outline when it is lifted. True if the event was for the outline."""
        outline = self.take(event)
        if outline:
            finish(outline)
        return event.kind != "leave"

    def drop(self) -> list[tuple[float, float]]:
        """Begin anew; returns what was drawn."""
        places, self.places = self.places, []
        return places
