"""Copied skin and strokes over edges, planted on purpose: how many are found, and what is found on clean jobs.

./lather benchmarks repeats_spill [SITTER …]
"""

import sys
from pathlib import Path

import cv2
import numpy as np

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parents[1])]

from tests.support.mended import mended_session

from lather.core.brush.values import Brush
from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.photo import Photo
from lather.core.find.finder import find_all
from lather.core.gauges.registry import pictures_of
from lather.core.gauges.spill import spilling_strokes
from lather.core.imageio.picture import Picture
from lather.core.job.commands import AddEdits, SetFinds
from lather.core.job.history import History
from lather.core.job.model import Stroke, freeze_points, new_id, new_job
from lather.core.measure.repeats import repeats_in_pictures
from lather.core.practice.make import make_plate
from lather.core.practice.mistakes import copied_disc
from lather.core.practice.sitters import BROWS, LIPS, SKIN
from lather.core.session import Session

CLONES, OVERSHOOTS = 10, 20
TURNS = (0, 0, 23, -48, 90, 180)


def planted_clones(made, rng) -> tuple[int, int, int]:
    """(found, planted, found where spots were mended well): discs of 0.08 face widths copied, turned, mirrored."""
    width, side = made.sitter.face_width_px, int(0.08 * made.sitter.face_width_px)
    ys, xs = np.nonzero(cv2.erode((made.zones == SKIN).astype(np.uint8), np.ones((2 * side + 1,) * 2)))
    box = np.s_[ys.min() - 2 * side : ys.max() + 2 * side, xs.min() - 2 * side : xs.max() + 2 * side]
    before, skin = srgb_to_lab(made.photo[box] / np.float32(65535)), (made.zones[box] == SKIN).astype(np.float32)
    found = 0
    for number in range(CLONES):
        i, j = rng.integers(len(xs), size=2)
        while np.hypot(xs[i] - xs[j], ys[i] - ys[j]) < 2.5 * side:
            i, j = rng.integers(len(xs), size=2)
        picture = copied_disc(made.photo, (xs[i], ys[i]), (xs[j], ys[j]), side, turn=TURNS[number % len(TURNS)],
                              mirror=number % 2 == 1)
        after = srgb_to_lab(np.clip(picture[box], 0, 65535) / np.float32(65535))
        here = np.array((xs[j] - box[1].start, ys[j] - box[0].start))
        found += any(np.hypot(*(np.array(place[:2]) - here)) < side
                     for one in repeats_in_pictures(before, after, skin, width) for place in (one.first, one.second))
    return found, CLONES, mended_well(made.sitter.name, box, skin)


def mended_well(sitter: str, box: tuple[slice, slice], skin: np.ndarray) -> int:
    """Repeats found where the automatic pass mended 24 spots, each with its own skin."""
    made = make_plate(sitter, 703, flaws={"blemish_dark": 14, "blemish_red": 10})
    photo = Photo(Picture(made.photo), f"{sitter} {made.seed}".encode(), "plate.png")
    session, _ = mended_session(photo)
    after = session.engine.pixels(session.job, photo.bounds)
    both = (srgb_to_lab(codes[box].astype(np.float32)) for codes in (made.photo / np.float32(65535), after))
    return len(repeats_in_pictures(*both, skin, made.sitter.face_width_px))


def planted_overshoots(made, rng) -> tuple[int, int, int]:
    """(found, planted, clean strokes found): copies of skin that end a brush's radius over lips or brows, and the same
    strokes on skin alone.
    """
    photo = Photo(Picture(made.photo), f"{made.sitter.name} {made.seed}".encode(), "plate.png")
    finds, measures = find_all(photo)
    width = measures.face_width_px
    ys, xs = np.nonzero(cv2.erode((made.zones == SKIN).astype(np.uint8), np.ones((int(0.12 * width),) * 2)))
    found, wrong = 0, 0
    for number in range(OVERSHOOTS):
        session = Session(photo, History(new_job(photo.source)))
        session.history.amend(SetFinds(finds, measures.face, ()))
        own = cv2.erode((made.zones == (LIPS if number % 2 else BROWS)).astype(np.uint8), np.ones((3, 3)))
        edge_y, edge_x = np.nonzero(own)
        n, k, other = rng.integers(len(edge_x)), *rng.integers(len(xs), size=2)
        size = float(rng.uniform(0.03, 0.06)) * width
        strokes = [Stroke(new_id(), "copy", Brush(size_px=size, edge=0.3, ceiling=1.0, flow=1.0),
                          freeze_points([(x - size, y, 1.0, 0.0), (x, y, 1.0, 0.0)]), mode="any",
                          offset=(round(float(xs[k] - x)), round(float(ys[k] - y))))
                   for x, y in ((edge_x[n], edge_y[n]), (xs[other], ys[other]))]
        session.history.do(AddEdits("mend", session.job.stage("mend").layers[0].id, tuple(strokes)))
        told = {edit.id for _, _, edit in spilling_strokes(pictures_of(session.engine, session.job, measures))}
        found += strokes[0].id in told
        wrong += strokes[1].id in told
    return found, OVERSHOOTS, wrong


def main() -> None:
    for sitter in sys.argv[1:] or ["wren", "tilda", "ambrose"]:
        rng = np.random.default_rng(7)
        made = make_plate(sitter, 702, flaws={"mole": 2})
        for name, planted in (("clones", planted_clones), ("overshoots", planted_overshoots)):
            found, count, wrong = planted(made, rng)
            print(f"{sitter} {name}: {found} of {count} found; on clean skin {wrong}", flush=True)


if __name__ == "__main__":
    main()
