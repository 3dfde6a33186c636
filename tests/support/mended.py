"""A photo with everything mended that the finder proposes."""

from lather.core.engine.photo import Photo
from lather.core.find.finder import find_all
from lather.core.job.commands import SetFinds
from lather.core.job.history import History
from lather.core.job.model import new_job
from lather.core.kinds.registry import stage_of_kind
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.edit_for_find import mend_all
from lather.core.session import Session


def mended_session(photo: Photo) -> tuple[Session, PhotoMeasures]:
    """Spots and lines of Mend that will show, each on its own skin; and what was measured."""
    session = Session(photo, History(new_job(photo.source)))
    finds, measures = find_all(photo)
    session.history.amend(SetFinds(finds, measures.face, measures.faces[1:]))
    wanted = [f for f in finds if f.worth and stage_of_kind(f.kind) == "mend" and session.job.find_state(f) == "open"]
    command, _ = mend_all(session.engine, session.job, wanted, session.job.stage("mend").layers[0].id)
    session.history.do(command)
    return session, measures
