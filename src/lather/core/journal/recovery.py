"""Work that a crash left, brought back: onto the very save it was made on, never over a newer one."""

from pathlib import Path

from lather.core.errors import LatherError, RequestError
from lather.core.imageio.development import DEVELOPMENT, Development
from lather.core.job.copies import copy_paths
from lather.core.job.identity import identity_of
from lather.core.journal.journal import Leftover
from lather.core.log import timed
from lather.core.phrases import phrase
from lather.core.session import Session


@timed("steps brought back")
def recover(leftover: Leftover) -> Session:
    """A session with the steps of a journal. Raises LatherError; then the journal stays as it is.

    Where the job was saved again since, the session has no job file of its own: it is saved under another name.
    """
    if not leftover.claim():
        raise RequestError("Another window has brought these steps back already.")
    try:
        return _on_the_photo(leftover) if leftover.job_file is None else _on_the_save(leftover, leftover.job_file)
    except LatherError:
        leftover.release()
        raise


def _on_the_photo(leftover: Leftover) -> Session:
    if leftover.photo is None:
        raise RequestError("The photo of this work is not known any more; it cannot be brought back.")
    history = leftover.replay(None)
    session = Session.open(leftover.photo, development=Development.of(history.job.brief.get(DEVELOPMENT)))
    if history.job.source.sha256 != session.photo.sha256:
        raise RequestError(
            phrase("%1 is not the photo this work was made on; put the right one back first.", leftover.photo.name)
        )
    session.history = history
    if session.job_file is not None:  # a job that stays as it is, like the demo, served as the photo
        session.photo_path, session.job_file, session.identity = leftover.photo, None, None
    return session


def _on_the_save(leftover: Leftover, job_file: Path) -> Session:
    path = _save_meant(leftover, job_file)
    session = Session.from_job_file(path)
    session.history = leftover.replay(None if leftover.whole else session.history)
    if path != job_file:
        session.job_file = session.identity = None
        session.photo_path = job_file
        session.notes.append(phrase("%1 was saved again since: this work is a job of its own, to be saved under "
                                    "another name.", job_file.name))
    return session


def _save_meant(leftover: Leftover, job_file: Path) -> Path:
    """The job file, or the one of its earlier saves that the steps were made on."""
    if leftover.identity is None:  # written before saves were told apart
        return job_file
    for path in (job_file, *copy_paths(job_file)):
        if path.exists() and identity_of(path) == leftover.identity:
            return path
    if not job_file.exists():
        raise LatherError(phrase("%1 is not there any more; put it back, then bring its steps back.",
                                 job_file))
    raise LatherError(phrase("%1 was saved too often since: the save that these steps were made on is not kept any "
                             "more. They stay listed until they are discarded.", job_file.name))
