"""What commands that change one photo share: it is opened, its faces are found, and it is delivered."""

import argparse

from lather.cli.developing import add_development_arguments, development_of
from lather.cli.outputs import add_replace_argument, may_write
from lather.core.deliver.export import Output
from lather.core.face.find_faces import find_face_maps
from lather.core.imageio.write import DEPTHS, format_for
from lather.core.job.commands import SetBrief, SetFaceMap
from lather.core.job.limits import job_kind_named, job_kinds
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.session import Session
from lather.core.warmup import tell_on_terminal


def add_file_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--brief", help="kind of job, for what it allows: " + ", ".join(job_kinds()))
    parser.add_argument("--out", help="picture file to write")
    parser.add_argument("--job", help="also save the job: a .lather file")
    add_replace_argument(parser)
    parser.add_argument("--json", action="store_true", help="machine-readable")
    add_development_arguments(parser)


def open_photo(arguments: argparse.Namespace) -> tuple[Session, PhotoMeasures]:
    """Raises RequestError, SaveError or PictureError before anything is done."""
    may_write([path for path in (arguments.out, arguments.job) if path], [arguments.photo], replace=arguments.replace)
    if arguments.out:
        format_for(arguments.out)
    session = Session.open(arguments.photo, development=development_of(arguments))
    tell_on_terminal()
    if arguments.brief is not None:
        session.history.do(SetBrief("kind", job_kind_named(arguments.brief)))
    seen = PhotoMeasures.of_job(session.photo, session.job)
    if session.job.face_map is None:
        faces = find_face_maps(session.photo, seen.small)
        if faces:
            session.history.amend(SetFaceMap(faces[0], faces[1:]))
    return session, seen


def deliver(session: Session, arguments: argparse.Namespace) -> None:
    """The picture, as deep as its format can be, and the job, where they were asked for."""
    if arguments.out:
        session.export(arguments.out, Output(bits=max(DEPTHS[format_for(arguments.out)]), to_srgb=False))
    if arguments.job:
        session.save(arguments.job)
