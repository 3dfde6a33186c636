"""Texts in another language, found by Qt's own means: a translator asked by context, source and number."""

import gettext
import sys
from collections.abc import Callable, Mapping
from functools import cache, lru_cache
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, QTranslator

from lather.core.phrases import GENERAL, Phrase, Typed, context_of, in_other_words, made_phrase

Key = tuple[str, str]
Said = str | tuple[str, ...]
_REMEMBERED = 8192
_USUAL_PLURAL = "n != 1"
_PLURALS = {
    "ja": "0", "zh": "0", "ko": "0", "vi": "0", "th": "0", "id": "0", "tr": "0", "fa": "0", "hu": "0",
    "fr": "n > 1", "pt_BR": "n > 1",
    "ru": "n%10==1 && n%100!=11 ? 0 : n%10>=2 && n%10<=4 && (n%100<10 || n%100>=20) ? 1 : 2",
    "pl": "n==1 ? 0 : n%10>=2 && n%10<=4 && (n%100<10 || n%100>=20) ? 1 : 2",
    "cs": "n==1 ? 0 : n>=2 && n<=4 ? 1 : 2",
    "lt": "n%10==1 && n%100!=11 ? 0 : n%10>=2 && (n%100<10 || n%100>=20) ? 1 : 2",
    "lv": "n%10==1 && n%100!=11 ? 0 : n != 0 ? 1 : 2",
    "ro": "n==1 ? 0 : n==0 || (n%100>0 && n%100<20) ? 1 : 2",
    "sl": "n%100==1 ? 0 : n%100==2 ? 1 : n%100==3 || n%100==4 ? 2 : 3",
    "ga": "n==1 ? 0 : n==2 ? 1 : 2",
    "ar": "n==0 ? 0 : n==1 ? 1 : n==2 ? 2 : n%100>=3 && n%100<=10 ? 3 : n%100>=11 ? 4 : 5",
}
"""Which form a number takes, as Qt numbers the forms in its TS files; languages of two forms are as English is."""
for _alike, _as in (("uk", "ru"), ("be", "ru"), ("sr", "ru"), ("hr", "ru"), ("bs", "ru"), ("sk", "cs")):
    _PLURALS[_alike] = _PLURALS[_as]


@cache
def plural_of(language: str) -> Callable[[int], int]:
    """Which form of a language a number takes, from 0."""
    rule = _PLURALS.get(language) or _PLURALS.get(language.partition("_")[0]) or _USUAL_PLURAL
    return gettext.c2py(rule)


def form_count(language: str) -> int:
    """How many forms of number a language has."""
    return 1 + max(plural_of(language)(n) for n in range(200))


class Catalogue(QTranslator):
    """{(context, English): another language}, or a form for each number where the English holds %n."""

    def __init__(self, texts: Mapping[Key, Said], language: str = "en"):
        super().__init__()
        self._texts = {key: said for key, said in texts.items() if said and said != ("",)}
        self._plural = plural_of(language)

    def isEmpty(self) -> bool:
        return not self._texts

    def translate(self, context: str, source: str, disambiguation: str | None = None, n: int = -1) -> str | None:
        """As Qt asks for it: None where there is no translation."""
        said = self._texts.get((context, source))
        if said is None or isinstance(said, str):
            return said
        return said[min(self._plural(max(n, 0)), len(said) - 1)] or None


class Compiled(QTranslator):
    """A translation as Qt's own tools release it (`.qm`)."""

    def __init__(self, path: str | Path):
        super().__init__()
        self.readable = self.load(str(path))


_current: QTranslator | None = None


def current() -> QTranslator | None:
    """What texts are translated by; None for English."""
    return _current


def use(translator: QTranslator | None) -> None:
    """For all texts that come on the screen from now on; None for English."""
    global _current
    if _current is not None:
        QCoreApplication.removeTranslator(_current)
    _current = translator
    if translator is not None:
        QCoreApplication.installTranslator(translator)
    _said.cache_clear()


@lru_cache(_REMEMBERED)
def _said(context: str, source: str, n: int | None) -> str:
    return QCoreApplication.translate(context, source, None, -1 if n is None else n)


def tr(text: str, *values: object, n: int | None = None, one: str = "") -> str:
    """A text as it comes on the screen.

    Of a plain string, with values for %1 … and %n, the context is the module that calls this; a `Phrase` has its own;
    what a person typed (`Typed`) stays as it is.
    """
    if _current is None and not values and n is None:
        return text
    if isinstance(text, Typed):
        return text
    if not isinstance(text, Phrase):
        context = context_of(sys._getframe(1).f_globals["__name__"])
        if not values and n is None and _said(context, text, None) == text:
            context = GENERAL  # a word that stands alone
        text = made_phrase(context, text, values, n, one)
    return str(text) if _current is None else in_other_words(text, _said)
