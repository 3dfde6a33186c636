"""lather measure BEFORE AFTER"""

import argparse
import json
from pathlib import Path

import cv2

from lather.core.engine.photo import Photo
from lather.core.errors import RequestError
from lather.core.gauges.compared import Compared
from lather.core.gauges.judged import judged_gauges
from lather.core.gauges.registry import measure_gauges
from lather.core.imageio.files import check_regular, read_bytes
from lather.core.imageio.read import decode_picture
from lather.core.job.finds import Find
from lather.core.job.limits import job_kind_named, job_kinds
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.measure.zone_masks import ZoneMasks


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("before", help="the photo")
    parser.add_argument("after", help="the retouched picture, of the same size")
    parser.add_argument("--brief", default=None, help=f"kind of job, for the limits: {', '.join(job_kinds())}")
    parser.add_argument("--zones", help="zone map of a practice plate (zones.png)")
    parser.add_argument("--finds", help="what `find --json` printed, or flaws.json: keepers and softened finds")
    parser.add_argument("--json", action="store_true", help="machine-readable")


def _photo(path: str) -> Photo:
    data = read_bytes(Path(path))
    return Photo(decode_picture(data, name=path), data, path)


def _finds(path: str | None) -> list[Find]:
    if path is None:
        return []
    check_regular(Path(path), RequestError, "list of finds")
    try:
        rows = json.loads(Path(path).read_text())["finds"]
        return [Find.from_json({"confidence": 1.0} | row | {"id": str(row.get("id", n))}) for n, row in enumerate(rows)]
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError, RequestError):
        raise RequestError(f"{path} holds no finds; give what `lather find --json` printed.") from None


def run(arguments: argparse.Namespace) -> int:
    job_kind = None if arguments.brief is None else job_kind_named(arguments.brief)
    before, after = _photo(arguments.before), _photo(arguments.after)
    if (before.width, before.height) != (after.width, after.height):
        raise RequestError(
            f"The pictures differ in size ({before.width} × {before.height} and {after.width} × {after.height} px); "
            "deliver the retouch at full size."
        )
    zones = None
    if arguments.zones:
        check_regular(Path(arguments.zones), RequestError, "zone map")
        zones = cv2.imread(arguments.zones, cv2.IMREAD_GRAYSCALE)
        if zones is None or zones.shape != (before.height, before.width):
            raise RequestError(f"{arguments.zones} is no zone map of this picture's size.")
    finds = _finds(arguments.finds)
    pictures = Compared(before.bounds, before.profile, before.read, after.read, PhotoMeasures(before), finds,
                        [f for f in finds if f.keeper], zones, masks=ZoneMasks(before))
    rows = {name: one.to_json() for name, one in judged_gauges(measure_gauges(pictures), job_kind).items()}
    if arguments.json:
        print(json.dumps(rows, indent=1, ensure_ascii=False))
        return 0
    for name, row in rows.items():
        if row["value"] is None:
            print(f"{name:18} cannot be told from these")
            continue
        state = "" if row["within"] else "low" if row["value"] < row["low"] else "high"
        print(f"{name:18} {row['value']:8.2f} {row['unit']:16} {row['low']:g} to {row['high']:g}  {state}")
    return 0
