"""What Lather's commands wrote, so that they may write it anew, and nothing else, unless it is said.

One line of JSON per file in the state folder: as it was left (size, time), or that it is about to be written. A command
that is killed in the middle finds its own half again. Where nothing can be kept, nothing counts as own.
"""

import os
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from lather.core.imageio.alone import alone
from lather.core.imageio.atomic import write_atomically
from lather.core.state import state_folder
from lather.core.strict_json import MALFORMED, parsed, written

_MOST_LINES, _KEPT_LINES = 20_000, 10_000
_CLAIM_NS = 3600 * 10**9  # within which a file that was about to be written is taken for what was written
_MOST_LINE_BYTES = 64 * 1024


def _file() -> Path:
    return state_folder() / "written.jsonl"


def _name(path: str | Path) -> str:
    return os.fsencode(os.path.realpath(path)).decode("utf-8", "replace")


@contextmanager
def _held() -> Iterator[Path]:
    path = _file()
    path.parent.mkdir(parents=True, exist_ok=True)
    with alone(path.with_suffix(".lock")):
        yield path


def _lines(path: Path) -> list[bytes]:
    try:
        return path.read_bytes().splitlines(keepends=True)
    except OSError:
        return []


def _append(rows: list[dict]) -> None:
    if not rows:
        return
    with suppress(OSError), _held() as path:
        lines = [written(row, indent=None) + b"\n" for row in rows]
        there = _lines(path)
        if len(there) > _MOST_LINES:
            write_atomically(path, lambda file: file.write(b"".join(there[-_KEPT_LINES:])))
        with open(path, "ab") as file:
            file.write(b"".join(lines))


def claim(paths: Iterable[str | Path]) -> None:
    """These are about to be written."""
    now = time.time_ns()
    _append([{"path": _name(path), "claimed": now} for path in paths])


def note(paths: Iterable[str | Path]) -> None:
    """These are written, and are left as they are now."""
    rows = []
    for path in paths:
        with suppress(OSError):
            state = os.stat(path)
            rows.append({"path": _name(path), "size": state.st_size, "mtime": state.st_mtime_ns})
    _append(rows)


def own(paths: Iterable[str | Path]) -> set[str]:
    """Those of files that are there which a command wrote, and nobody changed since."""
    wanted = {_name(path): str(path) for path in paths}
    last: dict[str, dict] = {}
    for line in _lines(_file()):
        with suppress(*MALFORMED):
            row = parsed(line, most_bytes=_MOST_LINE_BYTES)
            if row["path"] in wanted:  # type: ignore[index,call-overload]
                last[row["path"]] = row  # type: ignore[index,call-overload,assignment]
    found = set()
    for name, row in last.items():
        with suppress(OSError, *MALFORMED):
            state = os.stat(wanted[name])
            if (state.st_size, state.st_mtime_ns) == (row.get("size"), row.get("mtime")) or (
                    "claimed" in row and 0 <= state.st_mtime_ns - row["claimed"] < _CLAIM_NS):
                found.add(wanted[name])
    return found
