"""What the reading of a photo means for the work, in a few words: for the brief and the command line."""

from lather.core.people.reading import LITTLE_SKIN, People, Person
from lather.core.phrases import phrase

PART_LABELS = {
    "ground": "ground", "skin": "skin", "hair": "hair", "beard": "beard", "brows": "brows and lashes", "lips": "lips",
    "teeth": "teeth", "mouth": "mouth", "eye white": "eye white", "iris": "iris", "cloth": "cloth",
    "other": "glasses and jewellery",
}
"""Parts, and what they are called."""


def how_many(people: People) -> str:
    """“3, skin of each seen”."""
    count = len(people.persons)
    if not count:
        return "nobody seen"
    unseen = [str(person.number) for person in people.persons if person.colour is None]
    if unseen:
        return phrase("%1, no skin seen of %2", count, ", ".join(unseen))
    return phrase("%1, skin of each seen", count) if count > 1 else "1, skin seen"


def notes(people: People) -> list[str]:
    """Sentences on those whose faces need a look; none where all is plain."""
    return [note for person in people.persons for note in _of_one(person, len(people.persons))]


def _of_one(person: Person, count: int) -> list[str]:
    who = phrase("Person %1", person.number) if count > 1 else phrase("The person")
    found: list[str] = []
    if person.face is None:
        found.append(phrase("%1 is seen from the side: zones of the face are not told.", who) if person.sure else
                     phrase("%1 turns the face away: only skin, hair and cloth are told.", who))
    elif person.oval_skin is not None and person.oval_skin < LITTLE_SKIN:
        found.append(phrase("%1: only %2 % of the face is told as skin; look at the parts lamp and correct it.", who,
                            f"{100 * person.oval_skin:.0f}"))
    if len(person.closed) == 2:
        found.append(phrase("%1 has closed eyes: no white and no iris is worked on.", who))
    elif person.closed:
        found.append(phrase("%1 has the eye on the %2 closed: no white and no iris is worked on there.", who,
                            person.closed[0]))
    return found
