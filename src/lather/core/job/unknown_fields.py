"""Fields of a file that this version does not know: kept as they are and written back."""

from collections.abc import Mapping

from lather.core import ranges


def nesting(value: object) -> int:
    """Levels of lists and objects in a plain value, counted without recursion; stops at one more than is allowed."""
    deepest, waiting = 0, [(value, 1)]
    while waiting and deepest <= ranges.MOST_NESTING:
        item, level = waiting.pop()
        if isinstance(item, dict | list):
            deepest = max(deepest, level)
            waiting.extend((inner, level + 1) for inner in (item.values() if isinstance(item, dict) else item))
    return deepest


def kept(data: Mapping, *known: str) -> dict:
    """The fields of `data` that are not known. Raises ValueError where they are nested too deep to be written back."""
    unknown = {key: value for key, value in data.items() if key not in known}
    if unknown and nesting(unknown) > ranges.MOST_NESTING:
        raise ValueError("unknown fields are nested too deep")
    return unknown
