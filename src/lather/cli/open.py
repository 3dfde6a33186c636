"""lather open FILE"""

import argparse
import sys
from pathlib import Path

from lather.cli.demo import require_display


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", nargs="?", help="a photo (JPEG, PNG, TIFF, WebP), a .lather job, or a folder of "
                        "photos; none: empty desk")


def run(arguments: argparse.Namespace) -> int:
    require_display()
    if arguments.file and sys.stderr.isatty():  # what cannot be opened is told in the terminal, else in the window
        from lather.core.session import Session
        from lather.core.sitting.sitting_file import open_sitting

        open_sitting([arguments.file]) if Path(arguments.file).is_dir() else Session.open(arguments.file)
    from lather.desktop.app import run

    return run(arguments.file)
