"""lather carry JOB PHOTO … --out FOLDER"""

import argparse
from functools import lru_cache
from pathlib import Path

from lather.cli.batch import Batch, Task, add_batch_arguments, told
from lather.cli.outputs import add_replace_argument, make_folder, may_write
from lather.core.session import Session
from lather.core.sitting.carry import carry
from lather.core.sitting.carry_report import carried_of


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("job", help="the finished frame")
    parser.add_argument("photos", nargs="+", metavar="PHOTO", help="other frames of the same person")
    parser.add_argument("--out", required=True, help="folder for their jobs")
    parser.add_argument("--json", action="store_true", help="machine-readable: what was carried, what needs a look")
    add_replace_argument(parser)
    add_batch_arguments(parser)


@lru_cache(1)
def _finished(job: str) -> Session:
    return Session.open(job)


def carry_photo(job: str, photo: str, out: str) -> dict:
    """A finished frame's retouch carried to a photo, saved as a job; what came of it. Raises LatherError."""
    frame = Session.from_photo(photo)
    session = carry(_finished(job), frame.photo)
    session.photo_path = frame.photo_path
    session.save(out)
    return {"photo": photo, "out": out} | carried_of(session.job.brief).to_json()


def look_lines(told: dict) -> str:
    """What was carried, and what needs a look, as lines."""
    carried, wanted = (sum(both[k] for both in told["stages"].values()) for k in (0, 1))
    anew = sum(told["anew"].values())
    first = f"{told['out']}: {carried} of {wanted} edits carried" + (f", {anew} found anew" if anew else "")
    kept, all_kept = told["keepers"]
    looks = [f"  look: {one['name']}: {one['why']}" for one in told["looks"]]
    return "\n".join([f"{first}, keepers {kept} of {all_kept}, {len(looks)} to look at", *looks])


def run(arguments: argparse.Namespace) -> int:
    out = Path(arguments.out)
    tasks = []
    for photo in arguments.photos:
        target = str(out / f"{Path(photo).stem}.lather")
        tasks.append(Task(photo, "lather.cli.carry:carry_photo", (arguments.job, photo, target), (target,),
                          (arguments.job,)))
    may_write([task.outputs[0] for task in tasks], [arguments.job, *arguments.photos], folders=[out],
              replace=arguments.replace, claimed=False)
    make_folder(out)
    return told(Batch(tasks, arguments.jobs, out, arguments.scheduler).run(), look_lines, as_json=arguments.json)
