"""lather shots --out DIR"""

import argparse
import os
import tempfile


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--out", required=True, help="folder for the PNG files, made if it is not there")


def run(arguments: argparse.Namespace) -> int:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from lather.desktop.shots import take_shots

    with tempfile.TemporaryDirectory(prefix="lather-shots-") as folder:
        os.environ["XDG_CONFIG_HOME"] = folder  # the same pictures on anybody's machine: no cards or keys of one's own
        for path in take_shots(arguments.out):
            print(path)
    return 0
