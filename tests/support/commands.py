"""Commands run in this process: quicker than a new one for each."""

import contextlib
import io
from pathlib import Path

from lather.__main__ import main


def run_here(*arguments) -> tuple[int, str]:
    """(exit code, what was printed) of `lather ARGUMENTS`."""
    printed = io.StringIO()
    with contextlib.redirect_stdout(printed):
        code = main([str(a) for a in arguments])
    return code, printed.getvalue()


def said_here(folder: Path, *arguments) -> tuple[int, str]:
    """(exit code, what was said of an error) of `lather ARGUMENTS` run in a folder."""
    said = io.StringIO()
    with contextlib.chdir(folder), contextlib.redirect_stderr(said), contextlib.redirect_stdout(io.StringIO()):
        code = main([str(a) for a in arguments])
    return code, said.getvalue()
