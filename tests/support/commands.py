"""Commands run in this process: quicker than a new one for each."""

import contextlib
import io

from lather.__main__ import main


def run_here(*arguments) -> tuple[int, str]:
    """(exit code, what was printed) of `lather ARGUMENTS`."""
    printed = io.StringIO()
    with contextlib.redirect_stdout(printed):
        code = main([str(a) for a in arguments])
    return code, printed.getvalue()
