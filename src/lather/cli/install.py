"""lather install"""

import argparse
import os
import shutil
import subprocess
import sys
from pathlib import Path

from lather.cli.outputs import add_replace_argument, may_write
from lather.core.errors import RequestError
from lather.core.imageio.atomic import write_atomically

_CODE = Path(__file__).parents[1]
_ENTRY = _CODE / "desktop" / "entry"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--remove", action="store_true", help="take them away again")
    add_replace_argument(parser)


def program() -> Path:
    """What starts Lather: the script of a checkout, or the command that pip put beside its Python."""
    checkout = _CODE.parents[1] / "lather"
    if checkout.is_file():
        return checkout
    beside = Path(sys.executable).parent / "lather"
    if beside.is_file():
        return beside
    raise RequestError(f"There is no command `lather` beside {sys.executable}; install Lather by pip again.")


def _files(home: Path, data: Path) -> list[tuple[Path, Path | None]]:
    """[(target, source)]; the command, which has no source, leads to `program()`."""
    return [
        (data / "applications" / "lather.desktop", _ENTRY / "lather.desktop"),
        (data / "mime" / "packages" / "lather.xml", _ENTRY / "lather-mime.xml"),
        (data / "icons" / "hicolor" / "scalable" / "apps" / "lather.svg",
         _CODE / "desktop" / "theme" / "icons" / "lather.svg"),
        (data / "metainfo" / "org.lather.Lather.metainfo.xml", _ENTRY / "org.lather.Lather.metainfo.xml"),
        (home / ".local" / "bin" / "lather", None),
    ]


def _is_ours(target: Path, source: Path | None) -> bool:
    """Told by what it is: the command leads to a file called lather, the rest names Lather's own type or program."""
    if source is None:
        return target.is_symlink() and target.resolve().name == "lather"
    return source.suffix == ".svg" or b"lather" in target.read_bytes()


def run(arguments: argparse.Namespace) -> int:
    home = Path.home()
    data = Path(os.environ.get("XDG_DATA_HOME") or home / ".local" / "share")
    files = _files(home, data)
    foreign = [target for target, source in files if target.exists() and not _is_ours(target, source)]
    if arguments.remove:
        for target, _ in files:
            if target not in foreign:
                target.unlink(missing_ok=True)
        files = []
    else:
        may_write(foreign, replace=arguments.replace, folders=[target.parent for target in foreign])
    for target, source in files:
        target.parent.mkdir(parents=True, exist_ok=True)
        if source is None:
            target.unlink(missing_ok=True)
            target.symlink_to(program())
        else:
            text = source.read_text(encoding="utf-8").replace("Exec=lather ", f'Exec="{program()}" ')
            write_atomically(target, lambda file, text=text: file.write(text.encode()))
    for command, folder in (("update-mime-database", "mime"), ("update-desktop-database", "applications")):
        if shutil.which(command) and (data / folder).is_dir():
            subprocess.run([command, str(data / folder)], check=False, capture_output=True)
    print("lather: taken out of the menu" if arguments.remove else
          "lather: in the menu, and `.lather` files open with it; the command is in ~/.local/bin")
    return 0
