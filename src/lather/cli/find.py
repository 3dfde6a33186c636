"""lather find PHOTO"""

import argparse
import json

from lather.cli.delivery import add_delivery_arguments, delivery_of
from lather.core.find.finder import look_at
from lather.core.find.no_flaw import reason
from lather.core.job.finds import contrast_text
from lather.core.kinds.registry import KINDS
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.session import Session
from lather.core.warmup import tell_on_terminal


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("photo", help="a photo, or a .lather job (its photo is looked at)")
    parser.add_argument("--kind", action="append", metavar="KIND", help=f"only these: {', '.join(KINDS)}")
    parser.add_argument("--left-alone", action="store_true", help="also what looks like a flaw and is none, and why")
    parser.add_argument("--json", action="store_true", help="machine-readable")
    add_delivery_arguments(parser)


def run(arguments: argparse.Namespace) -> int:
    session = Session.open(arguments.photo)
    tell_on_terminal()
    photo = session.photo
    found = look_at(photo, measures=PhotoMeasures.of_job(photo, session.job), delivery=delivery_of(arguments),
                    kinds=arguments.kind)
    if arguments.json:
        told = {"width": photo.width, "height": photo.height, "finds": [f.to_json() for f in found.finds]}
        if arguments.left_alone:
            told["left_alone"] = [f.to_json() for f in found.left_alone]
        print(json.dumps(told, indent=1))
        return 0
    for find in (*found.finds, *(found.left_alone if arguments.left_alone else ())):
        note = (f"left alone: {reason(find)}" if find.left_alone else "keeper?" if find.keeper else
                "will not show" if not find.worth else "" if find.sure else "look yourself")
        size = f"{find.size_px:.0f} px" if find.path is None else f"{find.size_px:.0f} × {find.width_px:.0f} px"
        print(
            f"{find.label:20} {find.x:6.0f} {find.y:6.0f}  {size:>12}  {contrast_text(find):>9}  "
            f"{find.confidence * 100:3.0f} %  {find.zone}  {note}"
        )
    shown = [f for f in found.finds if f.worth and not f.keeper]
    print(f"{len(found.finds)} finds, {len(shown)} of them will show and are no keepers; {sum(f.sure for f in shown)} "
          f"sure, {len(shown) - sum(f.sure for f in shown)} to look at yourself; {len(found.left_alone)} left alone")
    return 0
