"""lather open FILE"""

import argparse

from lather.cli.demo import require_display


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", nargs="?", help="a photo (JPEG, PNG, TIFF, WebP) or a .lather job; none: empty desk")


def run(arguments: argparse.Namespace) -> int:
    require_display()
    if arguments.file:
        from lather.core.session import Session

        Session.open(arguments.file)  # a file that cannot be opened is told here, before a window comes up
    from lather.desktop.app import run

    return run(arguments.file)
