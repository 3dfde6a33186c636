"""How raw camera files are developed, for the commands that open photos."""

import argparse

from lather.cli.arguments import number
from lather.core.imageio.development import EXPOSURE, KELVIN, TINT, Development


def add_development_arguments(parser: argparse.ArgumentParser) -> None:
    group = parser.add_argument_group("raw camera files (the extra `raw`)")
    group.add_argument("--exposure", type=number(EXPOSURE.low, EXPOSURE.high), default=0.0, metavar="STOPS",
                       help="lighter or darker (default: as taken)")
    group.add_argument("--kelvin", type=number(KELVIN.low, KELVIN.high), metavar="K",
                       help="temperature of the light (default: as the camera measured)")
    group.add_argument("--tint", type=number(TINT.low, TINT.high), default=0.0,
                       help=f"{TINT.low:g} (green) to {TINT.high:g} (magenta)")


def development_of(arguments: argparse.Namespace) -> Development:
    return Development(arguments.exposure, arguments.kelvin, arguments.tint)
