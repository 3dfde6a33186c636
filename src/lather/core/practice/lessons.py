"""The course of ten lessons: each a made-up sitter with known flaws, made anew for every seed."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from lather.core.errors import RequestError
from lather.core.phrases import phrase, worded
from lather.core.practice.make import Plate, make_plate
from lather.core.practice.sitters import load_sitter

STRENGTHS = {"gentle": 0.65, "middle": 1.0, "strong": 1.25}
"""How strong flaws are, against how they are usually made: the photo is that far from its truth."""
_WARPS = ("warp_cheek", "hair_bump", "tooth_gap")
_SITTERS = ("wren", "tilda", "ambrose")


@dataclass(frozen=True)
class Lesson:
    """number: 1-10, 0 for a mixture of one's own. stage: of the course it is about. flaws: {kind: count} at middle
    difficulty. minutes: against the clock. words: what it teaches, in one sentence. sitters: on whom its flaws can be
    drawn.
    """

    number: int
    label: str
    stage: str
    flaws: Mapping[str, int]
    minutes: float
    words: str
    sitters: tuple[str, ...] = _SITTERS

    def __post_init__(self):
        worded(self, "label", "words")


LESSONS: tuple[Lesson, ...] = (
    Lesson(1, "Spots", "mend", {"blemish_dark": 10, "blemish_red": 8, "blemish_bright": 4, "mole": 3}, 6,
           "Dab each spot with skin from nearby; marks that belong to the person stay."),
    Lesson(2, "Lines", "mend", {"scar": 2, "hair_on_skin": 4, "jewellery_mark": 1, "freckle": 3}, 6,
           "Follow a line with Carry, its skin taken from beside it."),
    Lesson(3, "Stray hairs", "strands", {"stray_hair": 10, "brow_hair": 3}, 6,
           "Clear hairs before the background; the mass of the hair stays."),
    Lesson(4, "Bands", "split", {"blotch": 8, "mole": 2}, 8, "Even the tone under the texture; the pores stay."),
    Lesson(5, "Dodge and burn", "even", {"blotch": 10, "freckle": 4}, 10,
           "Lift what is dark and lower what is bright until the light is even, and no further."),
    Lesson(6, "Matching", "colour", {"red_neck": 1}, 5, "Carry the colour of the face to the neck.",
           ("wren", "ambrose")),
    Lesson(7, "Teeth and eyes", "colour", {"yellow_teeth": 1, "dull_eyes": 1, "vein_eye": 2}, 5,
           "Whiten up to what is believable: teeth stay darker than the eyes."),
    Lesson(8, "Shine", "colour", {"shine": 4}, 4, "Take shine down, not out: skin without light on it is flat."),
    Lesson(9, "Reshaping", "shape", {"warp_cheek": 1, "hair_bump": 2}, 6,
           "Push the form back a little at a time; straight lines behind stay straight."),
    Lesson(10, "A whole portrait", "mend", {
        "blemish_dark": 8, "blemish_red": 6, "blemish_bright": 3, "mole": 2, "freckle": 4, "hair_on_skin": 2,
        "stray_hair": 6, "blotch": 5, "shine": 2, "redness": 1}, 25, "The whole course, from Mend to Finish."),
)


OWN = Lesson(0, "Your own mixture", "mend", {}, 15, "Choose what is to be on the face, and how much of it.")
MANY = {"few": 0.5, "usual": 1.0, "many": 2.0}
"""Times the usual number of flaws."""
_OF_EACH = 4  # of a kind in a mixture of one's own; kinds that lie over a whole part come once
_WHOLE = ("yellow_teeth", "dull_eyes", "red_neck", "red_ears", "red_hands", "blue_forehead", "uneven_ground")


def own_flaws(kinds: Iterable[str], many: float = 1.0) -> dict[str, int]:
    """{kind: count} of a mixture of one's own. Raises RequestError where nothing was chosen."""
    flaws = {kind: 1 if kind in _WHOLE else max(1, round(_OF_EACH * many)) for kind in kinds}
    if not flaws:
        raise RequestError("Choose at least one kind of flaw for a mixture of your own.")
    return flaws


def lesson(number: int) -> Lesson:
    """Raises RequestError for a number out of 0-10."""
    if number == OWN.number:
        return OWN
    if not 1 <= number <= len(LESSONS):
        raise RequestError(phrase("There is no lesson %1; choose from 1 to %2.", number, len(LESSONS)))
    return LESSONS[number - 1]


def make_lesson(
    number: int, seed: int, *, sitter: str = "", strength: str = "middle", many: float = 1.0,
    flaws: Mapping[str, int] | None = None,
) -> Plate:
    """The plate of a lesson; the same for the same values. many: of the usual number of flaws. flaws: these instead.

    Raises RequestError.
    """
    one = lesson(number)
    if strength not in STRENGTHS:
        raise RequestError(phrase("“%1” is no strength; choose from %2.", strength, ", ".join(STRENGTHS)))
    name = sitter or one.sitters[seed % len(one.sitters)]
    wanted = dict(flaws) if flaws else {kind: max(1, round(many * count)) for kind, count in one.flaws.items()}
    plate = make_plate(load_sitter(name), seed, flaws=wanted)
    return _as_strong(plate, STRENGTHS[strength], wanted)


def _as_strong(plate: Plate, share: float, flaws: Mapping[str, int]) -> Plate:
    """The photo nearer to its truth, or further from it; what was moved stays as far as it is."""
    if share == 1.0 or any(kind in _WARPS for kind in flaws):
        return plate
    truth = plate.truth.astype(np.float32)
    photo = np.clip(np.round(truth + share * (plate.photo - truth)), 0, 65535).astype(np.uint16)
    for flaw in plate.flaws:
        flaw.contrast_de *= share
    return replace(plate, photo=photo)
