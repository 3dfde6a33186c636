"""A small stand-in for the desktop's colour service: one display with one profile, on the bus of `DBUS_..._ADDRESS`.

    python -m lather.desktop.settings.colord_stand_in PROFILE.icc
"""

import sys

from jeepney import HeaderFields, MessageType, new_error, new_method_return
from jeepney.bus_messages import message_bus
from jeepney.io.blocking import DBusConnection, open_dbus_connection

NAME = "org.freedesktop.ColorManager"
_DEVICE, _PROFILE = "/org/freedesktop/ColorManager/devices/screen", "/org/freedesktop/ColorManager/profiles/one"


def serve(bus: DBusConnection, profile: str) -> None:
    """Answer until the bus goes."""
    bus.send_and_get_reply(message_bus.RequestName(NAME))
    print("ready", flush=True)
    while True:
        try:
            asked = bus.receive()
        except (ConnectionError, OSError):
            return
        if asked.header.message_type == MessageType.method_call:
            bus.send(_answer(asked, profile))


def _answer(asked, profile: str):
    fields = asked.header.fields
    member, path = fields[HeaderFields.member], fields[HeaderFields.path]
    if member == "GetDevicesByKind":
        return new_method_return(asked, "ao", ([_DEVICE] if asked.body == ("display",) else [],))
    if member == "Get" and path == _DEVICE and asked.body[1] == "Profiles":
        return new_method_return(asked, "v", (("ao", [_PROFILE]),))
    if member == "Get" and path == _PROFILE and asked.body[1] == "Filename":
        return new_method_return(asked, "v", (("s", profile),))
    return new_error(asked, "org.freedesktop.DBus.Error.UnknownMethod")


if __name__ == "__main__":
    serve(open_dbus_connection("SYSTEM"), sys.argv[1])
