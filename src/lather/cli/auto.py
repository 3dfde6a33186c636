"""lather auto PHOTO --out FILE"""

import argparse
from pathlib import Path

from lather.cli.arguments import number
from lather.cli.batch import Batch, Task, add_batch_arguments, told
from lather.cli.delivery import add_delivery_arguments, delivery_of
from lather.cli.developing import add_development_arguments, development_of
from lather.cli.outputs import add_replace_argument, make_folder, may_write
from lather.core.deliver.export import Output
from lather.core.errors import RequestError
from lather.core.imageio.development import Development
from lather.core.imageio.write import DEPTHS, format_for
from lather.core.job.commands import SetBrief
from lather.core.job.limits import job_kind_named, job_kinds
from lather.core.mending.automatic import ROUTES, first_pass
from lather.core.session import Session


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("photos", nargs="+", metavar="PHOTO", help="photos (or jobs, which are gone on with)")
    parser.add_argument("--out", required=True, help="picture file; a folder for many photos")
    parser.add_argument("--job", help="also save the job: a .lather file; a folder for many photos")
    parser.add_argument("--bits", type=int, choices=(8, 16), help="depth; without it 16 where the format has it")
    parser.add_argument("--json", action="store_true", help="machine-readable: what was found and mended")
    add_replace_argument(parser)
    add_batch_arguments(parser)
    parser.add_argument("--soft", type=number(0, 100), default=0.0, metavar="PERCENT",
                        help="share of the finest stray hairs to leave, for a soft look")
    parser.add_argument("--route", choices=ROUTES, default=ROUTES[0],
                        help="how skin is evened: light alone, tone bands, sweeps, a veil; mend: only mend, nothing "
                        "evened or calmed (default: light)")
    parser.add_argument("--brief", help="kind of job, for how much of creases and hollows stays: "
                        + ", ".join(job_kinds()))
    parser.add_argument("--over", action="store_true",
                        help="leave gauges over their limits; without it strengths are turned down until all are "
                        "inside")
    add_delivery_arguments(parser)
    add_development_arguments(parser)


def mend_photo(
    photo: str, out: str, job: str | None, bits: int | None, delivery, soft_share: float, job_kind: str | None,
    route: str = ROUTES[0], development: Development | None = None, over: bool = False,
) -> dict:
    """The first pass over a photo, judged and delivered; what was done, as plain values. Raises LatherError."""
    fmt = format_for(out)
    session = Session.open(photo, development=development)
    if job_kind is not None:
        session.history.do(SetBrief("kind", job_kind))
    verdict = first_pass(session.engine, session.history, delivery=delivery, route=route, soft_share=soft_share,
                         over=over)
    session.export(out, Output(bits=bits or max(DEPTHS[fmt]), to_srgb=False))
    if job:
        session.save(job)
    return {"photo": str(photo), "out": str(out)} | verdict.to_json() | {"verdict": verdict.lines()}


def _check_names(out: str, job: str | None, bits: int | None) -> None:
    """Raises RequestError or SaveError for endings that say another kind of file."""
    if bits is not None and bits not in DEPTHS[format_for(out)]:
        raise RequestError(f"{format_for(out)} holds 8 bits a channel; choose PNG or TIFF for 16.")
    if job and Path(job).suffix != ".lather":
        raise RequestError(f"{job}: a job's name ends in .lather.")


def run(arguments: argparse.Namespace) -> int:
    delivery = delivery_of(arguments)
    job_kind = None if arguments.brief is None else job_kind_named(arguments.brief)
    many = len(arguments.photos) > 1
    folders = [folder for folder in (arguments.out, arguments.job) if many and folder]
    tasks = []
    for photo in arguments.photos:
        stem = Path(photo).stem
        out = str(Path(arguments.out) / f"{stem}-mended.tif") if many else arguments.out
        job = str(Path(arguments.job) / f"{stem}.lather") if many and arguments.job else arguments.job
        _check_names(out, job, arguments.bits)
        values = (photo, out, job, arguments.bits, delivery, arguments.soft / 100, job_kind, arguments.route,
                  development_of(arguments), arguments.over)
        tasks.append(Task(photo, "lather.cli.auto:mend_photo", values, tuple(one for one in (out, job) if one)))
    may_write([path for task in tasks for path in task.outputs], arguments.photos, folders=folders,
              replace=arguments.replace, claimed=not many)
    for folder in folders:
        make_folder(folder)
    batch = Batch(tasks, arguments.jobs, Path(arguments.out) if many else None, arguments.scheduler)
    return told(batch.run(), _line, as_json=arguments.json)


def _line(r: dict) -> str:
    return "\n  ".join([
        f"{r['out']}: {r['mended']} of {r['finds']} finds mended, {r['evened']} evened, {r['calmed']} calmed, "
        f"{r['kept']} kept, {r['will_not_show']} will not show", *r["verdict"]])
