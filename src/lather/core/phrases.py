"""Sentences that know what they are made of, so that another language can build them its own way.

`phrase("%1 of %2 done", done, every)` is plain English to everybody, a `str`; who shows it in another language asks for
its `source` and its `values`. A value is translated only if it is a phrase itself: what a person typed never is.
`%n` is a number that the sentence is counted by: `phrase("%n steps", n=count, one="%n step")`.
"""

import re
import sys
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import fields, is_dataclass

_PLACE = re.compile(r"%(\d|n)")
GENERAL = "Lather"
"""The context of words that stand alone: labels of buttons, names of columns."""
Translate = Callable[[str, str, int | None], str]


class Phrase(str):
    """English, with what it is made of.

    source: with %1 to %9 and %n where values stand. values: in that order. n: what %n is. context: which part of the
    program says it. parts: of a phrase that is several, one after the other.
    """

    __slots__ = ("context", "n", "parts", "shape", "source", "values")

    source: str
    values: tuple
    n: int | None
    context: str
    parts: tuple
    shape: str

    def __new__(cls, english: str, source: str, values: Sequence = (), n: int | None = None, context: str = GENERAL,
                parts: Sequence[str] = (), shape: str = ""):
        made = super().__new__(cls, english)
        made.source, made.values, made.n, made.context = source, tuple(values), n, context
        made.parts, made.shape = tuple(parts), shape
        return made

    def __reduce__(self):
        return Phrase, (str(self), self.source, self.values, self.n, self.context, self.parts, self.shape)

    def _shaped(self, shape: str) -> "Phrase":
        english = getattr(str(self), shape)()
        return Phrase(english, self.source, self.values, self.n, self.context, self.parts, shape)

    def lower(self) -> "Phrase":
        """The same phrase, whose words come out in small letters in every language."""
        return self._shaped("lower")

    def capitalize(self) -> "Phrase":
        """The same phrase, which begins with a capital in every language."""
        return self._shaped("capitalize")

    def strip(self, chars: str | None = None) -> str:
        """Itself where there is nothing to strip: it stays a phrase."""
        return self if chars is None and super().strip() == self else super().strip(chars)


class Typed(str):
    """What a person wrote: a title, a name, a remark. It is shown as it is in every language."""

    __slots__ = ()


declared: set[tuple[str, str]] = set()
"""(context, word) of all that was declared as data so far; see `worded`."""


def phrase(source: str, *values: object, n: int | None = None, one: str = "") -> Phrase:
    """A sentence of the module that calls this. one: how it is said in English where n is 1."""
    return made_phrase(context_of(sys._getframe(1).f_globals["__name__"]), source, values, n, one)


def made_phrase(context: str, source: str, values: Sequence = (), n: int | None = None, one: str = "") -> Phrase:
    """A sentence of a context."""
    return Phrase(filled(one if one and n == 1 else source, values, n), source, values, n, context)


def joined(parts: Iterable[str], between: str = " ") -> Phrase:
    """Phrases one after the other, each translated by itself; empty ones are left out."""
    there = [part for part in parts if part]
    return Phrase(between.join(there), between, context=GENERAL, parts=there)


def filled(source: str, values: Sequence, n: int | None = None) -> str:
    """A source with its values in it."""
    def put(place: re.Match) -> str:
        if place[1] == "n":
            return place[0] if n is None else f"{n:,}" if n >= 10_000 else str(n)
        index = int(place[1]) - 1
        return str(values[index]) if 0 <= index < len(values) else place[0]

    return _PLACE.sub(put, source)


def in_other_words(text: str, translate: Translate) -> str:
    """A text in another language. translate(context, source, n) gives the translation, or the source where there is
    none.

    A plain `str` is looked up as a whole, as a word that stands alone.
    """
    if isinstance(text, Typed):
        return text
    if not isinstance(text, Phrase):
        return translate(GENERAL, text, None) if text else text
    if text.parts:
        said = text.source.join(in_other_words(part, translate) if isinstance(part, Phrase) else part
                                for part in text.parts)
    else:
        source = translate(text.context, text.source, text.n)
        if text.n is not None and source in (text.source, filled(text.source, (), text.n)):
            source = str(text) if not text.values else source  # not translated: English has its own way with one
        values = [in_other_words(value, translate) if isinstance(value, Phrase) else value for value in text.values]
        said = filled(source, values, text.n)
    return getattr(said, text.shape)() if text.shape else said


def context_of(module: str) -> str:
    """The room of a module: `lather.desktop.stages.shape.part` is in `stages.shape`."""
    names = module.split(".")
    names = names[2:] if names[:1] == ["lather"] and names[1:2] in (["core"], ["desktop"]) else names
    return ".".join(names[:-1] or names)


def worded(made: object, *names: str) -> None:
    """In the `__post_init__` of a frozen dataclass: these of its fields are words, in the context of its class."""
    known = {one.name for one in fields(made)} if is_dataclass(made) else set(names)
    for name in names:
        if name in known:
            object.__setattr__(made, name, as_words(getattr(made, name), type(made).__name__))


def as_words(value: object, context: str) -> object:
    """A string, or the values of a mapping or sequence of strings, as phrases of a context."""
    if isinstance(value, Phrase):
        return value
    if isinstance(value, str):
        if value:
            declared.add((context, value))
        return Phrase(value, value, context=context) if value else value
    if isinstance(value, Mapping):
        return {key: as_words(one, context) for key, one in value.items()}
    if isinstance(value, tuple | list):
        return type(value)(as_words(one, context) for one in value)
    return value
