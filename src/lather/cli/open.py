"""lather open FILE"""

import argparse
import sys

from lather.cli.demo import require_display


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", nargs="?", help="a photo (JPEG, PNG, TIFF, WebP) or a .lather job; none: empty desk")


def run(arguments: argparse.Namespace) -> int:
    require_display()
    if arguments.file and sys.stderr.isatty():
        from lather.core.session import Session

        Session.open(arguments.file)  # what cannot be opened is told in the terminal; without one, in the window
    from lather.desktop.app import run

    return run(arguments.file)
