"""Texts and what they are in another language; those with values in them are found by the pattern around the values."""

import re
from collections.abc import Mapping
from functools import lru_cache

_PLACE = re.compile(r"\{(\d+)\}")
_PARTINGS = tuple((re.compile(pattern), between) for pattern, between in (
    (r"(?<=[.!?]) (?=\S)", " "), ("\n", "\n"), (" {2,}", "  "), (" · ", " · "), (": ", ": "), (", ", ", "),
    (r" (?=\()", " "),
))
"""Where a text that is not known as a whole is taken apart: sentences, lines, name and what it is."""
_REMEMBERED, _DEEPEST = 4096, 5


class Catalogue:
    """{English: another language}. `{0}`, `{1}` … stand for values, in any order on the other side.

    A value is looked up as well: names of stages, zones and kinds come as values.
    """

    def __init__(self, texts: Mapping[str, str]):
        self._exact = {source: said for source, said in texts.items() if said and not _PLACE.search(source)}
        patterns = [(source, said) for source, said in texts.items() if said and _PLACE.search(source)]
        patterns.sort(key=lambda pair: -len(_PLACE.sub("", pair[0])))  # the one that says most comes first
        self._patterns = [(_pattern(source), _order(source), said) for source, said in patterns]
        self.translate = lru_cache(_REMEMBERED)(self._translate)

    def _translate(self, text: str, depth: int = 0) -> str:
        if depth > _DEEPEST or not any(c.isalpha() for c in text):
            return text
        core = text.strip()
        if core != text:
            return text.replace(core, self._translate(core, depth), 1)
        if text in self._exact:
            return self._exact[text]
        for pattern, order, said in self._patterns:
            found = pattern.fullmatch(text)
            if found:
                values = {name: self._translate(value, depth + 1) for name, value in zip(order, found.groups())}
                return _PLACE.sub(lambda place, values=values: values.get(place[1], place[0]), said)
        for parting, between in _PARTINGS:
            parts = parting.split(text)
            if len(parts) > 1:
                return between.join(self._translate(part, depth + 1) for part in parts)
        return text


def _pattern(source: str) -> re.Pattern:
    pieces = [piece if number % 2 else re.escape(piece) for number, piece in enumerate(_PLACE.split(source))]
    return re.compile("".join("(.*?)" if number % 2 else piece for number, piece in enumerate(pieces)), re.DOTALL)


def _order(source: str) -> list[str]:
    return _PLACE.findall(source)


_current: Catalogue | None = None


def current() -> Catalogue | None:
    return _current


def use(catalogue: Catalogue | None) -> None:
    """For all texts that come on the screen from now on; None for English."""
    global _current
    _current = catalogue


def tr(text: str) -> str:
    """A text as it comes on the screen."""
    return text if _current is None else _current.translate(text)
