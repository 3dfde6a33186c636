"""lather shape PHOTO"""

import argparse
import json

from lather.cli.opened import add_file_arguments, deliver, open_photo
from lather.core.errors import RequestError
from lather.core.job.commands import AddEdits, AddLayer
from lather.core.job.model import Layer, new_id
from lather.core.measure.lines_behind import lines_behind
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.people.hands import hand_outlines
from lather.core.people.outline import PersonOutline
from lather.core.session import Session
from lather.core.stages.shape import holds, measures
from lather.core.stages.shape.kind import next_order
from lather.core.stages.shape.lines import hold_of
from lather.core.stages.shape.readout import moves_of


def add_arguments(parser: argparse.ArgumentParser) -> None:
    names = ", ".join(measures.BY_ID)
    parser.add_argument("photo", help="a photo, or a .lather job, which is gone on with")
    parser.add_argument("--set", action="append", default=[], metavar="MEASURE=PERCENT", dest="values",
                        help=f"in %% of the face's width; MEASURE.left or .right for one side: {names}")
    parser.add_argument("--hold", action="append", default=[], choices=tuple(holds.ZONES), metavar="ZONE",
                        help=f"not moved by anything: {', '.join(holds.ZONES)}")
    parser.add_argument("--hold-lines", action="store_true", help="lines behind the person stay straight")
    add_file_arguments(parser)


def run(arguments: argparse.Namespace) -> int:
    session, seen = open_photo(arguments)
    lines = lines_behind(seen)
    _hold(session, seen, arguments.hold, lines if arguments.hold_lines else [])
    for text in arguments.values:
        _set(session, text)
    deliver(session, arguments)
    _tell(session, lines, arguments.json)
    return 0


def _hold(session: Session, seen: PhotoMeasures, zones: list[str], lines: list) -> None:
    if not zones and not lines:
        return
    layer = Layer(new_id(), "Held", "shape")
    session.history.do(AddLayer("shape", layer, 0))
    people = seen.people
    found = holds.outlines_of(session.job.face_map, PersonOutline(people).rings, hand_outlines(people)) if zones else {}
    for zone in zones:
        if zone not in found:
            raise RequestError(f"There are no {zone} to be held in this picture; choose from {', '.join(found)}.")
        session.history.do(holds.hold_command(session.job, layer, zone, found[zone], seen.face_width_px))
    if lines:
        edits = tuple(hold_of(line.parts, line.name, next_order(session.job)) for line in lines)
        session.history.do(AddEdits("shape", layer.id, edits))


def _set(session: Session, text: str) -> None:
    name, _, value = text.partition("=")
    name, _, side = name.partition(".")
    measure = measures.BY_ID.get(name)
    if measure is None or (side and side not in measure.sides):
        raise RequestError(f"There is no measure “{text}”; write one of {', '.join(measures.BY_ID)} with =PERCENT.")
    try:
        percent = float(value)
    except ValueError:
        raise RequestError(f"“{text}” names no percent; write for instance {name}=-0.8.") from None
    if session.job.face_map is None:
        raise RequestError("No face was found in this picture, so nothing of it can be measured.")
    most = measures.most_percent(session.job.brief.get("kind"))
    if not abs(percent) <= most:
        kind = session.job.brief.get("kind") or "natural portrait"
        raise RequestError(f"{name} of {percent:g} % is more than the {most:g} % that {kind} allows each way.")
    command = measures.set_command(session.job, measure, (side,) if side else measure.sides, percent)
    if command is not None:
        session.history.do(command)


def _tell(session: Session, lines: list, as_json: bool) -> None:
    job, face = session.job, session.job.face_map
    moves, warp = moves_of(session.engine, job, lines), session.engine.warp(job)
    now = measures.values(job, face)
    rows = {}
    if face is not None and face.mesh:
        rows = {
            measures.name_of(one, side): {
                "id": one.id, "side": side, "percent": round(now.get((one.id, side), 0.0), 2),
                "photo": round(measures.distance(one, face, side), 2),
                "now": round(measures.distance(one, face, side, warp.to_above), 2),
            }
            for one in measures.MEASURES for side in one.sides
        }
    data = {
        "largest_move": {"px": round(moves.largest_px, 2), "percent": _round(moves.percent), "mm": round(moves.mm, 2)},
        "left_right_percent": _round(moves.sides), "left_right_photo_percent": _round(moves.sides_before),
        "tightest": round(moves.tightest, 3), "texture_kept_percent": _round(moves.texture),
        "lines": [{"name": bend.name, "bend_px": round(bend.px, 2), "over": bend.over} for bend in moves.bends],
        "measures": list(rows.values()),
    }
    if as_json:
        print(json.dumps(data, indent=1))
        return
    for label, row in rows.items():
        print(f"{label:26} {row['percent']:+6.2f} %   photo {row['photo']:6.2f} %   now {row['now']:6.2f} %")
    percent = "" if moves.percent is None else f", {moves.percent:.2f} % of the face's width"
    print(f"largest move {moves.largest_px:.1f} px{percent}; tightest place {moves.tightest:.2f}")
    for bend in moves.bends:
        print(f"{bend.name:26} bent {bend.px:.2f} px{'  over' if bend.over else ''}")


def _round(value: float | None) -> float | None:
    return None if value is None else round(value, 3)
