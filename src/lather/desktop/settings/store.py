"""The file that the settings are kept in, with what the desk remembers between starts. One small JSON file."""

from copy import deepcopy
from pathlib import Path

from lather.core.errors import LatherError
from lather.core.job.brief import cents_of
from lather.core.strict_json import NotStrict, write_own
from lather.desktop.input.keys import read_json, settings_folder
from lather.desktop.settings.declared import BY_ID, SETTINGS, outside


def load() -> dict:
    """All that is kept, to be changed and stored; nothing where it cannot be read."""
    return deepcopy(read_json(_file()))


def _file() -> Path:
    return settings_folder() / "settings.json"


def store(data: dict) -> bool:
    """False where it could not be written: a home that is read only costs what is remembered, and no more."""
    try:
        write_own(_file(), data)
    except (OSError, NotStrict, LatherError):
        return False
    return True


def value(setting_id: str) -> object:
    """A setting as it is in use: as the person chose, or as it starts."""
    setting, said = BY_ID[setting_id], outside(setting_id)
    if said is not None:
        return setting.read(said != "0" if setting.kind == "switch" else said)
    data = read_json(_file())
    if setting_id == "display_from" and setting_id not in data and data.get("display_profile"):
        return "file"  # as it was before there was a choice
    return setting.read(data.get(setting_id))


def set_value(setting_id: str, new: object) -> bool:
    """Choose a setting; as it starts, it is not written down. False where it could not be kept."""
    setting, data = BY_ID[setting_id], load()
    data.pop(setting_id, None)
    if setting.read(new) != setting.start:
        data[setting_id] = setting.read(new)
    elif setting_id == "display_from":
        data[setting_id] = new  # said in so many words: without it a file that is named is taken
    return store(data)


def reset() -> bool:
    """All settings as they start; what the desk remembers of files stays."""
    data = load()
    for setting in SETTINGS:
        data.pop(setting.id, None)
    return store(data)


def new_brief() -> dict:
    """What the sheet of a new job starts with: the person's currency and hour, where they are not the usual ones."""
    currency, cents = str(value("currency"))[:8], cents_of(str(value("rate")) or "-")
    written = {"currency": currency} if currency and currency != BY_ID["currency"].start else {}
    return written | ({"rate_cents": cents} if cents is not None else {})
