"""Languages there are translations for: those that came with the program, and the person's own."""

import logging
from pathlib import Path

from PyQt6.QtCore import QTranslator

from lather.core import log
from lather.core.errors import RequestError
from lather.desktop.input.keys import settings_folder
from lather.desktop.texts.catalogue import Compiled
from lather.desktop.texts.ts_file import catalogue_of

_log = logging.getLogger(__name__)
ENGLISH = "en"


def files() -> dict[str, Path]:
    """{language: file}, such as {"de": …/de.ts}; the person's own win, and what Qt's tools released (`.qm`)."""
    folders = (Path(__file__).parent, settings_folder() / "texts")
    found = (path for folder in folders for ending in ("*.ts", "*.qm") for path in sorted(folder.glob(ending)))
    return {path.stem: path for path in found}


def languages() -> dict[str, str]:
    """{language: as it is shown}; English is always there."""
    return {ENGLISH: "English"} | {name: name for name in files()}


def catalogue_for(language: str) -> QTranslator | None:
    """None for English, and where the translation cannot be read."""
    path = files().get(language)
    if path is None or language == ENGLISH:
        return None
    if path.suffix == ".qm":
        compiled = Compiled(path)
        return compiled if compiled.readable else None
    try:
        return catalogue_of(path, language)
    except RequestError as error:
        log.expected(_log, error)
        return None
