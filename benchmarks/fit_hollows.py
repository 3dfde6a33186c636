"""Fits by what a hollow under an eye is told from a face's own shading, and says what is reached on faces left out.

    ./lather benchmarks fit_hollows [--seeds 6] [--also FOLDER]

On every plate one eye has a hollow; weights (logistic regression) are printed as core/find/eyes.py holds them.
"""

import argparse
import sys
from pathlib import Path

import numpy as np
from sklearn.linear_model import LogisticRegression
from sklearn.preprocessing import StandardScaler

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)]
from fit_finds import scene_of
from people import people

from lather.core.find.eyes.hollows_and_veins import crescent, hollow_features
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import load_sitter


def gathered(names, seeds):
    """(features (n, 5), whether a hollow is there (n,), whose they are (n,))."""
    rows, there, whose = [], [], []
    for name in names:
        sitter = load_sitter(name)
        for seed in seeds:
            plate = make_plate(sitter, seed, flaws={"under_eye": 1})
            scene = scene_of(plate.photo)
            face = scene.measures.face
            for side in ("left", "right") if face is not None else ():
                eye = face.points[f"eye_{side}"]
                near = [np.hypot(f.x - eye[0], f.y - eye[1]) < 0.5 * face.eye_distance_px for f in plate.flaws]
                rows.append(hollow_features(scene, crescent(face, side))[0])
                there.append(any(near))
                whose.append(sitter.name)
    return np.array(rows), np.array(there), np.array(whose)


def fit(rows, there):
    """(weights of the raw features, start)."""
    scale = StandardScaler().fit(rows)
    told = LogisticRegression(class_weight="balanced").fit(scale.transform(rows), there)
    weights = told.coef_[0] / scale.scale_
    return weights, float(told.intercept_[0] - weights @ scale.mean_)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--seeds", type=int, default=6)
    parser.add_argument("--first", type=int, default=900)
    parser.add_argument("--also", metavar="FOLDER", help="plates of people other than the shipped sitters")
    arguments = parser.parse_args()
    rows, there, whose = gathered(
        people(arguments.also), range(arguments.first, arguments.first + arguments.seeds)
    )
    hits = falses = 0
    for name in np.unique(whose):
        own = whose == name
        weights, start = fit(rows[~own], there[~own])
        said = start + rows[own] @ weights > 0
        hits, falses = hits + (said & there[own]).sum(), falses + (said & ~there[own]).sum()
        print(f"{name} left out: {(said & there[own]).sum()} of {there[own].sum()} hollows, "
              f"{(said & ~there[own]).sum()} of {(~there[own]).sum()} other eyes")
    print(f"in all: {hits} of {there.sum()}, {falses} of {(~there).sum()}")
    weights, start = fit(rows, there)
    print("_HOLLOW_WEIGHTS, _HOLLOW_START =", tuple(round(float(w), 3) for w in weights), round(start, 3))


if __name__ == "__main__":
    main()
