"""Which metadata travel with a delivered picture: rights and capture yes, location no, by default."""

from dataclasses import dataclass

from PIL import Image

_RIGHTS = {315, 33432}  # Artist, Copyright
_CAPTURE = {271, 272, 306}  # Make, Model, DateTime
_CAPTURE_EXIF = {33434, 33437, 34855, 36867, 36868, 37386, 41989, 42034, 42036}
_EXIF_IFD, _GPS_IFD = 0x8769, 0x8825


@dataclass(frozen=True)
class MetadataChoice:
    """What the person keeps in delivered files."""

    rights: bool = True
    capture: bool = True
    location: bool = False


def select_exif(exif: bytes | None, choice: MetadataChoice) -> Image.Exif:
    """The chosen part of an Exif block (raw bytes or None); a broken block gives an empty one."""
    kept = Image.Exif()
    if not exif:
        return kept
    source = Image.Exif()
    try:
        source.load(exif)
        capture, location = dict(source.get_ifd(_EXIF_IFD)), dict(source.get_ifd(_GPS_IFD))
        main = dict(source.items())
    except Exception:  # written by all kinds of devices; damage here must not stop a delivery
        return kept
    wanted = (_RIGHTS if choice.rights else set()) | (_CAPTURE if choice.capture else set())
    for tag, value in main.items():
        if tag in wanted:
            kept[tag] = value
    if choice.capture:
        kept.get_ifd(_EXIF_IFD).update({tag: value for tag, value in capture.items() if tag in _CAPTURE_EXIF})
    if choice.location and location:
        kept.get_ifd(_GPS_IFD).update(location)
    return kept


def describe(exif: bytes | None) -> dict[str, object]:
    """The plain facts of an Exif block for `lather info`: who, when, with what, and whether it holds a place."""
    source = Image.Exif()
    try:
        source.load(exif or b"")
        names = {315: "artist", 33432: "copyright", 271: "make", 272: "model", 306: "date"}
        facts: dict[str, object] = {
            label: str(source[tag]).strip("\0 ") for tag, label in names.items() if tag in source
        }
        facts["has_location"] = bool(source.get_ifd(_GPS_IFD))
    except Exception:
        return {"has_location": False}
    return facts
