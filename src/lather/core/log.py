"""The log: what Lather did and what went wrong, with tracebacks, in a rotating file of the state folder.

Modules write to `logging.getLogger(__name__)`. Whoever turns an exception into a sentence for the person calls
`unexpected` (nobody foresaw it) or `expected` (a `LatherError`), so that its traceback is not lost.
"""

import contextlib
import functools
import logging
import logging.handlers
import platform
import re
import sys
import time
from collections import deque
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, ParamSpec, TypeVar

from lather import __version__
from lather.core.errors import Cancelled, LatherError
from lather.core.state import state_folder

Arguments, Result = ParamSpec("Arguments"), TypeVar("Result")

_log = logging.getLogger("lather")
_warnings = logging.getLogger("py.warnings")
_warnings.propagate = False
_log.addHandler(logging.NullHandler())  # where nobody began a log, nothing is printed
_FILE_BYTES, _FILES_KEPT = 1_000_000, 3
_FORMAT = "%(asctime)s %(process)d %(threadName)s %(levelname)s %(name)s: %(message)s"
_LINES_REPORTED, _SENTENCES = 120, 16
_PACKAGES = ("numpy", "scipy", "opencv-python-headless", "numba", "PyQt6", "imagecodecs", "pillow", "tifffile")
_CODE = str(Path(__file__).parents[2])
_PATH = re.compile(r"(?<![\w.])~?/[^\s\"'“”,;:()\[\]]+")
_NAMED = re.compile(r"[^\s\"'“”,;:()\[\]/]+\.(?:jpe?g|png|tiff?|webp|hei[cf]|avif|exr|dng|nef|cr[23]|arw|raf|orf|"
                    r"rw2|ora|lather|json|html|pdf|csv|icc|icm)\b", re.IGNORECASE)
HIDDEN = "‹file›"
_unexpected: deque[str] = deque(maxlen=_SENTENCES)
_configured: list[logging.Handler] = []


def log_file() -> Path:
    """Where the log is written; older parts lie beside it as `.1` to `.3`."""
    return state_folder() / "log" / "lather.log"


def configure(*, verbose: bool = False) -> None:
    """Begin to write the log, once per process. verbose: everything goes to standard error as well.

    Where the file cannot be written (a full or read-only disk), Lather works without one.
    """
    if _configured:
        return
    _log.setLevel(logging.DEBUG if verbose else logging.INFO)
    _log.propagate = False
    logging.captureWarnings(True)  # what a library warns of is for us to read, not for the person
    with contextlib.suppress(OSError):
        log_file().parent.mkdir(parents=True, exist_ok=True)
        _add(_QuietRotation(log_file(), maxBytes=_FILE_BYTES, backupCount=_FILES_KEPT, encoding="utf-8", delay=True))
    if verbose:
        _add(logging.StreamHandler())
    _log.info("Lather %s begins: %s", __version__, " ".join(_shortened(one) for one in sys.argv))


def close() -> None:
    """End the log of this process; `configure` may begin another (tests do)."""
    logging.captureWarnings(False)
    while _configured:
        handler = _configured.pop()
        for logger in (_log, _warnings):
            logger.removeHandler(handler)
        handler.close()


def _add(handler: logging.Handler) -> None:
    handler.setFormatter(logging.Formatter(_FORMAT))
    for logger in (_log, _warnings):
        logger.addHandler(handler)
    _configured.append(handler)


class _QuietRotation(logging.handlers.RotatingFileHandler):
    """A log that cannot be written stops nothing and says nothing."""

    def handleError(self, record: logging.LogRecord) -> None:
        pass


def unexpected(logger: logging.Logger, error: BaseException, sentence: str) -> str:
    """Write the traceback of an error that nobody foresaw; returns the sentence that the person is told."""
    logger.error("%s", sentence, exc_info=error)
    _unexpected.append(" ".join(sentence.split()))
    return sentence


def expected(logger: logging.Logger, error: LatherError) -> str:
    """Write down a foreseen error, with what caused it; returns its sentence."""
    if isinstance(error, Cancelled):
        logger.info("%s", error.message)
    else:
        logger.warning("%s", error.message, exc_info=error)
    return error.message


def timed(
    what: str, said: Callable[[Any], object] = lambda result: ""
) -> Callable[[Callable[Arguments, Result]], Callable[Arguments, Result]]:
    """Decorator: write down that a function was done, and how long it took. said: a word more, of what it returns.

    For what happens a few times a minute, never for what happens under the pen.
    """
    def around(function: Callable[Arguments, Result]) -> Callable[Arguments, Result]:
        logger = logging.getLogger(function.__module__)

        @functools.wraps(function)
        def run(*arguments: Arguments.args, **named: Arguments.kwargs) -> Result:
            began = time.monotonic()
            result = function(*arguments, **named)
            logger.info("%s: %.2f s %s", what, time.monotonic() - began, said(result))
            return result

        return run

    return around


def was_unexpected(sentence: str) -> bool:
    """True if this sentence was said of an error that nobody foresaw: then a report of it helps."""
    sentence = " ".join(sentence.split())
    return any(one in sentence for one in _unexpected)


def system_lines() -> list[str]:
    """Version, system and packages, as a report begins."""
    from importlib.metadata import PackageNotFoundError, version  # takes a while to read

    packages = []
    for name in _PACKAGES:
        with contextlib.suppress(PackageNotFoundError):
            packages.append(f"{name} {version(name)}")
    system = f"Python {platform.python_version()} on {platform.platform()}"
    return [f"Lather {__version__}", system, ", ".join(packages)]


def report(names: Iterable[str] = (), *, with_names: bool = False) -> str:
    """Version, system and the last lines of the log, to be sent to those who can mend it.

    names: what belongs to the person (photo, job, client). Unless `with_names` was agreed, those, file names and all
    paths but the program's own are taken out.
    """
    try:
        lines = log_file().read_text(encoding="utf-8", errors="replace").split("\n")[-_LINES_REPORTED:]
    except OSError:
        lines = ["There is no log."]
    text = "\n".join(lines)
    return "\n".join([*system_lines(), "", text if with_names else without_names(text, names)])


def without_names(text: str, names: Iterable[str] = ()) -> str:
    """The text without the given names, names of files, and paths that are not the program's own."""
    for name in sorted({name for name in names if len(name.strip()) > 1}, key=len, reverse=True):
        text = text.replace(name, HIDDEN)
    text = text.replace(_CODE, "")
    text = _PATH.sub(lambda found: _shortened(found[0]), text)
    return _NAMED.sub(HIDDEN, text)


def _shortened(path: str) -> str:
    """A path as it may be told: the program's own and those of packages from their last folders on."""
    for mark in ("/lather/", "/site-packages/", "/python3"):
        if mark in path and path.endswith((".py", ".so", "/lather")):
            return path[path.rindex(mark) + 1 :]
    return HIDDEN if "/" in path else path
