"""lather measure BEFORE AFTER, or JOB …"""

import argparse
import json
from pathlib import Path

import cv2

from lather.cli.batch import Batch, Task, add_batch_arguments, told
from lather.core.engine.photo import Photo
from lather.core.errors import RequestError
from lather.core.gauges.against_limits import judged_gauges
from lather.core.gauges.compared import Compared
from lather.core.gauges.registry import measure_gauges, measured_whole
from lather.core.imageio.files import check_regular, read_bytes
from lather.core.imageio.read import decode_picture
from lather.core.job.finds import Find
from lather.core.job.limits import job_kind_named, job_kinds
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.people.zone_masks import ZoneMasks
from lather.core.session import Session
from lather.core.strict_json import MALFORMED, read


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("files", nargs="+", metavar="FILE", help="the photo and the retouched picture, of the same "
                        "size; or one or more jobs")
    parser.add_argument("--brief", default=None, help=f"kind of job, for the limits: {', '.join(job_kinds())}")
    parser.add_argument("--zones", help="zone map of a practice plate (zones.png)")
    parser.add_argument("--finds", help="what `find --json` printed, or flaws.json: keepers and softened finds")
    parser.add_argument("--json", action="store_true", help="machine-readable")
    add_batch_arguments(parser)


def _photo(path: str) -> Photo:
    data = read_bytes(Path(path))
    return Photo(decode_picture(data, name=path), data, path)


def _finds(path: str | None) -> list[Find]:
    if path is None:
        return []
    check_regular(Path(path), RequestError, "list of finds")
    try:
        rows = read(Path(path))["finds"]  # type: ignore[index]
        return [Find.from_json({"confidence": 1.0} | row | {"id": str(row.get("id", n))}) for n, row in enumerate(rows)]
    except (OSError, RequestError, *MALFORMED):
        raise RequestError(f"{path} holds no finds; give what `lather find --json` printed.") from None


def run(arguments: argparse.Namespace) -> int:
    job_kind = None if arguments.brief is None else job_kind_named(arguments.brief)
    jobs = [path for path in arguments.files if Path(path).suffix == ".lather"]
    if jobs and len(jobs) == len(arguments.files):
        tasks = [Task(path, "lather.cli.measure:measure_job", (path, job_kind)) for path in jobs]
        return told(Batch(tasks, arguments.jobs, None, arguments.scheduler).run(), _job_lines, as_json=arguments.json)
    if len(arguments.files) != 2:
        raise RequestError("Give a photo and its retouched picture, or jobs alone.")
    rows = _measured(_photo(arguments.files[0]), _photo(arguments.files[1]), arguments.zones, arguments.finds, job_kind)
    if arguments.json:
        print(json.dumps(rows, indent=1, ensure_ascii=False))
    else:
        print(_lines(rows))
    return 0


def measure_job(job: str, job_kind: str | None) -> dict:
    """All gauges of a job, by its own kind unless another is asked for. Raises LatherError."""
    session = Session.open(job)
    values = measured_whole(session.engine, session.job, PhotoMeasures.of_job(session.photo, session.job))
    judged = judged_gauges(values, job_kind or session.job.brief.get("kind"))
    return {"job": job, "gauges": {name: one.to_json() for name, one in judged.items()}}


def _job_lines(value: dict) -> str:
    return f"{value['job']}\n{_lines(value['gauges'])}"


def _measured(before: Photo, after: Photo, zone_map: str | None, finds_file: str | None, job_kind: str | None) -> dict:
    """Raises RequestError where the two do not belong together."""
    if (before.width, before.height) != (after.width, after.height):
        raise RequestError(
            f"The pictures differ in size ({before.width} × {before.height} and {after.width} × {after.height} px); "
            "deliver the retouch at full size."
        )
    zones = None
    if zone_map:
        check_regular(Path(zone_map), RequestError, "zone map")
        zones = cv2.imread(zone_map, cv2.IMREAD_GRAYSCALE)
        if zones is None or zones.shape != (before.height, before.width):
            raise RequestError(f"{zone_map} is no zone map of this picture's size.")
    finds = _finds(finds_file)
    pictures = Compared(before.bounds, before.profile, before.read, after.read, PhotoMeasures(before), finds,
                        [f for f in finds if f.keeper], zones, masks=ZoneMasks(before))
    return {name: one.to_json() for name, one in judged_gauges(measure_gauges(pictures), job_kind).items()}


def _lines(rows: dict) -> str:
    lines = []
    for name, row in rows.items():
        if row["value"] is None:
            lines.append(f"{name:18} cannot be told from these")
            continue
        state = "" if row["within"] else "low" if row["value"] < row["low"] else "high"
        lines.append(f"{name:18} {row['value']:8.2f} {row['unit']:16} {row['low']:g} to {row['high']:g}  {state}")
    return "\n".join(lines)
