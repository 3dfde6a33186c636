"""What is done with a sitting: frames measured, people told apart, a finished frame carried to the others."""

from collections.abc import Callable
from dataclasses import replace

from lather.core.job.agreements import YES, agreed
from lather.core.job.model import Job, acts_by_itself
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.phrases import phrase
from lather.core.session import Session
from lather.core.sitting.carry import carry
from lather.core.sitting.carry_report import HIDDEN, KEEPER, carried_of, name_of
from lather.core.sitting.register import SAME_PERSON, same_skin
from lather.core.sitting.sitting import CARRIED, FINISHED, Frame, Person, Sitting
from lather.core.sitting.skin_alike import Skin, retouched_skin, skin_of

UNKNOWN = ""
_NAMED = "Person"


def measured(sitting: Sitting, name: str) -> tuple[Frame, PhotoMeasures]:
    """The frame with the skin of its photo; what was measured of it. Raises PictureError."""
    session = Session.from_photo(sitting.photo(name))
    measures = PhotoMeasures(session.photo)
    return replace(sitting.frame(name), skin=skin_of(measures)), measures


def told_apart(sitting: Sitting, name: str, measures: PhotoMeasures,
               known: dict[str, PhotoMeasures]) -> Sitting:
    """With the person of a frame, by the marks and pores of the skin. known: {person: measures of one frame of theirs},
    to which somebody new is added. A frame without a face is nobody's.
    """
    face = measures.face
    if face is None or not face.mesh:
        return sitting.with_frame(replace(sitting.frame(name), person=UNKNOWN))
    likest = max(((same_skin(other, measures), person_id) for person_id, other in known.items()), default=(0.0, ""))
    if likest[0] >= SAME_PERSON:
        return sitting.with_frame(replace(sitting.frame(name), person=likest[1]))
    sitting, person = sitting.named(f"{_NAMED} {len(sitting.persons) + 1}", name)
    known[person.id] = measures
    return sitting.with_frame(replace(sitting.frame(name), person=person.id))


def with_finished(sitting: Sitting, name: str, session: Session) -> Sitting:
    """A finished frame: its person's card is written by it, and the others are held to it."""
    measures = PhotoMeasures.of_job(session.photo, session.job)
    frame = sitting.frame(name)
    if not frame.person:
        sitting, new = sitting.named(f"{_NAMED} {len(sitting.persons) + 1}", name)
        frame = replace(frame, person=new.id)
    now = retouched_skin(session.engine, session.job, measures)
    sitting = sitting.with_frame(replace(frame, state=FINISHED, skin=skin_of(measures), now=now))
    person = sitting.person(frame.person)
    if person is None:
        return sitting
    return sitting.with_person(card_of(person, name, session.job, now))


def card_of(person: Person, name: str, job: Job, skin: Skin | None) -> Person:
    """The person's card as a finished frame tells it."""
    held: dict[str, str] = {}
    if skin is not None:
        held["Skin reference"] = phrase("L* %1 a* %2 b* %3", f"{skin.lightness:.0f}", f"{skin.a:.0f}", f"{skin.b:.0f}")
    for layer in job.stage("colour").layers:
        if layer.kind == "whiten" and layer.on and "most_light" in layer.settings:
            part = "Teeth" if layer.settings.get("part", "teeth") == "teeth" else "Eye whites"
            held[phrase("%1, at most", part)] = f"L* {float(layer.settings['most_light']):.0f}"
    sculpt = [layer.strength for layer in job.stage("sculpt").layers if layer.on and layer.edits]
    if sculpt:
        held["Sculpt share"] = f"{100 * max(sculpt):.0f} %"
    shape = [layer for layer in job.stage("shape").layers if layer.on and (layer.edits or acts_by_itself(layer))]
    held["Shape"] = phrase("%1 moves", sum(len(layer.edits) for layer in shape)) if shape else (
        "agreed, not used" if agreed(job.brief, "reshaping") == YES else "not agreed")
    return replace(person, reference=name, keepers=tuple(name_of(find) for find in job.keepers()), held=held)


def carried_to(
    sitting: Sitting, source: str, finished: Session, target: str, progress: Callable[[float], bool] | None = None, *,
    measures: PhotoMeasures | None = None,
) -> Sitting:
    """A finished frame carried to another, saved as its job. Raises LatherError."""
    photo = Session.from_photo(sitting.photo(target))
    session = carry(finished, photo.photo, progress, measures=measures)
    session.photo_path = photo.photo_path
    (sitting.folder / "lather").mkdir(exist_ok=True)
    session.save(sitting.job(target))
    here = PhotoMeasures.of_job(photo.photo, session.job)
    frame = replace(sitting.frame(target), state=CARRIED, person=sitting.frame(source).person, skin=skin_of(here),
                    now=retouched_skin(session.engine, session.job, here), carried=carried_of(session.job.brief),
                    looked=frozenset())
    return sitting.with_frame(frame)


def keeper_rows(sitting: Sitting, person: Person) -> list[tuple[str, int, int, int]]:
    """(keeper, frames it stays on, frames it is hidden on, frames to look at) of a person's card."""
    frames = [(one, one.carried) for one in sitting.of_person(person.id) if one.carried is not None]
    rows = []
    for keeper in person.keepers:
        hidden = sum(any(look.what == HIDDEN and look.name == keeper for look in told.looks) for _, told in frames)
        look = sum(any(told.looks[n].what == KEEPER and told.looks[n].name == keeper for n in one.looks_left)
                   for one, told in frames)
        rows.append((keeper, len(frames) + 1 - hidden - look, hidden, look))
    return rows
