"""lather find PHOTO"""

import argparse
import json

from lather.cli.delivery import add_delivery_arguments, delivery_of
from lather.core.find.finder import find_all
from lather.core.job.finds import contrast_text
from lather.core.kinds.registry import KINDS
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.session import Session
from lather.core.warmup import tell_on_terminal


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("photo", help="a photo, or a .lather job (its photo is looked at)")
    parser.add_argument("--kind", action="append", metavar="KIND", help=f"only these: {', '.join(KINDS)}")
    parser.add_argument("--json", action="store_true", help="machine-readable")
    add_delivery_arguments(parser)


def run(arguments: argparse.Namespace) -> int:
    session = Session.open(arguments.photo)
    tell_on_terminal()
    photo = session.photo
    finds, _ = find_all(photo, measures=PhotoMeasures.of_job(photo, session.job), delivery=delivery_of(arguments),
                        kinds=arguments.kind)
    if arguments.json:
        print(
            json.dumps({"width": photo.width, "height": photo.height, "finds": [f.to_json() for f in finds]}, indent=1)
        )
        return 0
    for find in finds:
        note = "keeper?" if find.keeper else "" if find.worth else "will not show"
        size = f"{find.size_px:.0f} px" if find.path is None else f"{find.size_px:.0f} × {find.width_px:.0f} px"
        print(
            f"{find.label:20} {find.x:6.0f} {find.y:6.0f}  {size:>12}  {contrast_text(find):>9}  "
            f"{find.confidence * 100:3.0f} %  {find.zone}  {note}"
        )
    shown = sum(f.worth and not f.keeper for f in finds)
    print(f"{len(finds)} finds, {shown} of them will show and are no keepers")
    return 0
