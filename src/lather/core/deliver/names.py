"""File names of outputs by a pattern: `{client}-{job}-{frame}-{output}-{size}`."""

import re
import unicodedata
from collections.abc import Iterable, Mapping
from datetime import date
from pathlib import Path

from lather.core.errors import RequestError
from lather.core.imageio.files import is_there
from lather.core.job.brief import JobSheet
from lather.core.job.model import Job
from lather.core.job.outputs import FORMATS, OutputSpec
from lather.core.phrases import phrase

FIELDS = {"client": "client", "job": "title of the job", "frame": "frame", "photo": "name of the photo",
          "output": "name of the output", "size": "size in px or cm", "date": "today"}
USUAL_PATTERN = "{job}-{frame}-{output}-{size}"
_FIELD = re.compile(r"\{([a-z]*)\}")
_LONGEST = 120


def check_pattern(pattern: str) -> None:
    """Raises RequestError for an empty pattern, an unknown field, or signs that no file name holds."""
    unknown = [name for name in _FIELD.findall(pattern) if name not in FIELDS]
    if unknown:
        raise RequestError(phrase("There is no field {%1}; choose from %2.", unknown[0],
                                  ", ".join(f"{{{f}}}" for f in FIELDS)))
    if re.search(r"[{}/\\\0]", _FIELD.sub("", pattern)):
        raise RequestError("A name pattern holds no slash, and braces only around a field.")
    if not pattern.strip():
        raise RequestError("A name pattern needs at least one field or word.")


def file_name(pattern: str, job: Job, spec: OutputSpec, today: date | None = None) -> str:
    """The name with its ending. Fields with nothing in them leave no double hyphen. Raises RequestError."""
    check_pattern(pattern)
    values = _values(job, spec, today or date.today())
    stem = _FIELD.sub(lambda found: values[found.group(1)], pattern)
    stem = re.sub(r"([-_ .])[-_ .]+", r"\1", stem).strip("-_ .")[:_LONGEST] or "output"
    return stem + FORMATS[spec.format]


def _values(job: Job, spec: OutputSpec, today: date) -> Mapping[str, str]:
    long_edge = min(spec.long_edge_px, max(job.source.width, job.source.height) or spec.long_edge_px)  # never enlarged
    size = {"full": "full", "px": f"{long_edge}", "cm": f"{spec.width_cm:g}x{spec.height_cm:g}"}[spec.size]
    sheet, photo = JobSheet.of(job.brief), slug(Path(job.source.name).stem)
    return {
        "client": slug(sheet.client), "job": slug(sheet.title) or photo, "frame": slug(job.brief.get("frame", "")),
        "photo": photo, "output": slug(spec.name), "size": size, "date": f"{today:%Y-%m-%d}",
    }


def slug(text: object) -> str:
    """Small letters, digits and hyphens; letters of all scripts stay."""
    plain = unicodedata.normalize("NFC", str(text)).casefold()
    return re.sub(r"[\W_]+", "-", plain).strip("-")[:60]


def numbered(path: Path, taken: Iterable[Path] = ()) -> Path:
    """The path, or the first of `name-2`, `name-3`, … that is neither there nor taken."""
    taken = set(taken)
    made, number = path, 2
    while is_there(made) or made in taken:
        made = path.with_name(f"{path.stem}-{number}{path.suffix}")
        number += 1
    return made
