"""Translations as Qt's TS files, which Qt's own tools edit (Linguist) and check."""

import xml.etree.ElementTree as xml
from collections.abc import Mapping, Sequence
from pathlib import Path

from lather.core.errors import RequestError
from lather.core.imageio.atomic import write_atomically
from lather.desktop.texts.catalogue import Catalogue

_CONTEXT = "Lather"


def read_ts(path: str | Path) -> dict[str, str]:
    """{text: translation}; unfinished ones are "". Raises RequestError."""
    try:
        root = xml.parse(path).getroot()
    except (OSError, xml.ParseError) as error:
        raise RequestError(f"{Path(path).name} is no translation that can be read ({error}); make it by "
                           "`lather texts --out FILE.ts`.") from error
    if root.tag != "TS":
        raise RequestError(f"{Path(path).name} is no TS file; make it by `lather texts --out FILE.ts`.")
    return {message.findtext("source") or "": message.findtext("translation") or "" for message in root.iter("message")}


def write_ts(path: str | Path, language: str, texts: Mapping[str, Sequence[str]], said: Mapping[str, str]) -> int:
    """All texts with what is translated of them; those that are gone are kept as vanished. Returns how many are left to
    translate. Raises SaveError.
    """
    root = xml.Element("TS", version="2.1", language=language, sourcelanguage="en")
    context = xml.SubElement(root, "context")
    xml.SubElement(context, "name").text = _CONTEXT
    for text, places in texts.items():
        message = xml.SubElement(context, "message")
        for place in places:
            file, _, line = place.rpartition(":")
            xml.SubElement(message, "location", filename=file, line=line)
        xml.SubElement(message, "source").text = text
        done = said.get(text, "")
        xml.SubElement(message, "translation", {} if done else {"type": "unfinished"}).text = done
    for text, done in said.items():
        if text not in texts and done:
            message = xml.SubElement(context, "message")
            xml.SubElement(message, "source").text = text
            xml.SubElement(message, "translation", type="vanished").text = done
    xml.indent(root)
    data = b'<?xml version="1.0" encoding="utf-8"?>\n<!DOCTYPE TS>\n' + xml.tostring(root, encoding="utf-8") + b"\n"
    write_atomically(path, lambda file: file.write(data))
    return sum(not said.get(text) for text in texts)


def catalogue_of(path: str | Path) -> Catalogue:
    """Raises RequestError."""
    return Catalogue(read_ts(path))
