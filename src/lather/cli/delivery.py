"""How the picture will be seen: flags shared by `find` and `auto`."""

import argparse

from lather.core.find.worth import Delivery


def add_delivery_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--delivered-px", type=int, help="long edge on screen; without it, full size")
    parser.add_argument("--print-mm", type=float, help="long edge of the print, instead of a screen")
    parser.add_argument("--distance-mm", type=float, default=400.0, help="from which the print is looked at")


def delivery_of(arguments: argparse.Namespace) -> Delivery:
    """Raises RequestError for sizes that make no sense."""
    if arguments.print_mm is not None:
        return Delivery("print", None, arguments.print_mm, arguments.distance_mm)
    return Delivery("screen", arguments.delivered_px)
