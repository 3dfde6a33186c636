"""Who benchmarks look at: the shipped sitters and, in a folder, plates of others (see more_sitters/)."""

from pathlib import Path

from lather.core.practice.sitters import sitter_names


def people(also: str | None, without: str | None = None) -> list[str]:
    """What `load_sitter` takes, for all but `without` (names, with commas)."""
    others = sorted(str(path) for path in Path(also).glob("*.jpg")) if also else []
    left_out = (without or "").split(",")
    return [one for one in (*sitter_names(), *others) if Path(one).stem not in left_out]
