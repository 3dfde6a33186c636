"""Colours, sizes and type of the desk, for the light and the dark theme."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Theme:
    """Roles, not places: a widget asks for `quiet_ink`, never for a colour."""

    name: str
    surround: str
    panel: str
    raised: str
    line: str
    track: str
    ink: str
    quiet_ink: str
    accent: str
    accent_tint: str
    on_accent: str
    near: str
    near_text: str
    over: str


LIGHT = Theme(
    "light", surround="#777777", panel="#e4e4e2", raised="#efefed", line="#c6c6c3", track="#cbcbc8", ink="#22272a",
    quiet_ink="#5c6468", accent="#0e6870", accent_tint="#cfe3e3", on_accent="#ffffff", near="#b8730a",
    near_text="#8f5703", over="#a93c2b",
)
DARK = Theme(
    "dark", surround="#3a3a3a", panel="#2b2b2b", raised="#333333", line="#484848", track="#4c4c4c", ink="#e6e6e4",
    quiet_ink="#a3a8aa", accent="#3d9aa3", accent_tint="#24474a", on_accent="#0d1719", near="#d9962f",
    near_text="#d9962f", over="#d8705e",
)

HEADER_PX = 40
COURSE_PX = 56
BRUSH_STRIP_PX = 76
MESSAGE_PX = 36
LEFT_PX = 212
RIGHT_PX = 262
BODY_PT = 9.4
SMALL_PT = 8.3
_current = LIGHT


def theme() -> Theme:
    return _current


def use(chosen: Theme) -> None:
    global _current
    _current = chosen
