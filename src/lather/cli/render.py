"""lather render JOB … --out FILE"""

import argparse
import sys
from pathlib import Path

from lather.cli.arguments import whole
from lather.cli.batch import Batch, Task, add_batch_arguments, told
from lather.cli.outputs import add_replace_argument, make_folder, may_write
from lather.core.deliver.export import Output
from lather.core.deliver.names import USUAL_PATTERN, file_name, numbered
from lather.core.deliver.presets import presets, presets_file
from lather.core.deliver.run import deliver
from lather.core.errors import RequestError, SaveError
from lather.core.imageio.metadata import MetadataChoice
from lather.core.imageio.write import DEPTHS, format_for
from lather.core.job.brief import JobSheet
from lather.core.job.outputs import USUAL, OutputSpec
from lather.core.record.entries import DeliveryNote
from lather.core.record.entry_of_job import note_progress
from lather.core.record.waiting import write_or_keep
from lather.core.session import Session


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("job", nargs="+", help="job or photo; with several, --out is a folder")
    parser.add_argument("--out", required=True, help="file to write (.jpg .png .tif .webp), or a folder for several "
                        "and with --outputs")
    parser.add_argument("--outputs", action="store_true", help="all outputs that the job's sheet lists, into a folder; "
                        "each is read back and compared")
    parser.add_argument("--preset", help="with --outputs: a kept set of outputs instead of the sheet's")
    parser.add_argument("--pattern", default=USUAL_PATTERN, help=f"names of the outputs (usual: {USUAL_PATTERN})")
    add_replace_argument(parser)
    parser.add_argument("--size", type=whole(1, 1_000_000), help="long edge in px")
    parser.add_argument("--bits", type=int, choices=(8, 16), default=8)
    parser.add_argument("--quality", type=whole(1, 100), default=92, help="JPEG and WebP, 1-100")
    parser.add_argument("--profile", choices=("srgb", "photo"), default="srgb", help="convert, or keep the photo's own")
    parser.add_argument("--grey", action="store_true", help="one channel of grey, by lightness")
    parser.add_argument("--keep-location", action="store_true", help="leave the place in the metadata")
    parser.add_argument("--format", choices=("jpg", "png", "tif"), default="jpg", help="with several jobs")
    parser.add_argument("--json", action="store_true", help="machine-readable: what was written")
    add_batch_arguments(parser)


def _outputs(session: Session, preset: str | None) -> tuple[OutputSpec, ...]:
    """Raises RequestError for an unknown preset."""
    if preset is not None:
        known = presets(presets_file())
        if preset not in known:
            raise RequestError(f"There is no preset “{preset}”; choose from {', '.join(known)}.")
        return known[preset]
    return JobSheet.of(session.job.brief).outputs or USUAL


def _run_outputs(arguments: argparse.Namespace) -> int:
    folder = Path(arguments.out)
    make_folder(folder)
    failed = None
    for path in arguments.job:
        session = Session.open(path)
        wanted, taken = [], set()
        for spec in _outputs(session, arguments.preset):
            if spec.on:
                target = folder / file_name(arguments.pattern, session.job, spec)
                target = numbered(target, taken) if target in taken else target
                taken.add(target)
                wanted.append((spec, target))
        for one in deliver(session, wanted, replace=dict.fromkeys(taken, arguments.replace)):
            if one.note is None:
                failed = failed or SaveError(one.why)
                print(f"lather: {one.why}", file=sys.stderr)
            else:
                _log_delivery(session, one.note)
                print(f"{one.path}  {one.note.width} × {one.note.height} px, read back, equal")
    return 2 if failed else 0


def _log_delivery(session: Session, note: DeliveryNote) -> None:
    """A file that is there is there, whether the logbook can take it now or not."""
    def change(book) -> None:
        note_progress(book, session.job, None)
        book.add_delivery(session.job.id, note)

    why = write_or_keep(change)
    if why:
        print(f"lather: {why}", file=sys.stderr)


def run(arguments: argparse.Namespace) -> int:
    if arguments.outputs:
        return _run_outputs(arguments)
    output = Output(
        bits=arguments.bits, quality=arguments.quality, long_edge_px=arguments.size,
        to_srgb=arguments.profile == "srgb", grey=arguments.grey,
        metadata=MetadataChoice(location=arguments.keep_location),
    )
    out = Path(arguments.out)
    several = len(arguments.job) > 1
    targets = {path: out / f"{Path(path).stem}.{arguments.format}" if several else out for path in arguments.job}
    if len(targets) < len(arguments.job):
        raise RequestError("One of the jobs is named twice; name each once.")
    for target in targets.values():
        if output.bits not in DEPTHS[format_for(target)]:
            raise RequestError(f"{format_for(target)} holds 8 bits a channel; choose PNG or TIFF for 16.")
    may_write(list(targets.values()), arguments.job, folders=[out] if several else [], replace=arguments.replace,
              claimed=not several)
    if several:
        make_folder(out)

    tasks = [Task(path, "lather.cli.render:render_job", (path, str(target), output), (str(target),))
             for path, target in targets.items()]
    batch = Batch(tasks, arguments.jobs, out if several else None, arguments.scheduler)
    return told(batch.run(), lambda value: value["out"], as_json=arguments.json)


def render_job(job: str, out: str, output: Output) -> dict:
    """A job rendered to a picture file. Raises LatherError."""
    Session.open(job).export(out, output)
    return {"job": job, "out": out}
