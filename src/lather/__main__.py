"""`lather COMMAND`: command line or window. Each command lives in its own file under `cli`, loaded when used."""

import argparse
import importlib
import os
import sys

from lather import __version__
from lather.core.errors import Cancelled, LatherError

COMMANDS = {
    "demo": "opens the desk on the demo job",
    "open": "opens a photo or a job",
    "info": "what a photo or job holds",
    "find": "lists the flaws of a photo",
    "auto": "the first pass: finds mended, stray hairs cleared, grain matched, all as ordinary edits",
    "measure": "all gauges, from a photo and its retouch",
    "render": "renders jobs to picture files",
    "practice": "makes practice pictures with known flaws",
    "bench": "measures the speed table",
    "shots": "PNG of each main view with the demo job",
}
EXIT_CODES = "Exit codes: 0 done; 2 wrong input, nothing half-written is left (the reason is printed); 130 stopped."


def build_parser(wanted: str | None = None) -> argparse.ArgumentParser:
    """The parser; only the wanted command's file is loaded."""
    parser = argparse.ArgumentParser(prog="lather", description="A retouching desk for portraits.", epilog=EXIT_CODES)
    parser.add_argument("--version", action="version", version=f"Lather {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    for name, help_text in COMMANDS.items():
        sub = commands.add_parser(name, help=help_text, description=help_text, epilog=EXIT_CODES)
        if name == wanted:
            module = importlib.import_module(f"lather.cli.{name}")
            module.add_arguments(sub)
            sub.set_defaults(run=module.run)
    return parser


def main(arguments: list[str] | None = None) -> int:
    arguments = sys.argv[1:] if arguments is None else arguments
    wanted = next((a for a in arguments if a in COMMANDS), None)
    parser = build_parser(wanted)
    parsed = parser.parse_args(arguments)
    if parsed.command is None:
        parser.print_help()
        return 2
    try:
        return parsed.run(parsed) or 0
    except Cancelled as error:
        print(f"lather: {error.message}", file=sys.stderr)
        return 130
    except LatherError as error:
        print(f"lather: {error.message}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("lather: stopped.", file=sys.stderr)
        return 130
    except MemoryError:
        print("lather: not enough memory; close other programs or use a smaller picture.", file=sys.stderr)
        return 2
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0


if __name__ == "__main__":
    sys.exit(main())
