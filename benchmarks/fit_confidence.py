"""Fits what a find's confidence means (core/find/confidence.py): how often finds of some confidence are right.

    ./lather benchmarks fit_confidence [--people 47-56] [--seeds 4] [--judge 57-61] [--write]

Photos of people of the crowd that nothing was fitted on, as cameras give them, with about one flaw of a kind each, as
real ones have. A find is right when it lies on a flaw of its family. Isotonic regression by kind, with two finds of
doubt added to each end. --judge tells what the tables come to on other people.
"""

import argparse
import json
import sys
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import cv2
import numpy as np
from sklearn.isotonic import IsotonicRegression

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)]
from find_quality import on
from made_photos import CROWD, has_own_lines, made_photo

from lather.core.engine.photo import Photo
from lather.core.find import confidence, finder
from lather.core.find.finder import look_at
from lather.core.imageio.picture import Picture
from lather.core.job.finds import LISTED_FROM, SURE_FROM

FAMILIES = (
    ("blemish_dark", "blemish_red", "blemish_bright", "flake", "mole", "freckle"), ("blemish_red", "redness"),
    ("redness", "shine"), ("vein_eye", "vein_nose"), ("cloth_speck", "lens_mark"),
    ("crease", "scar", "makeup_fold", "strap_mark", "jewellery_mark", "hair_on_skin", "vein_nose"),
    ("stray_hair", "hair_on_skin", "brow_hair"),
)
FEW = {"blemish_dark": 2, "blemish_red": 2, "blemish_bright": 1, "mole": 1, "freckle": 2, "flake": 1, "scar": 1,
       "crease": 1, "hair_on_skin": 1, "vein_nose": 1, "makeup_fold": 1, "strap_mark": 1, "jewellery_mark": 1,
       "redness": 1, "shine": 1, "stray_hair": 4, "cloth_speck": 1, "lens_mark": 1, "smeared_lip": 1, "vein_eye": 1,
       "brow_hair": 1, "under_eye": 1}
POOLS = (("mole", "freckle", "flake", "blemish_dark", "blemish_red", "blemish_bright"),
         ("scar", "makeup_fold", "strap_mark", "jewellery_mark", "vein_nose", "crease", "hair_on_skin"))
_KNOTS, _DOUBT, _LEAST, _OWN = 12, 2, 12, 15
_OF_THEIR_OWN = ("under_eye", "red_eye", "drawn_mark", "intruder", "braces")
"""Kinds that are natural on the crowd, or that few of these photos have: their confidence stays as it is said."""


def said_and_right(job) -> list[tuple[str, float, bool]]:
    """(kind, confidence as the finder says it, whether it was right) of all finds of one photo."""
    cv2.setNumThreads(1)
    name, seed = job
    rng = np.random.default_rng([11, seed, sum(map(ord, Path(name).stem))])
    flaws = {kind: count for kind, count in FEW.items() if rng.random() < 0.5}
    plate = made_photo(name, seed, flaws, salt=11, gentle=2.0)
    found = look_at(Photo(Picture(plate.photo), b"", "plate"), hairs_from=0.0)
    lines = has_own_lines(name)
    told = []
    for find in found.finds:
        if lines and find.kind == "crease":
            continue
        family = {kind for one in FAMILIES if find.kind in one for kind in one} or {find.kind}
        told.append((find.kind, find.confidence, any(on(find, flaw) for flaw in plate.flaws if flaw.kind in family)))
    return told


def gathered(people: str, seeds: int) -> dict[str, np.ndarray]:
    first, last = (int(n) for n in people.split("-"))
    jobs = [(str(CROWD / f"p{n:04d}.jpg"), seed) for n in range(first, last + 1) for seed in range(500, 500 + seeds)]
    by_kind = defaultdict(list)
    with ProcessPoolExecutor(2) as pool:
        for told in pool.map(said_and_right, jobs):
            for kind, said, right in told:
                by_kind[kind].append((said, right))
    return {kind: np.array(rows, float) for kind, rows in by_kind.items()}


def pooled(kind: str, rows: dict[str, np.ndarray]) -> np.ndarray:
    """What was said of a kind; of the kinds that one model tells together where few were seen, or of all spots, whose
    confidence says that something is there, and not what.
    """
    for together in POOLS:
        if kind in together and (together[0] == "mole" or len(rows[kind]) < _OWN):
            return np.concatenate([rows[one] for one in together if one in rows])
    return rows[kind]


def table(rows: np.ndarray) -> dict:
    """said, right: knots of a rising line through what was said (n, 2) and whether it was right."""
    doubt = np.array([[0.0, 0.0]] * _DOUBT + [[1.0, 0.0]] * (_DOUBT // 2) + [[1.0, 1.0]] * _DOUBT)
    rows = np.concatenate([rows, doubt])
    rising = IsotonicRegression(y_min=0.02, y_max=0.98).fit(rows[:, 0], rows[:, 1])
    said = np.linspace(0, 1, 201)
    right = np.convolve(np.pad(rising.predict(said), 5, mode="edge"), np.ones(11) / 11, "valid")
    at = np.unique(np.concatenate([np.linspace(0, 200, _KNOTS).astype(int), np.argsort(-np.diff(right))[:6]]))
    return {"said": [round(float(v), 3) for v in said[at]], "right": [round(float(v), 3) for v in right[at]]}


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--people", default="47-56")
    parser.add_argument("--judge", default="57-61")
    parser.add_argument("--seeds", type=int, default=4)
    parser.add_argument("--write", action="store_true")
    arguments = parser.parse_args()
    confidence._tables = dict  # what finders say, as they say it, and however faint
    finder.LISTED_FROM = 0.0
    rows = gathered(arguments.people, arguments.seeds)
    tables = {kind: table(pooled(kind, rows)) for kind in sorted(rows) if len(pooled(kind, rows)) >= _LEAST
              and kind not in _OF_THEIR_OWN and not kind.startswith(("blotch", "colour"))}
    other = gathered(arguments.judge, arguments.seeds)
    for kind, own in sorted(rows.items()):
        line = f"{kind:16} {len(own):5} finds, {own[:, 1].mean():.2f} right"
        if kind in tables and kind in other:
            now = np.interp(other[kind][:, 0], tables[kind]["said"], tables[kind]["right"])
            for name, where in (("sure", now >= SURE_FROM), ("listed", now >= LISTED_FROM)):
                share = other[kind][where, 1].mean() if where.any() else 0
                line += f"; {name} {where.sum()} of {len(now)}, {share:.2f} right"
        print(line, flush=True)
    if arguments.write:
        confidence.FILE.write_text(json.dumps(tables, indent=0) + "\n")


if __name__ == "__main__":
    main()
