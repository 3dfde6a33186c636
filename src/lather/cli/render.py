"""lather render JOB … --out FILE"""

import argparse
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from lather.cli.arguments import whole
from lather.cli.outputs import refuse_clashes
from lather.core.engine.export import Output
from lather.core.errors import RequestError
from lather.core.imageio.metadata import MetadataChoice
from lather.core.imageio.write import DEPTHS, format_for
from lather.core.session import Session


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("job", nargs="+", help="job or photo; with several, --out is a folder")
    parser.add_argument("--out", required=True, help="file to write (.jpg .png .tif .webp), or a folder for several")
    parser.add_argument("--size", type=whole(1, 1_000_000), help="long edge in px")
    parser.add_argument("--bits", type=int, choices=(8, 16), default=8)
    parser.add_argument("--quality", type=whole(1, 100), default=92, help="JPEG and WebP, 1-100")
    parser.add_argument("--profile", choices=("srgb", "photo"), default="srgb", help="convert, or keep the photo's own")
    parser.add_argument("--grey", action="store_true", help="one channel of grey, by lightness")
    parser.add_argument("--keep-location", action="store_true", help="leave the place in the metadata")
    parser.add_argument("--format", choices=("jpg", "png", "tif"), default="jpg", help="with several jobs")
    parser.add_argument("--jobs", type=whole(1, 64), default=1, help="how many at a time")


def run(arguments: argparse.Namespace) -> int:
    output = Output(
        bits=arguments.bits, quality=arguments.quality, long_edge_px=arguments.size,
        to_srgb=arguments.profile == "srgb", grey=arguments.grey,
        metadata=MetadataChoice(location=arguments.keep_location),
    )
    out = Path(arguments.out)
    several = len(arguments.job) > 1
    if several and not out.is_dir():
        raise RequestError(f"{out} is not a folder; with several jobs --out names a folder that exists.")

    targets = {path: out / f"{Path(path).stem}.{arguments.format}" if several else out for path in arguments.job}
    if len(targets) < len(arguments.job):
        raise RequestError("One of the jobs is named twice; name each once.")
    for target in targets.values():
        if output.bits not in DEPTHS[format_for(target)]:
            raise RequestError(f"{format_for(target)} holds 8 bits a channel; choose PNG or TIFF for 16.")
    refuse_clashes(list(targets.values()), arguments.job)

    def one(job_path: str) -> None:
        Session.open(job_path).export(targets[job_path], output)
        print(targets[job_path])

    with ThreadPoolExecutor(arguments.jobs) as pool:
        failures = [error for error in pool.map(lambda p: _try(one, p), arguments.job) if error is not None]
    for error in failures[1:]:
        print(f"lather: {error}", file=sys.stderr)
    if failures:
        raise failures[0]
    return 0


def _try(function, path):
    try:
        function(path)
    except Exception as error:
        return error
    return None
