"""Translations as Qt's TS files, which Qt's own tools edit (Linguist), check and release."""

import re
import xml.etree.ElementTree as xml
from collections.abc import Mapping
from pathlib import Path

from lather.core.errors import RequestError
from lather.core.imageio.atomic import write_atomically
from lather.core.phrases import phrase
from lather.core.strict_json import plain_text, refused
from lather.desktop.texts.catalogue import Catalogue, Key, Said, form_count
from lather.desktop.texts.gather import Entry

_MOST_BYTES = 32 * 1024**2
_LONGEST, _MOST_PLACES = 8000, 30
"""Of one text: none of ours is a tenth as long."""
_PLACE = re.compile(r"%(?:\d|n)")
_OLD_PLACE = re.compile(r"\{(\d)\}")


def read_ts(path: str | Path) -> dict[Key, Said]:
    """{(context, English): translation, or one for each form of number}; unfinished ones are "", and those that no
    label could show. Raises RequestError.

    Files written before 2026-12 hold values as {0}, {1} …: they are read as %1, %2.
    """

    def none(why: str) -> RequestError:
        return RequestError(phrase("%1 is no translation that can be read (%2); make it by `lather texts --out "
                                   "FILE.ts`.", plain_text(Path(path).name), why))

    with refused(none), open(path, "rb") as file:
        data = file.read(_MOST_BYTES + 1)
        if len(data) > _MOST_BYTES:
            raise none(phrase("it is larger than %1 MB", _MOST_BYTES // 1024**2))
        try:
            root = xml.fromstring(data)
        except xml.ParseError as error:
            raise none(str(error)) from error
        except (LookupError, ValueError) as error:  # an encoding that the parser does not know
            raise none("its text is in an encoding that is not known; save it as UTF-8") from error
    if root.tag != "TS":
        raise RequestError(phrase("%1 is no TS file; make it by `lather texts --out FILE.ts`.", Path(path).name))
    known: dict[Key, Said] = {}
    for context in root.iter("context"):
        name = context.findtext("name") or ""
        for message in context.iter("message"):
            source = message.findtext("source") or ""
            if not _can_be_shown(message):
                continue
            if _OLD_PLACE.search(source):
                known[name, _as_now(source)] = _as_now(message.findtext("translation") or "")
            elif message.get("numerus") == "yes":
                forms = tuple(form.text or "" for form in message.iter("numerusform"))
                known[name, source] = forms if any(forms) else ""
            else:
                known[name, source] = message.findtext("translation") or ""
    return known


def _can_be_shown(message: xml.Element) -> bool:
    said = [message.findtext("source"), message.findtext("translation"),
            *(form.text for form in message.iter("numerusform"))]
    return all(len(text or "") <= _LONGEST and len(_PLACE.findall(text or "")) <= _MOST_PLACES for text in said)


def _as_now(text: str) -> str:
    return _OLD_PLACE.sub(lambda place: f"%{int(place[1]) + 1}", text)


def write_ts(path: str | Path, language: str, texts: Mapping[Key, Entry], said: Mapping[Key, Said]) -> int:
    """All texts with what is translated of them; those that are gone are kept as vanished. Returns how many are left to
    translate. Raises SaveError.

    What moved from one context to another takes its translation along.
    """
    elsewhere = {source: done for (_, source), done in said.items() if done}
    root = xml.Element("TS", version="2.1", language=language, sourcelanguage="en")
    contexts: dict[str, xml.Element] = {}
    left = 0
    for (context, source), entry in texts.items():
        message = xml.SubElement(_context(root, contexts, context), "message")
        if entry.counted:
            message.set("numerus", "yes")
        for place in entry.places:
            file, _, line = place.rpartition(":")
            xml.SubElement(message, "location", filename=file, line=line)
        xml.SubElement(message, "source").text = source
        done = said.get((context, source)) or elsewhere.get(source, "")
        left += not done
        _add_translation(message, done, form_count(language) if entry.counted else 0, {} if done else
                         {"type": "unfinished"})
    for (context, source), done in said.items():
        if done and not any(source == known for _, known in texts):
            message = xml.SubElement(_context(root, contexts, context), "message")
            xml.SubElement(message, "source").text = source
            _add_translation(message, done, 0 if isinstance(done, str) else len(done), {"type": "vanished"})
    xml.indent(root)
    data = b'<?xml version="1.0" encoding="utf-8"?>\n<!DOCTYPE TS>\n' + xml.tostring(root, encoding="utf-8") + b"\n"
    write_atomically(path, lambda file: file.write(data))
    return left


def _context(root: xml.Element, contexts: dict[str, xml.Element], name: str) -> xml.Element:
    if name not in contexts:
        contexts[name] = xml.SubElement(root, "context")
        xml.SubElement(contexts[name], "name").text = name
    return contexts[name]


def _add_translation(message: xml.Element, done: Said, forms: int, state: dict[str, str]) -> None:
    """As text, or with `forms` forms of number."""
    translation = xml.SubElement(message, "translation", state)
    if not forms:
        translation.text = done if isinstance(done, str) else done[-1]
        return
    held = (done,) * forms if isinstance(done, str) else done
    for number in range(forms):
        xml.SubElement(translation, "numerusform").text = held[min(number, len(held) - 1)] if held else ""


def catalogue_of(path: str | Path, language: str = "") -> Catalogue:
    """Raises RequestError."""
    return Catalogue(read_ts(path), language or Path(path).stem)
