"""How the picture will be seen: flags shared by `find` and `auto`."""

import argparse

from lather.cli.arguments import number, whole
from lather.core.find.visibility import Delivery


def add_delivery_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--delivered-px", type=whole(1, 1_000_000), help="long edge on screen; without it, full size")
    parser.add_argument("--print-mm", type=number(1, 100_000), help="long edge of the print, instead of a screen")
    parser.add_argument("--distance-mm", type=number(1, 100_000), default=400.0,
                        help="from which the print is looked at")


def delivery_of(arguments: argparse.Namespace) -> Delivery:
    """What the flags say."""
    if arguments.print_mm is not None:
        return Delivery("print", None, arguments.print_mm, arguments.distance_mm)
    return Delivery("screen", arguments.delivered_px)
