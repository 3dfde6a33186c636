"""Members of ZIP files without the hour at which they were written: the same work gives the same bytes."""

import zipfile

_DATE = (1980, 1, 1, 0, 0, 0)  # the earliest that the format knows


def add_member(archive: zipfile.ZipFile, name: str, data: bytes | str, *, packed: bool = False) -> None:
    """Add a member; packed: deflated, else as it is."""
    info = zipfile.ZipInfo(name, _DATE)
    info.compress_type = zipfile.ZIP_DEFLATED if packed else zipfile.ZIP_STORED
    info.external_attr = 0o600 << 16
    archive.writestr(info, data)
