"""lather shots --out DIR"""

import argparse
import os
import tempfile

from lather.core.errors import RequestError


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--out", required=True, help="folder for the PNG files, made if it is not there")
    parser.add_argument("--stage", action="append", metavar="STAGE",
                        help="only the pictures of these stages or views (the desk is always taken); without it all")
    parser.add_argument("--handbook", metavar="DIR", help="also write the handbook's pictures, smaller, as JPEG, there")


def run(arguments: argparse.Namespace) -> int:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from lather.desktop.pictures.shots import STAGE_SHOTS, VIEW_SHOTS, take_shots

    for stage in arguments.stage or ():
        if stage not in (*STAGE_SHOTS, *VIEW_SHOTS):
            known = ", ".join((*STAGE_SHOTS, *VIEW_SHOTS))
            raise RequestError(f"There are no pictures of “{stage}”; choose from {known}.")

    with tempfile.TemporaryDirectory(prefix="lather-shots-") as folder:
        for own in ("CONFIG", "DATA", "STATE"):  # the same pictures for everybody: no cards, keys or jobs of one's own
            os.environ[f"XDG_{own}_HOME"] = folder
        for path in take_shots(arguments.out, arguments.stage or (*STAGE_SHOTS, *VIEW_SHOTS),
                               handbook=arguments.handbook):
            print(path)
    return 0
