"""lather adjust PHOTO --add KIND"""

import argparse
import json
import sys

from lather.cli.opened import add_file_arguments, deliver, open_photo
from lather.core.errors import RequestError
from lather.core.job.commands import AddLayer, Command, SetLayer
from lather.core.job.model import Layer, new_id
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.adjustment_start import CRISP_PARTS, crisp_proposal, measured_settings
from lather.core.mending.colour_settings import match_command, within_limits
from lather.core.parameters import Choice, Flag, Model, Number, Parameter
from lather.core.session import Session
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.mask import by_zones
from lather.core.stages.adjust.zones import ZONES
from lather.core.stages.info import StageInfo
from lather.core.stages.registry import STAGES

_KEPT_APART = "/"


def kinds() -> dict[str, tuple[StageInfo, type[AdjustmentKind]]]:
    """All adjustments by name; one that two stages have is named with its stage, as hues and finish/hues."""
    named = {}
    for info in STAGES:
        for kind_id, kind in info.kinds.items():
            if issubclass(kind, AdjustmentKind):
                named[kind_id if kind_id not in named else f"{info.id}{_KEPT_APART}{kind_id}"] = (info, kind)
    return named


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("photo", help="a photo, or a .lather job, which is gone on with")
    parser.add_argument("--add", action="append", default=[], metavar="KIND[:PART]", help=(
        f"a layer, measured on this photo: {', '.join(kinds())}; whiten:eye_whites, crisp:lips; "
        "match:FROM>TO for parts of the skin"))
    parser.add_argument("--set", action="append", default=[], metavar="NAME=VALUE", dest="values",
                        help="a setting of the layer added last, as the box shows it (per cent as per cent)")
    parser.add_argument("--zones", action="append", default=[], metavar="ZONE,…",
                        help=f"mask of the layer added last: {', '.join(ZONES)}, or everywhere")
    add_file_arguments(parser)


def run(arguments: argparse.Namespace) -> int:
    session, _ = open_photo(arguments)
    if not arguments.add:
        raise RequestError(f"Say what to add with --add: {', '.join(kinds())}.")
    added = [_add(session, text) for text in arguments.add]
    stage_id, layer_id = added[-1]
    for text in arguments.values:
        _set(session, stage_id, layer_id, text)
    for text in arguments.zones:
        mask = {"everywhere": True, "zones": []} if text == "everywhere" else by_zones(*_zones(text))
        session.history.do(SetLayer(stage_id, layer_id, "settings", mask))
    deliver(session, arguments)
    rows = [{"stage": stage, "kind": layer.kind, "name": layer.name, "settings": layer.settings}
            for stage, layer in ((stage, session.job.stage(stage).layer(one)) for stage, one in added)]
    if arguments.json:
        print(json.dumps(rows, indent=1))
    else:
        for row in rows:
            print(f"{row['stage']:8} {row['name']}")
    return 0


def _zones(text: str) -> list[str]:
    names = text.split(",")
    for name in names:
        if name not in ZONES:
            raise RequestError(f"There is no zone “{name}”; choose from {', '.join(ZONES)}.")
    return names


def _add(session: Session, text: str) -> tuple[str, str]:
    """(stage, id) of a new layer."""
    name, _, part = text.partition(":")
    if name not in kinds():
        raise RequestError(f"There is no adjustment “{name}”; choose from {', '.join(kinds())}.")
    info, kind = kinds()[name]
    command = _command(session, info, kind, part)
    session.history.do(command)
    return info.id, command.layer.id


def _command(session: Session, info: StageInfo, kind: type[AdjustmentKind], part: str) -> AddLayer:
    engine, job = session.engine, session.job
    command: Command | None
    if kind.id == "match":
        source, _, target = part.partition(">")
        command = match_command(engine, job, {"zone": source}, {"zone": target}, f"{source} to {target}, match")
    elif kind.id == "crisp":
        if part not in CRISP_PARTS:
            raise RequestError(f"Crisp is proposed for {', '.join(CRISP_PARTS)}; write for instance crisp:eyes.")
        command = crisp_proposal(engine, job, part, PhotoMeasures(session.photo).grain)
    else:
        settings = measured_settings(engine, job, info.id, kind.id, part=part)
        layer = None if settings is None else Layer(new_id(), kind.label, kind.id, settings=settings)
        command = None if layer is None else AddLayer(info.id, layer, len(job.stage(info.id).layers))
    if command is None:
        raise RequestError(f"{kind.label}: what it needs is not seen in this picture.")
    return command


def _set(session: Session, stage_id: str, layer_id: str, text: str) -> None:
    name, _, value = text.partition("=")
    layer = session.job.stage(stage_id).layer(layer_id)
    _, kind = next(one for one in kinds().values() if one[0].id == stage_id and one[1].id == layer.kind)
    known = {one.id: one for one in kind.own if not isinstance(one, Model)}
    if name == "strength":
        session.history.do(SetLayer(stage_id, layer_id, "strength", _number(value, text) / 100))
        return
    if name not in known:
        raise RequestError(f"{kind.label} has no setting “{name}”; choose from {', '.join((*known, 'strength'))}.")
    wanted, why = within_limits(session.job, layer, {name: _value(known[name], value, text)})
    session.history.do(SetLayer(stage_id, layer_id, "settings", wanted))
    if why:
        print(why, file=sys.stderr)


def _number(value: str, text: str) -> float:
    try:
        return float(value)
    except ValueError:
        raise RequestError(f"“{text}” names no number.") from None


def _value(parameter: Parameter, value: str, text: str) -> object:
    if isinstance(parameter, Flag):
        return value.lower() in ("on", "yes", "true", "1")
    if isinstance(parameter, Choice):
        parameter.check(value)
        return value
    assert isinstance(parameter, Number)
    number = _number(value, text) / parameter.shown_times
    parameter.check(number)
    return number

