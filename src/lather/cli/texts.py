"""lather texts --out FILE.ts"""

import argparse
from pathlib import Path

from lather.core.errors import RequestError


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--out", required=True, metavar="FILE.ts", help="Qt's TS file for one language, such as de.ts; "
                        "what is translated in it already stays")


def run(arguments: argparse.Namespace) -> int:
    from lather.desktop.texts.gather import texts  # these read all of the desktop
    from lather.desktop.texts.ts_file import read_ts, write_ts

    path = Path(arguments.out)
    if path.suffix != ".ts":
        raise RequestError(f"{path.name}: a translation's name is its language and ends in .ts, such as de.ts.")
    known = texts()
    left = write_ts(path, path.stem, known, read_ts(path) if path.is_file() else {})
    print(f"{path}: {len(known)} texts, {left} to translate")
    return 0
