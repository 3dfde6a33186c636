"""The four routes on the same plates: what each keeps and evens, how strengths rank, and the way back from too much.

./lather benchmarks schools [SITTER …]
"""

import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from lather.core.engine.photo import Photo
from lather.core.find.finder import find_all
from lather.core.gauges.pull_back import FEW_TILES, over_limit, pull_back
from lather.core.gauges.registry import measured_whole
from lather.core.imageio.picture import Picture
from lather.core.job.commands import SetFinds
from lather.core.job.history import History
from lather.core.job.model import new_job
from lather.core.kinds.registry import stage_of_kind
from lather.core.mending.edit_for_find import mend_all
from lather.core.mending.evening_by_route import crisp_command, evening_command
from lather.core.practice.make import make_plate
from lather.core.session import Session
from lather.core.stages.registry import STAGES

ROUTES = ("light", "bands", "sweep", "veil")
LEADS = {"light": ("skin_touched", 1), "bands": ("skin_touched", 1), "sweep": ("texture_kept", -1),
         "veil": ("texture_kept", -1)}
"""The gauge that tells how much of a route was laid, and which way it goes."""
STRENGTHS = (0.2, 0.4, 0.6, 0.8, 1.0)
FLAWS = {"blemish_dark": 8, "blemish_red": 6, "blotch": 6, "mole": 2}
TOLD = ("texture_kept", "modelling_kept", "blotch_residual", "grain_match", "skin_touched", "keepers_intact", "repeats",
        "spill")


def begun(sitter: str, seed: int):
    """A plate with its spots mended, and what was measured of it."""
    plate = make_plate(sitter, seed, flaws=FLAWS)
    photo = Photo(Picture(plate.photo), f"{sitter} {seed}".encode(), "plate.png")
    session = Session(photo, History(new_job(photo.source)))
    finds, measures = find_all(photo)
    session.history.amend(SetFinds(finds, measures.face, ()))
    wanted = [f for f in finds if f.worth and stage_of_kind(f.kind) == "mend" and session.job.find_state(f) == "open"]
    command, _ = mend_all(session.engine, session.job, wanted, session.job.stage("mend").layers[0].id)
    if command is not None:
        session.history.do(command)
    return session, measures


def finished(session, measures, route: str):
    """The whole of a route: evened, sharpened where it is, its grain put back."""
    steps = [evening_command(session.engine, session.job, measures, route)]
    if route in ("bands", "veil"):
        steps.append(crisp_command(session.engine, session.job, measures))
    for command in steps:
        if command is not None:
            session.history.do(command)
    for info in STAGES:
        command = info.automatic(session.job, measures) if info.automatic else None
        if command is not None:
            session.history.do(command)


def main() -> None:
    sitters, right, pairs = sys.argv[1:] or ["wren", "tilda", "ambrose"], 0, 0
    for sitter in sitters:
        session, measures = begun(sitter, 701)
        at = session.history.position
        for route in ROUTES:
            finished(session, measures, route)
            values = measured_whole(session.engine, session.job, measures, most_tiles=FEW_TILES)
            told = {name: round(values[name], 2) for name in TOLD if values[name] is not None}
            print(sitter, route, told, flush=True)
            while session.history.position > at:
                session.history.undo()
            lead, way, seen = *LEADS[route], []
            for strength in STRENGTHS:
                command = evening_command(session.engine, session.job, measures, route, strength=strength)
                session.history.do(command)
                values = measured_whole(session.engine, session.job, measures, most_tiles=FEW_TILES)
                seen.append(values[lead])
                if strength == STRENGTHS[-1]:
                    began = time.monotonic()
                    offer = pull_back(session.engine, session.job, measures, values, None)
                    took = time.monotonic() - began
                    out = [one.gauge.id for one in over_limit(values, None)]
                    left = [] if offer.command is None else over_limit(measured_whole(
                        session.engine, offer.command.apply(session.job), measures, most_tiles=FEW_TILES), None)
                    steps, still = [step.text() for step in offer.steps], [one.gauge.id for one in left]
                    print(f"  {route} at full strength: over {out}; {steps}; still over {still}; {took:.1f} s",
                          flush=True)
                session.history.undo()
            ordered = [way * b > way * a for n, a in enumerate(seen) for b in seen[n + 1 :]]
            right, pairs = right + sum(ordered), pairs + len(ordered)
            values = [round(v, 1) for v in seen]
            print(f"  {lead}: {values}: {sum(ordered)} of {len(ordered)} pairs in order", flush=True)
    print(f"{right} of {pairs} pairs in order ({100 * right / pairs:.0f} %)")


if __name__ == "__main__":
    main()
