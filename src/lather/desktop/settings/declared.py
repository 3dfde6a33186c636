"""Settings as data: what each is called, where it starts, what it takes. Form, file and handbook derive from it."""

import os
from collections.abc import Mapping
from dataclasses import dataclass, field

from lather.core.memory import MACHINE_BYTES, Budget
from lather.core.phrases import worded
from lather.desktop.texts.languages import ENGLISH, languages

NOW, NEXT_PHOTO, NEXT_START = "now", "with the next photo", "with the next start"


@dataclass(frozen=True)
class Setting:
    """One setting. kind: choice (of `choices`), switch, number (`low` to `high` by `step`, in `unit`), text, file or
    folder. takes: when a change is felt. note: the sentence below it.
    """

    id: str
    group: str
    label: str
    kind: str
    start: object
    note: str = ""
    choices: Mapping[str, str] = field(default_factory=dict)
    low: float = 0.0
    high: float = 0.0
    step: float = 1.0
    unit: str = ""
    takes: str = NOW

    def __post_init__(self):
        worded(self, "label", "note", "choices", "takes")

    def read(self, written: object) -> object:
        """The value as it can be used: what cannot be is as it starts."""
        if self.kind == "choice":
            return written if isinstance(written, str) and written in self.choices else self.start
        if self.kind == "switch":
            return written if isinstance(written, bool) else self.start
        if self.kind == "number":
            known = isinstance(written, int | float) and not isinstance(written, bool) and abs(written) < _BEYOND
            return min(self.high, max(self.low, float(written))) if known else self.start
        return written if isinstance(written, str) and "\0" not in written else self.start


_MB = 1024**2
_BEYOND = 1e12  # no setting comes near
_USUAL_MB = Budget.of_machine().limit // _MB

GROUPS = {
    "look": "How it looks", "screen": "Colours of this screen", "work": "At work", "pen": "Pen",
    "folders": "Folders", "units": "Units and money",
}

SETTINGS = (
    Setting("theme", "look", "Theme", "choice", "light", choices={"light": "light", "dark": "dark"},
            note="The grey around the photo is neutral in both."),
    Setting("scale", "look", "Size of everything", "choice", "100", takes=NEXT_START,
            choices={str(n): f"{n} %" for n in (100, 125, 150, 175, 200)},
            note="With the next start. At 200 % the window needs a screen of 2048 × 1360 px."),
    Setting("language", "look", "Language", "choice", ENGLISH, choices=languages(),
            note="Texts of your own: see “Settings” in the handbook."),
    Setting("display_from", "screen", "Its profile", "choice", "desktop",
            choices={"desktop": "as the desktop says", "file": "from a file", "srgb": "sRGB"}),
    Setting("display_profile", "screen", "File", "file", ""),
    Setting("finds_on_opening", "work", "Look for flaws when a photo opens", "switch", True, takes=NEXT_PHOTO),
    Setting("linger_s", "work", "A mend stays in view after E", "number", 0.8, high=10.0, step=0.1, unit="s"),
    Setting("memory_mb", "work", "Memory for what can be worked out again", "number", float(_USUAL_MB), low=256,
            high=float(max(512, MACHINE_BYTES // _MB * 3 // 4)), step=64, unit="MB", takes=NEXT_PHOTO,
            note="With the next photo. Less is slower, never worse."),
    Setting("pen_start", "pen", "Starts at", "number", 0.0, high=60, unit="%"),
    Setting("pen_full", "pen", "Full at", "number", 100.0, low=40, high=100, unit="%"),
    Setting("pen_bend", "pen", "Soft – firm", "number", 0.0, low=-100, high=100, unit=""),
    Setting("photos_folder", "folders", "Photos are opened from", "folder", "", note="Empty: where you were last."),
    Setting("jobs_folder", "folders", "Jobs are saved in", "folder", "", note="Empty: beside the photo."),
    Setting("delivery_folder", "folders", "Pictures are delivered into", "folder", "",
            note="Empty: “delivered”, beside the photo."),
    Setting("length", "units", "Prints and distances in", "choice", "cm", takes=NEXT_PHOTO,
            choices={"cm": "centimetres", "in": "inches"}),
    Setting("currency", "units", "Currency of a new job", "text", "EUR", takes=NEXT_PHOTO),
    Setting("rate", "units", "Your hour, in it", "text", "", takes=NEXT_PHOTO, note="Empty: no price is worked out."),
)
BY_ID = {one.id: one for one in SETTINGS}

_FROM_OUTSIDE = {"display_profile": "LATHER_DISPLAY_PROFILE", "finds_on_opening": "LATHER_FINDS_ON_OPENING",
                 "theme": "LATHER_THEME"}


def outside(setting_id: str) -> str | None:
    """What the environment says of a setting, for scripts and tests; it wins over the file."""
    return os.environ.get(_FROM_OUTSIDE.get(setting_id, ""))
