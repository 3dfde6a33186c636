"""`lather COMMAND`: command line or window. Each command lives in its own file under `cli`, loaded when used."""

from lather import interrupt

if __name__ == "__main__":
    interrupt.let_through()  # before anything that takes time to load

import argparse
import contextlib
import gc
import importlib
import io
import logging
import os
import sys
from collections.abc import Callable

from lather import __version__
from lather.core import log
from lather.core.errors import Cancelled, LatherError, RequestError

_log = logging.getLogger("lather.command")

COMMANDS = {
    "demo": "opens the desk on the demo job",
    "open": "opens a photo or a job",
    "info": "what a photo or job holds",
    "parts": "who is on a photo, and what each pixel is: skin, hair, cloth, ground …; writes the map",
    "find": "lists the flaws of a photo",
    "plan": "measures a photo and writes the plan: stages, starting values, minutes, cost, what to leave out first",
    "auto": "the first pass: mended, cleared, evened, calmed, whitened, grain matched, all as ordinary edits",
    "measure": "all gauges, from a photo and its retouch",
    "shape": "measures of a face read and set, zones and lines behind held; what was moved in numbers",
    "adjust": "layers of Colour, Crisp and Finish measured on a photo, set and rendered",
    "render": "renders jobs to picture files",
    "replay": "the same retouch on the photo developed anew",
    "carry": "a finished frame's retouch carried to other frames of the same person",
    "report": "the client's report of a job, and its before and after sheet",
    "proof": "writes a proof sheet for the client, or takes their answer in",
    "log": "the logbook: jobs, minutes, earnings; CSV, backup, repair, import",
    "practice": "makes practice pictures with known flaws",
    "install": "puts Lather into your own menu, as what opens .lather files; --remove takes it out again",
    "bench": "measures the speed table",
    "texts": "all texts of the interface as a TS file, for a translation",
    "shots": "PNG of each main view with the demo job",
}
_LONGEST_COMPLAINT, _FAULT = 300, 1
EXIT_CODES = ("Exit codes: 0 done; 1 a fault of the program, told in the log; 2 wrong input, nothing half-written is "
              "left (the reason is printed); 130 stopped.")


class Parser(argparse.ArgumentParser):
    """Says what is wrong with the arguments in one line, as everything else does."""

    def error(self, message: str):
        short = message if len(message) < _LONGEST_COMPLAINT else f"{message[:_LONGEST_COMPLAINT]} …"
        raise RequestError(f"{short[:1].upper()}{short[1:]}; see `{self.prog} --help`.")

    def _print_message(self, message: str, file=None):
        """As the base class has it, but for one thing: a help that cannot be written is not passed over."""
        if message:
            (file or sys.stderr).write(message)


def build_parser(wanted: str | None = None) -> argparse.ArgumentParser:
    """The parser; only the wanted command's file is loaded."""
    parser = Parser(prog="lather", description="A retouching desk for portraits.", epilog=EXIT_CODES)
    parser.add_argument("--version", action="version", version=f"Lather {__version__}")
    _add_verbose(parser, False)
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    for name, help_text in COMMANDS.items():
        sub = commands.add_parser(name, help=help_text, description=help_text, epilog=EXIT_CODES)
        if name == wanted:
            module = importlib.import_module(f"lather.cli.{name}")
            module.add_arguments(sub)
            _add_verbose(sub, argparse.SUPPRESS)  # before or after the command
            sub.set_defaults(run=module.run)
    return parser


def _add_verbose(parser: argparse.ArgumentParser, default) -> None:
    parser.add_argument("--verbose", action="store_true", default=default,
                        help="print what goes into the log, tracebacks too, to standard error")


def main(arguments: list[str] | None = None, *, loaded: Callable[[], None] = lambda: None) -> int:
    """Run a command; returns its exit code. Everything that can go wrong with input or output is said in one line.

    loaded: called when the command's modules are there, before it does anything.
    """
    arguments = sys.argv[1:] if arguments is None else arguments
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):  # names and signs that this terminal cannot show stop nothing
            stream.reconfigure(errors="backslashreplace")
    try:
        code = _run(arguments, loaded)
        sys.stdout.flush()
        return code
    except LatherError as error:
        print(f"lather: {log.expected(_log, error)}", file=sys.stderr)
        return interrupt.EXIT_CODE if isinstance(error, Cancelled) else 2
    except MemoryError as error:
        _log.warning("Not enough memory", exc_info=error)
        print("lather: not enough memory; close other programs or use a smaller picture.", file=sys.stderr)
        return 2
    except BrokenPipeError:
        _drop_output()
        return 0
    except OSError as error:
        _drop_output()
        _log.warning("Reading or writing failed", exc_info=error)
        where = f" {error.filename}" if error.filename else ""
        print(f"lather: reading or writing failed{where} ({error.strerror or error}).", file=sys.stderr)
        return 2


def _drop_output() -> None:
    """Nobody takes the output any more: the interpreter is not to try again at its end."""
    with contextlib.suppress(OSError, io.UnsupportedOperation):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _run(arguments: list[str], loaded: Callable[[], None]) -> int:
    log.configure(verbose="--verbose" in arguments)
    wanted = next((a for a in arguments if a in COMMANDS), None)
    parser = build_parser(wanted)
    loaded()
    try:
        parsed = parser.parse_args(arguments)
    except SystemExit as end:  # after --help and --version
        return int(end.code or 0)
    if parsed.command is None:
        parser.print_help()
        return 2
    try:
        return parsed.run(parsed) or 0
    finally:
        if "lather.cli.outputs" in sys.modules:
            sys.modules["lather.cli.outputs"].note_written()


def _begin() -> None:
    from lather.core.imageio.atomic import sweep_parts

    interrupt.unwind()
    sweep_parts()


def start() -> None:
    """The program as a process of its own."""
    interrupt.let_through()
    code = None
    try:
        code = main(loaded=_begin)
    except BaseException as error:
        if not interrupt.asked():  # what was being loaded may fail in its own way when it is interrupted
            if not isinstance(error, Exception):
                raise
            said = f"Something went wrong ({error}); its traceback is in {log.log_file()}."
            print(f"lather: {log.unexpected(_log, error, said)}", file=sys.stderr)
            code = _FAULT
    if code is None:  # what the interrupt held alive goes first: queues to workers, temporary folders
        gc.collect()
        interrupt.end_now()
    sys.exit(code)


if __name__ == "__main__":
    start()
