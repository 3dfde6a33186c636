"""Photos that only an extra can read: raw files and HEIC. A job holds them as TIFF, so that it opens anywhere."""

from pathlib import Path

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.metadata import MetadataChoice, select_exif
from lather.core.imageio.picture import Picture
from lather.core.imageio.write import encode_picture

RAW_ENDINGS = (".dng", ".cr2", ".cr3", ".nef", ".nrw", ".arw", ".raf", ".orf", ".rw2", ".pef", ".srw", ".3fr", ".iiq")
HEIF_ENDINGS = (".heic", ".heif", ".hif")
RAW, HEIF = "raw", "HEIF"
"""`Picture.format` of what an extra read."""
ENDINGS = (*RAW_ENDINGS, *HEIF_ENDINGS)


def is_extra(path: Path | None) -> bool:
    """True for a file, by its name, that is held otherwise than it lies on the disk."""
    return path is not None and path.suffix.lower() in ENDINGS


def as_tiff(picture: Picture, name: str) -> tuple[bytes, str]:
    """(bytes, name) of the file that a job holds instead; who took it, with what and when goes along."""
    exif = select_exif(picture.exif, MetadataChoice())
    data = encode_picture(picture.pixels, "TIFF", profile=picture.profile or srgb_profile(), exif=exif, ppi=picture.ppi)
    return bytes(data), f"{Path(name).stem}.tif"
