"""Languages there are translations for: those that came with the program, and the person's own."""

from pathlib import Path

from lather.core.errors import RequestError
from lather.desktop.input.keys import settings_folder
from lather.desktop.texts.catalogue import Catalogue
from lather.desktop.texts.ts_file import catalogue_of

ENGLISH = "en"


def files() -> dict[str, Path]:
    """{language: file}, such as {"de": …/de.ts}; the person's own win."""
    folders = (Path(__file__).parent, settings_folder() / "texts")
    return {path.stem: path for folder in folders for path in sorted(folder.glob("*.ts"))}


def languages() -> dict[str, str]:
    """{language: as it is shown}; English is always there."""
    return {ENGLISH: "English"} | {name: name for name in files()}


def catalogue_for(language: str) -> Catalogue | None:
    """None for English, and where the translation cannot be read."""
    path = files().get(language)
    try:
        return catalogue_of(path) if path is not None and language != ENGLISH else None
    except RequestError:
        return None
