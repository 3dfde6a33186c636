"""lather shots --out DIR"""

import argparse
import os
import re
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from lather.cli.outputs import add_replace_argument, make_folder, may_write
from lather.core.errors import RequestError
from lather.core.imageio.atomic import write_atomically


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--out", required=True, help="folder for the PNG files, made if it is not there")
    add_replace_argument(parser)
    parser.add_argument("--stage", action="append", metavar="STAGE",
                        help="only the pictures of these stages or views (the desk is always taken); without it all")
    parser.add_argument("--size", metavar="WxH", default="1280x800", help="of the window (1280x800)")
    parser.add_argument("--handbook", metavar="DIR", help="also write the handbook's pictures, smaller, as JPEG, there")


def run(arguments: argparse.Namespace) -> int:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from lather.desktop.pictures.shots import STAGE_SHOTS, VIEW_SHOTS, take_shots

    found = re.fullmatch(r"(\d{3,4})x(\d{3,4})", arguments.size)
    if found is None:
        raise RequestError(f"“{arguments.size}” is no size of a window; write it as 1920x1080.")
    size = int(found[1]), int(found[2])
    for stage in arguments.stage or ():
        if stage not in (*STAGE_SHOTS, *VIEW_SHOTS):
            known = ", ".join((*STAGE_SHOTS, *VIEW_SHOTS))
            raise RequestError(f"There are no pictures of “{stage}”; choose from {known}.")

    for wanted in (arguments.out, arguments.handbook):
        if wanted:
            make_folder(wanted)
    with tempfile.TemporaryDirectory(prefix="lather-shots-") as folder:
        taken, book = Path(folder) / "taken", Path(folder) / "handbook"
        # the same pictures for everybody: no cards, keys or jobs of one's own
        with _environment({f"XDG_{own}_HOME": folder for own in ("CONFIG", "DATA", "STATE")}):
            take_shots(taken, arguments.stage or (*STAGE_SHOTS, *VIEW_SHOTS),
                       handbook=book if arguments.handbook else None, size=size)
        folders = ((taken, arguments.out), (book, arguments.handbook))
        moved = {path: Path(out) / path.name for made, out in folders if out for path in sorted(made.iterdir())}
        may_write(list(moved.values()), replace=arguments.replace)
        for path, target in moved.items():
            write_atomically(target, lambda file, path=path: file.write(path.read_bytes()))
            print(target)
    return 0


@contextmanager
def _environment(values: Mapping[str, str]) -> Iterator[None]:
    before = dict(os.environ)
    os.environ.update(values)
    try:
        yield
    finally:
        os.environ.clear()
        os.environ.update(before)
