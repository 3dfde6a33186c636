"""lather practice make --sitter NAME --seed N --out DIR; practice score DIR RESULT; practice lesson N"""

import argparse
import json
from pathlib import Path

from lather.cli.arguments import number, whole
from lather.cli.outputs import add_replace_argument, may_write, refuse_file
from lather.core.colour import profiles
from lather.core.errors import RequestError
from lather.core.imageio.read import read_picture
from lather.core.practice.grain import Grain
from lather.core.practice.lessons import LESSONS, STRENGTHS, lesson, make_lesson
from lather.core.practice.make import FILES, KINDS, make_plate, write_plate
from lather.core.practice.outcome import PARTS, WORDS, score_lesson, what_went_wrong
from lather.core.practice.score import score_file
from lather.core.practice.sitters import GROUNDS, load_sitter, on_ground, sitter_names
from lather.core.types import as_float32


def add_arguments(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    make = actions.add_parser("make", help="writes photo, truth, wanted.png (marks stay), zones.png, flaws.json")
    make.add_argument("--sitter", required=True, help=f"{', '.join(sitter_names())}, or the path of your own plate")
    make.add_argument("--seed", type=whole(0, 2**32 - 1), default=1)
    make.add_argument("--flaw", action="append", default=[], metavar="KIND=COUNT", help=f"kinds: {', '.join(KINDS)}")
    make.add_argument("--backdrop", choices=GROUNDS, default="own", help="what lies behind the sitter")
    make.add_argument("--grain", type=number(0, 5), default=0.6, help="noise level in %% of the range, 0-5")
    make.add_argument("--grain-size", type=number(0, 5), default=0.6, help="radius of a grain in px")
    make.add_argument("--grain-chroma", type=number(0, 1), default=0.3, help="share of colour noise, 0-1")
    make.add_argument("--out", required=True, help="folder, made if it is not there")
    add_replace_argument(make)
    make.add_argument("--json", action="store_true", help="print the list of flaws")
    course = actions.add_parser("lesson", help="a lesson's plate; with --result its score, and every flaw")
    course.add_argument("number", type=whole(1, len(LESSONS)), help="; ".join(f"{x.number} {x.label}" for x in LESSONS))
    course.add_argument("--seed", type=whole(0, 2**32 - 1), default=1)
    course.add_argument("--strength", choices=tuple(STRENGTHS), default="middle", help="of the flaws")
    course.add_argument("--many", type=number(0.1, 4), default=1.0, help="times the usual number of flaws")
    course.add_argument("--sitter", default="", help="instead of the lesson's own")
    course.add_argument("--out", help="folder for photo.png, truth.png, wanted.png (marks stay), zones.png, flaws.json")
    add_replace_argument(course)
    course.add_argument("--result", help="the retouched picture, full size")
    course.add_argument("--json", action="store_true", help="machine-readable")
    score = actions.add_parser("score", help="score of a retouched picture against its truth")
    score.add_argument("folder", help="a folder that `practice make` wrote")
    score.add_argument("result", help="the retouched picture, full size")
    score.add_argument("--json", action="store_true", help="machine-readable")


def _counts(pairs: list[str]) -> dict[str, int] | None:
    if not pairs:
        return None
    counts = {}
    for pair in pairs:
        kind, _, count = pair.partition("=")
        try:
            counts[kind] = whole(0, 1000)(count)
        except argparse.ArgumentTypeError:
            raise RequestError(f"“{pair}” is not KIND=COUNT, like blemish_red=5, up to 1000.") from None
    return counts


def _score(arguments: argparse.Namespace) -> int:
    found = score_file(arguments.folder, arguments.result)
    if arguments.json:
        print(json.dumps(found.to_json(), indent=1))
        return 0
    for part, points in found.points.items():
        print(f"{part:10} {points:5.1f}   {getattr(found, part) * 100:.1f} %")
    print(f"{'score':10} {found.score:5.1f}   of 100")
    for kind, share in found.by_kind.items():
        print(f"  {kind}: {share * 100:.0f} % removed")
    return 0


def _lesson(arguments: argparse.Namespace) -> int:
    """Raises RequestError where nothing was asked for, or the result has another size."""
    if not arguments.out and not arguments.result:
        raise RequestError("Name a folder for the plate with --out, or a retouched picture with --result.")
    if arguments.out:
        _check_folder(arguments)
    plate = make_lesson(arguments.number, arguments.seed, sitter=arguments.sitter, strength=arguments.strength,
                        many=arguments.many)
    if arguments.out:
        write_plate(plate, arguments.out)
        print(f"Lesson {arguments.number}, {lesson(arguments.number).label}: {lesson(arguments.number).words} "
              f"{len(plate.flaws)} flaws on {plate.sitter.name}: {arguments.out}")
    if arguments.result:
        picture = read_picture(arguments.result)
        values = as_float32(picture.pixels)
        if not profiles.is_srgb(picture.profile):
            values = profiles.convert(values, picture.profile, profiles.srgb_profile())
        found = score_lesson(plate, values)
        if arguments.json:
            print(json.dumps({"score": found.score, "points": dict(found.points), "touched": round(found.touched, 4),
                              "flaws": [{"id": one.flaw["id"], "kind": one.flaw["kind"], "state": one.state,
                                         "error_de": round(one.error_de, 2)} for one in found.outcomes],
                              "hints": what_went_wrong(found)}, indent=1))
            return 0
        for part, (label, most) in PARTS.items():
            print(f"{label:30} {found.points[part]:5.1f} of {most}")
        print(f"{'score':30} {found.score:5.1f} of 100")
        for state, words in WORDS.items():
            print(f"  {words}: {found.count(state)}")
        for text in what_went_wrong(found):
            print(f"  {text}")
    return 0


def _check_folder(arguments: argparse.Namespace) -> None:
    """Raises RequestError or SaveError where writing would replace files that are none of the practice room's."""
    refuse_file(arguments.out)
    read = getattr(arguments, "result", None)
    may_write([Path(arguments.out) / name for name in FILES], [read] if read else [], folders=[arguments.out],
              replace=arguments.replace)


def run(arguments: argparse.Namespace) -> int:
    if arguments.action == "lesson":
        return _lesson(arguments)
    if arguments.action == "score":
        return _score(arguments)
    _check_folder(arguments)
    grain = Grain(arguments.grain, arguments.grain_size, arguments.grain_chroma)
    sitter = on_ground(load_sitter(arguments.sitter), arguments.backdrop, arguments.seed)
    plate = make_plate(sitter, arguments.seed, flaws=_counts(arguments.flaw), grain=grain)
    write_plate(plate, arguments.out)
    if arguments.json:
        print(json.dumps(plate.to_json(), indent=1))
    else:
        print(f"{len(plate.flaws)} flaws on {plate.sitter.name}, seed {plate.seed}: {arguments.out}")
    return 0
