"""lather replay JOB --source PHOTO --out JOB2"""

import argparse
from pathlib import Path

from lather.cli.batch import Batch, Task, add_batch_arguments, told
from lather.cli.carry import look_lines
from lather.cli.developing import add_development_arguments, development_of
from lather.cli.outputs import add_replace_argument, make_folder, may_write
from lather.core.errors import RequestError
from lather.core.imageio.development import Development
from lather.core.session import Session
from lather.core.sitting.carry_report import carried_of
from lather.core.sitting.replay import replay


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("jobs_or_job", nargs="+", metavar="JOB", help="finished job; with several, --source and --out "
                        "are folders")
    parser.add_argument("--source", required=True, help="the photo developed anew; of several jobs a folder that holds "
                        "photos of the same names")
    parser.add_argument("--out", required=True, help="job file to write; a folder for several")
    parser.add_argument("--json", action="store_true", help="machine-readable: what was carried, what needs a look")
    add_replace_argument(parser)
    add_batch_arguments(parser)
    add_development_arguments(parser)


def replay_job(job: str, photo: str, out: str, development: Development | None = None) -> dict:
    """The job played again on a photo, saved; what came of it. Raises LatherError."""
    developed = Session.from_photo(photo, development=development)
    played = replay(Session.open(job), developed.photo, brief=developed.job.brief)
    played.photo_path = Path(photo).resolve()
    played.save(out)
    return {"job": job, "photo": photo, "out": out} | carried_of(played.job.brief).to_json()


def run(arguments: argparse.Namespace) -> int:
    jobs, out, many = arguments.jobs_or_job, Path(arguments.out), len(arguments.jobs_or_job) > 1
    if not many and out.suffix != ".lather":
        raise RequestError(f"{out}: a job's name ends in .lather.")
    tasks = []
    for job in jobs:
        photo = _photo_for(job, Path(arguments.source)) if many else arguments.source
        target = str(out / f"{Path(job).stem}.lather") if many else str(out)
        tasks.append(Task(job, "lather.cli.replay:replay_job", (job, photo, target, development_of(arguments)),
                          (target,), (photo,)))
    may_write([task.outputs[0] for task in tasks], [*jobs, *(photo for task in tasks for photo in task.beside)],
              folders=[out] if many else [], replace=arguments.replace, claimed=not many)
    if many:
        make_folder(out)
    results = Batch(tasks, arguments.jobs, out if many else None, arguments.scheduler).run()
    return told(results, look_lines, as_json=arguments.json)


def _photo_for(job: str, folder: Path) -> str:
    """Raises RequestError unless a folder holds just one photo of a job's name."""
    found = [path for path in folder.glob(f"{Path(job).stem}.*") if path.suffix != ".lather"] if folder.is_dir() else []
    if len(found) != 1:
        raise RequestError(f"{folder} holds {len(found) or 'no'} photo{'s' * (len(found) != 1)} named "
                           f"{Path(job).stem}; it must hold one for each job.")
    return str(found[0])
