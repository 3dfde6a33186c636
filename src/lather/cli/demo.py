"""lather demo"""

import argparse

from lather.core.errors import RequestError


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """None of its own."""


def require_display() -> None:
    """Raises RequestError in one sentence where no window can be shown."""
    from lather.desktop.app import has_display

    if not has_display():
        raise RequestError("There is no display for the window; `lather shots --out DIR` makes pictures of the desk.")


def run(arguments: argparse.Namespace) -> int:
    require_display()
    from lather.desktop.app import run

    return run(demo=True)
