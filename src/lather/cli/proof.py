"""lather proof JOB"""

import argparse
from pathlib import Path

from lather.core.deliver.proof_sheet import outbox, read_answer, take_answer, write_proof_sheet
from lather.core.errors import RequestError
from lather.core.session import Session


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("job", help="a .lather job")
    parser.add_argument("--out", help=f"folder for the sheet (without it the outbox, {outbox()})")
    parser.add_argument("--answer", help="what the client sent back: decisions, agreements and remarks go into the job")


def run(arguments: argparse.Namespace) -> int:
    session = Session.open(arguments.job)
    if not arguments.answer:
        print(write_proof_sheet(session, Path(arguments.out) if arguments.out else None))
        return 0
    if session.job_file is None:
        raise RequestError("An answer goes into a .lather job; name one.")
    taken = take_answer(session.job, read_answer(Path(arguments.answer)))
    session.history.do(taken.command)
    session.save(session.job_file)
    print(taken.said())
    return 0
