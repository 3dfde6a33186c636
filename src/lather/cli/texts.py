"""lather texts --out FILE.ts"""

import argparse
from pathlib import Path

from lather.cli.outputs import may_write
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
    said = read_ts(path) if path.is_file() else {}  # a translation that is gone on with; another file is refused
    may_write([path], replace=path.is_file())
    known = texts()
    left = write_ts(path, path.stem, known, said)
    print(f"{path}: {len(known)} texts, {left} to translate")
    return 0
