"""Rectangles cut at the borders of tiles: a change is kept in pieces that each lie inside one."""

from lather.core.types import TILE, Rect, tiles_of


def split_at_tiles(area: Rect) -> list[Rect]:
    """Pieces of a rectangle, each inside one tile."""
    return [Rect(c * TILE, r * TILE, (c + 1) * TILE, (r + 1) * TILE).intersect(area) for c, r in tiles_of(area)]
