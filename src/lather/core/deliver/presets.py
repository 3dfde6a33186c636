"""Sets of outputs kept by name: shipped ones, and the person's own in one small JSON file."""

import os
from collections.abc import Sequence
from pathlib import Path

from lather.core.errors import RequestError, SaveError
from lather.core.job.outputs import OutputSpec, outputs_of
from lather.core.phrases import phrase
from lather.core.strict_json import plain_text, read_own, refused, write_own

SHIPPED: dict[str, tuple[OutputSpec, ...]] = {
    "Full size": (OutputSpec("output-1", "Full size"),),
    "Cards": (
        OutputSpec("output-1", "Print, card", size="cm", width_cm=20, height_cm=25, medium="matte", format="TIFF",
                   bits=16, profile="paper"),
        OutputSpec("output-2", "Web", size="px", long_edge_px=2048),
        OutputSpec("output-3", "Client proof", size="px", long_edge_px=1080, format="WebP", quality=85),
        OutputSpec("output-4", "Archive, layers", format="OpenRaster", profile="own", sharpen=False),
        OutputSpec("output-5", "Mobile", False, size="px", long_edge_px=720, quality=85),
    ),
    "Web": (
        OutputSpec("output-1", "Web", size="px", long_edge_px=2048),
        OutputSpec("output-2", "Preview", size="px", long_edge_px=1080, quality=85),
    ),
    "Archive": (
        OutputSpec("output-1", "Master", format="TIFF", bits=16, profile="own", sharpen=False),
        OutputSpec("output-2", "Layers", format="OpenRaster", profile="own", sharpen=False),
    ),
}
_LONGEST_NAME = 60


def presets_file() -> Path:
    """Where the person's own sets are kept."""
    return Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config") / "lather" / "outputs.json"


def presets(file: Path) -> dict[str, tuple[OutputSpec, ...]]:
    """Shipped ones and those in `file`, which win; an unreadable file is passed over."""
    own = {name[:_LONGEST_NAME]: outputs_of({"outputs": rows}) for name, rows in read_own(file).items()}
    return SHIPPED | {name: specs for name, specs in own.items() if specs}


def keep_preset(file: Path, name: str, specs: Sequence[OutputSpec]) -> None:
    """Raises RequestError for a name of nothing, SaveError where it cannot be written."""
    name = plain_text(name).strip()[:_LONGEST_NAME]
    if not name:
        raise RequestError("A preset needs a name.")
    _write(file, read_own(file) | {name: [spec.to_json() for spec in specs]})


def drop_preset(file: Path, name: str) -> None:
    """A shipped one comes back as it was shipped."""
    _write(file, {key: rows for key, rows in read_own(file).items() if key != name})


def _write(file: Path, data: dict) -> None:
    with refused(lambda why: SaveError(phrase("The presets cannot be kept (%1).", why))):
        write_own(file, data)
