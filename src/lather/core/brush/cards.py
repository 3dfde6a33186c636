"""Brush cards: named settings of a tool and its brush. Shipped ones are data; the person's own are a JSON file."""

from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from lather.core.brush.values import Brush
from lather.core.errors import LatherError, SaveError
from lather.core.phrases import phrase
from lather.core.strict_json import MALFORMED, read_own, refused, write_own

SHIPPED = Path(__file__).parents[1] / "data" / "brush_cards.json"


@dataclass(frozen=True)
class BrushCard:
    """name, tool and brush; mode, own_texture: for Copy. hint: one line on what it is for."""

    name: str
    tool: str
    brush: Brush
    mode: str = "any"
    hint: str = ""
    shipped: bool = False
    own_texture: bool = False

    def to_json(self) -> dict:
        """Plain values, as `read_cards` takes them."""
        return {
            "name": self.name,
            "tool": self.tool,
            "brush": self.brush.to_json(),
            "mode": self.mode,
            "own_texture": self.own_texture,
            "hint": self.hint,
        }

    @classmethod
    def from_json(cls, data: dict, *, shipped: bool = False) -> "BrushCard":
        """Inverse of `to_json`. Raises KeyError, TypeError or ValueError for what cannot be a card."""
        return cls(
            str(data["name"]),
            str(data["tool"]),
            Brush.from_json(data["brush"]),
            str(data.get("mode", "any")),
            str(data.get("hint", "")),
            shipped,
            bool(data.get("own_texture", False)),
        )


def read_cards(path: Path, *, shipped: bool = False) -> tuple[BrushCard, ...]:
    """Cards of a file, less those that cannot be; none if it is not there or cannot be read."""
    cards = []
    for card in read_own(path, list):
        with suppress(LatherError, *MALFORMED):
            cards.append(BrushCard.from_json(card, shipped=shipped))
    return tuple(cards)


def shipped_cards() -> tuple[BrushCard, ...]:
    """Those that come with the program."""
    return read_cards(SHIPPED, shipped=True)


def write_cards(path: Path, cards) -> None:
    """The person's own cards (shipped ones are left out), whole or not at all. Raises SaveError."""
    with refused(lambda why: SaveError(phrase("The brush cards could not be kept (%1); is the disk full?", why),
                                       path=path)):
        write_own(path, [card.to_json() for card in cards if not card.shipped])
