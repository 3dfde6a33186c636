"""The one door for JSON that comes from outside, and for what is written to be read here again (RFC 8259, made strict).

Refused, besides what is no JSON: bytes that are not UTF-8, NaN and infinity however they are spelt (1e999 too), numbers
of more digits than anything here measures, lone surrogates and NUL in texts (no file name, no XML, no database takes
them), nesting deeper than any document of ours, and files over a size. docs/format.md lists the doors.
"""

import json
import os
import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import numpy as np

from lather.core.errors import LatherError
from lather.core.imageio.atomic import write_atomically
from lather.core.phrases import phrase
from lather.core.ranges import MOST_JSON_BYTES, MOST_NESTING

MALFORMED = (ArithmeticError, AttributeError, LookupError, RecursionError, TypeError, ValueError)
"""What reading a value from outside can raise when it is not what it should be."""
_BEYOND = 1e100  # no number of ours comes near, and its square is still one
MOST_OWN_BYTES = 4 * 1024**2
"""Settings, keys, presets, cards: files that a person's choices make."""
DAMAGED = "~damaged"
"""Ending under which an own file that cannot be read is kept before a new one takes its place."""
_DEEPEST = MOST_NESTING + 30  # what is kept unknown lies within layers, stages and commands that hold commands
_NO_TEXT = re.compile("[\0\ud800-\udfff]")
_HUGE = re.compile(rb"[eE]\+?\d{3}")  # float() makes infinity of it


class NotStrict(ValueError):
    """What is wrong with a document, as one clause without a full stop."""


def parsed(data: bytes | str, *, most_bytes: int = MOST_JSON_BYTES) -> object:
    """The value of a document. Raises NotStrict."""
    value, raw = _loaded(data, most_bytes, _no_number)
    if _has_huge_number(raw):
        raise NotStrict("it holds a number that is too large")
    if _has_no_texts(value, raw):
        raise NotStrict("it holds characters that are none")
    return value


def mended(data: bytes, *, most_bytes: int = MOST_JSON_BYTES) -> object:
    """As `parsed`, but numbers that are none become null, and characters that are none �: for documents that earlier
    versions may have written so, whose readers leave out what cannot be and tell it. Raises NotStrict.
    """
    value, raw = _loaded(data, most_bytes, lambda word: None)
    if _has_huge_number(raw):
        value = json.loads(raw, parse_constant=lambda word: None, parse_float=_number_or_none)
    return _with_plain_texts(value) if _has_no_texts(value, raw) else value


def _loaded(data: bytes | str, most_bytes: int, of_constant: Callable[[str], object]) -> tuple[object, bytes]:
    """(value, UTF-8) of a document that is JSON, in size and depth."""
    if len(data) > most_bytes:
        raise NotStrict(phrase("it is larger than %1 MB", round(most_bytes / 1024**2, 1)))
    try:
        text = data.decode("utf-8-sig") if isinstance(data, bytes) else data
        raw = text.encode()
        value = json.loads(text, parse_constant=of_constant)
    except UnicodeError:
        raise NotStrict("its text is not in UTF-8") from None
    except RecursionError:
        raise NotStrict("it is nested too deeply") from None
    except json.JSONDecodeError as error:
        raise NotStrict(phrase("it is no JSON: line %1", error.lineno)) from None
    except NotStrict:
        raise
    except ValueError:  # an integer of thousands of digits
        raise NotStrict("it holds a number that is too large") from None
    signs = _outside_texts(raw)
    opened = (signs == ord("[")) | (signs == ord("{"))
    closed = (signs == ord("]")) | (signs == ord("}"))
    if np.cumsum(opened.astype(np.int32) - closed).max(initial=0) > _DEEPEST:
        raise NotStrict("it is nested too deeply")
    return value, raw


def _no_number(word: str):
    raise NotStrict(phrase("it holds %1, which is no number", word))


def _number_or_none(digits: str) -> float | None:
    number = float(digits)
    return number if abs(number) < _BEYOND else None


def _outside_texts(raw: bytes) -> np.ndarray:
    """Bytes (n,) of a whole document that are in no text: brackets, numbers, commas. A loop of Python's over the texts
    takes ten times as long.
    """
    unescaped = raw.replace(b"\\\\", b"..").replace(b'\\"', b"..")
    signs = np.frombuffer(unescaped, np.uint8)
    return signs[np.cumsum(signs == ord('"'), dtype=np.int32) % 2 == 0]


def _has_huge_number(raw: bytes) -> bool:
    return _HUGE.search(_outside_texts(raw).tobytes()) is not None


def _has_no_texts(value: object, raw: bytes) -> bool:
    return b"\\u" in raw and any(one != plain_text(one) for one in _texts(value))


def _texts(value: object) -> Iterator[str]:
    waiting = [value]
    while waiting:
        one = waiting.pop()
        if isinstance(one, str):
            yield one
        elif isinstance(one, dict):
            waiting += one.keys()
            waiting += one.values()
        elif isinstance(one, list):
            waiting += one


def _with_plain_texts(value):
    if isinstance(value, str):
        return plain_text(value)
    if isinstance(value, dict):
        return {plain_text(key): _with_plain_texts(one) for key, one in value.items()}
    return [_with_plain_texts(one) for one in value] if isinstance(value, list) else value


def plain_text(text: str) -> str:
    """A text with what no file takes put right: lone surrogates (of file names in another encoding) and NUL as �."""
    return _NO_TEXT.sub("\ufffd", text)


def written(value: object, *, indent: int | None = 1, most_bytes: int = MOST_JSON_BYTES) -> bytes:
    """A document that `parsed` gives back. Raises NotStrict for a value that it would refuse: nothing is to be written
    that could not be read again.
    """
    try:
        data = json.dumps(value, indent=indent, ensure_ascii=False, allow_nan=False).encode()
    except UnicodeError:
        raise NotStrict("it holds characters that are none") from None
    except RecursionError:
        raise NotStrict("it is nested too deeply") from None
    except ValueError:
        raise NotStrict("it holds a number that is none") from None
    parsed(data, most_bytes=most_bytes)
    return data


def read(path: Path, *, most_bytes: int = MOST_JSON_BYTES) -> object:
    """The value of a file. Raises NotStrict and OSError."""
    return _read(path, parsed, most_bytes)


def read_mended(path: Path, *, most_bytes: int = MOST_JSON_BYTES) -> object:
    """The value of a file, as `mended` takes it. Raises NotStrict and OSError."""
    return _read(path, mended, most_bytes)


def _read(path: Path, parse: Callable[..., object], most_bytes: int) -> object:
    with open(path, "rb") as file:
        return parse(file.read(most_bytes + 1), most_bytes=most_bytes)


@contextmanager
def refused(make: Callable[[str], LatherError]) -> Iterator[None]:
    """Whatever reading a document raises inside becomes `make(clause)`, one sentence; a LatherError stays as it is."""
    try:
        yield
    except LatherError:
        raise
    except NotStrict as error:
        raise make(str(error)) from error
    except OSError as error:
        raise make(error.strerror or str(error)) from error
    except MALFORMED as error:
        raise make(phrase("a value in it is not what it should be (%1)", type(error).__name__)) from error


def read_own(path: Path, kind: type = dict):
    """The value of a file of the person's own choices, if it is a `kind`; an empty one where it is not there or cannot
    be read.
    """
    with suppress(OSError, NotStrict):
        value = read(path, most_bytes=MOST_OWN_BYTES)
        if isinstance(value, kind):
            return value
    return kind()


def write_own(path: Path, value: object) -> None:
    """Keep the person's choices. A file there that cannot be read is put aside first, ending in `~damaged`: they may
    have written it by hand. Raises SaveError and OSError (no folder), NotStrict.
    """
    data = written(value, most_bytes=MOST_OWN_BYTES)
    path.parent.mkdir(parents=True, exist_ok=True)

    def write(file) -> None:
        file.write(data)
        file.flush()
        try:
            there = read(path, most_bytes=MOST_OWN_BYTES)
        except (FileNotFoundError, NotADirectoryError):
            return
        except (OSError, NotStrict):
            there = None
        if not isinstance(there, type(value)):
            os.replace(path, path.with_name(path.name + DAMAGED))

    write_atomically(path, write)
