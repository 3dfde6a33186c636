"""The colour profile of the screen: asked of the desktop, read from a file, or sRGB."""

import os
from contextlib import suppress
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PyQt6.QtGui import QGuiApplication

from lather.core.colour import profiles
from lather.core.phrases import phrase
from lather.desktop.settings.store import outside, value

_ATOM = "_ICC_PROFILE"  # of the root window, by the X.org convention "ICC Profiles in X"
_COLORD = "org.freedesktop.ColorManager"
_TIMEOUT_S = 1.0
_FAILED = (OSError, ValueError, KeyError, IndexError, TypeError, AttributeError)  # TimeoutError is an OSError


@dataclass(frozen=True)
class DisplayProfile:
    """profile: ICC bytes, None for sRGB. said: where it is from, for the settings."""

    profile: bytes | None
    said: str


def display_profile() -> DisplayProfile:
    """Of the screen that the window is on, as the settings want it. What is no RGB profile is not taken, and that is
    said.
    """
    source = "file" if outside("display_profile") else value("display_from")
    if source == "srgb":
        return DisplayProfile(None, "sRGB is assumed.")
    if source == "file":
        path = str(value("display_profile"))
        if not path:
            return DisplayProfile(None, "Choose the file; until then sRGB is assumed.")
        data = _read(path)
        if data is None:
            return DisplayProfile(None, phrase("%1 is no RGB profile that can be read; sRGB is assumed.",
                                               Path(path).name))
        return DisplayProfile(data, phrase("In use: %1.", profiles.name(data)))
    return _of_desktop(_screen_in_use())


def _screen_in_use() -> int:
    """Number of the screen that shows the program's window; 0 while there is none."""
    screens = QGuiApplication.screens()
    shown = [one.screen() for one in QGuiApplication.topLevelWindows() if one.isVisible()]
    return screens.index(shown[0]) if shown and shown[0] in screens else 0


@cache
def _of_desktop(screen: int) -> DisplayProfile:
    """Asked once: a service that does not answer must not hold up every picture."""
    for ask, name in ((from_x11, "the X server"), (from_colord, "colord")):
        data = ask(screen)
        if data is not None:
            return DisplayProfile(data, phrase("In use: %1, from %2.", profiles.name(data), name))
    return DisplayProfile(None, "The desktop names no profile; sRGB is assumed.")


def forget_desktop() -> None:
    """The desktop is asked anew; it may have got a profile meanwhile."""
    _of_desktop.cache_clear()


def _usable(data: bytes | None) -> bytes | None:
    return data if data and profiles.is_valid(data) and profiles.colour_space(data) == "RGB" else None


def _read(path: str) -> bytes | None:
    try:
        return _usable(Path(path).read_bytes())
    except OSError:
        return None


def from_x11(screen: int = 0) -> bytes | None:
    """The root window's property `_ICC_PROFILE` (`_ICC_PROFILE_1` for the second screen); None where there is none."""
    if not os.environ.get("DISPLAY"):
        return None
    from Xlib import X, display, error  # both libraries take a while to load: only where they are asked

    try:
        server = display.Display()
    except (error.DisplayError, OSError, ValueError):
        return None
    try:
        held = server.screen().root.get_full_property(
            server.intern_atom(f"{_ATOM}_{screen}" if screen else _ATOM), X.AnyPropertyType)
        return _usable(bytes(held.value)) if held is not None and held.format == 8 else None
    except (error.XError, error.ConnectionClosedError, *_FAILED):
        return None
    finally:
        with suppress(error.ConnectionClosedError, OSError):
            server.close()


def from_colord(screen: int = 0) -> bytes | None:
    """The profile that colord holds for a display, by the system's D-Bus; None where there is none."""
    from jeepney import DBusAddress, new_method_call
    from jeepney.io.blocking import open_dbus_connection
    from jeepney.wrappers import DBusErrorResponse, Properties, unwrap_msg

    def call(message) -> tuple:
        return unwrap_msg(bus.send_and_get_reply(message, timeout=_TIMEOUT_S))

    def held(path: str, kind: str, name: str):
        return call(Properties(DBusAddress(path, _COLORD, f"{_COLORD}.{kind}")).get(name))[0][1]

    try:
        with open_dbus_connection("SYSTEM") as bus:
            manager = DBusAddress("/org/freedesktop/ColorManager", _COLORD, _COLORD)
            devices = call(new_method_call(manager, "GetDevicesByKind", "s", ("display",)))[0]
            device = devices[screen if screen < len(devices) else 0]
            return _read(held(held(device, "Device", "Profiles")[0], "Profile", "Filename"))
    except (DBusErrorResponse, *_FAILED):
        return None
