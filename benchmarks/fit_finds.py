"""Fits the weights by which finds are told apart, on plates whose truth is known, and says what is reached.

    ./lather benchmarks fit_finds [--model spots|lines|ground|areas|lips|strands] [--seeds 6] [--crowd 3] [--write]

For every shipped sitter, every one of the crowd (but those kept for judging) and seed a photo is made (made_photos.py);
every measured place is labelled with the flaw it lies on, or "none". Figures are for people left out of the fit, and
for the last quarter of the places of everybody held back. --write then fits on all and writes
core/data/find/small/MODEL.npz, asked of faces under 3.2 px/mm: larger ones keep the weights fitted on the plates, in
core/data/find, and of stray hairs there is one model for all.
"""

import argparse
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import cv2
import numpy as np
from sklearn.ensemble import HistGradientBoostingClassifier

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)]
from made_photos import crowd_of, has_own_lines, is_crowd, made_photo, scene_of

from lather.core.find import boosted_trees
from lather.core.find.areas import redness_and_shine
from lather.core.find.ground import specks
from lather.core.find.lines import skin_lines, stray_hairs
from lather.core.find.spots import lip_colour, patch_net, spots
from lather.core.practice.sitters import HAIR, sitter_names

SPOTS = ("blemish_dark", "blemish_red", "blemish_bright", "mole", "freckle", "flake")
LINES = ("crease", "hair_on_skin", "vein_nose", "scar", "makeup_fold", "strap_mark", "jewellery_mark")
GROUND = ("cloth_speck", "lens_mark")
AREAS = ("blotch", "redness", "shine")
KINDS = {
    "spots": ("none", *SPOTS), "lines": ("none", *LINES), "ground": ("none", *GROUND), "areas": ("none", *AREAS),
    "lips": ("none", "smeared_lip"), "strands": ("none", "stray_hair"),
}
ONE_STEP = {"lines": skin_lines.LEAST_CONFIDENCE, "lips": lip_colour.LEAST_CONFIDENCE, "strands": 0.5}
"""Models that tell kinds and whether anything is there at once, and from which confidence on."""
FLAWS = {
    "spots": {
        "blemish_dark": 10,
        "blemish_red": 10,
        "blemish_bright": 9,
        "mole": 5,
        "freckle": 12,
        "flake": 6,
        "scar": 1,
        "crease": 2,
        "hair_on_skin": 2,
    },
    "lines": {
        "crease": 4,
        "hair_on_skin": 4,
        "vein_nose": 2,
        "scar": 3,
        "makeup_fold": 3,
        "strap_mark": 2,
        "jewellery_mark": 2,
        "blemish_red": 4,
        "blemish_dark": 4,
    },
    "ground": {"cloth_speck": 8, "lens_mark": 6, "stray_hair": 3},
    "areas": {"blotch": 3, "redness": 3, "shine": 2, "blemish_red": 4, "blemish_dark": 3, "under_eye": 1},
    "strands": {"stray_hair": 8, "hair_on_skin": 2, "crease": 2},
    "lips": {
        "smeared_lip": 3, "blemish_red": 6, "blemish_dark": 6, "blemish_bright": 4, "mole": 2, "freckle": 6,
        "hair_on_skin": 2, "scar": 1, "crease": 1,
    },
}


def samples(job):
    """(person, {model: (features, labels, patches, flaws never measured, flaws)}) of one plate; patches of spots only
    (`look`)."""
    models, name, seed = job
    cv2.setNumThreads(1)  # two plates are worked on at a time
    wanted = {kind: max(FLAWS[model].get(kind, 0) for model in models) for model in models for kind in FLAWS[model]}
    plate = made_photo(name, seed, wanted)
    scene, found = scene_of(plate.photo), {}
    for model in models:
        features, labels, hit, places = LABELLED[model](scene, plate)
        if model == "lines" and is_crowd(name) and has_own_lines(name):
            told = [n for n, label in enumerate(labels) if label != "none"]
            features, labels = [features[n] for n in told], [labels[n] for n in told]
        features = np.array(features)
        patches = np.zeros((0, patch_net.PLANES, patch_net.SIDE, patch_net.SIDE), np.float16)
        if model == "spots" and len(features):
            patches = patch_net.patches(scene.layers, np.array(places)).astype(np.float16)
        flaws = [f for f in plate.flaws if f.kind in KINDS[model]]
        missed = [(f.kind, round(f.size_px), round(f.contrast_de, 1)) for f in flaws if f.id not in hit]
        found[model] = (features, np.array([KINDS[model].index(x) for x in labels], int), patches, missed, len(flaws))
    return Path(name).stem, found


def _flaw_at(plate, kinds, x, y):
    for flaw in plate.flaws:
        if flaw.kind in kinds and np.hypot(flaw.x - x, flaw.y - y) < max(4.0, 0.5 * flaw.size_px):
            return flaw
    return None


def _on_line(plate, x, y):
    return any(
        f.path is not None and min(np.hypot(a - x, b - y) for a, b in f.path) < 6 + f.width_px for f in plate.flaws
    )


def _spots(scene, plate, measured=None, kinds=SPOTS, least_de=2.5):
    features, labels, hit, places = [], [], set(), []
    for blob in measured if measured is not None else spots.measure_proposed(scene):
        x, y = scene.to_source(blob.x, blob.y)
        flaw = _flaw_at(plate, kinds, x, y)
        if flaw is not None:
            hit.add(flaw.id)
        elif _on_line(plate, x, y):
            continue  # part of a line: neither a spot nor nothing
        if blob.contrast_de < scene.least_contrast or (flaw is not None and flaw.contrast_de < least_de):
            continue
        features.append(blob.features)
        labels.append(flaw.kind if flaw is not None else "none")
        places.append(blob.proposed)
    return features, labels, hit, places


def _ground(scene, plate):
    ground_scene = specks.GroundScene(scene.measures, most_candidates=specks.MOST_CANDIDATES)
    return _spots(ground_scene, plate, spots.measure_blobs(ground_scene), GROUND)


def _areas(scene, plate):
    area_scene = redness_and_shine.AreaScene(scene.measures)
    return _spots(area_scene, plate, redness_and_shine.measure_areas(area_scene), AREAS, 0.0)


def _lips(scene, plate):
    blobs, features, labels, hit = spots.measure_proposed(scene), [], [], set()
    near, own = lip_colour.lip_features(scene, np.array([(blob.x, blob.y, blob.size) for blob in blobs]).reshape(-1, 3))
    for n, beside in zip(near, own):
        flaw = _flaw_at(plate, ("smeared_lip",), *scene.to_source(blobs[n].x, blobs[n].y))
        if flaw is not None:
            hit.add(flaw.id)
        features.append((*blobs[n].features, *beside))
        labels.append(flaw.kind if flaw is not None else "none")
    return features, labels, hit, None


def _strands(scene, plate):
    """A line is a hair where a drawn one lies; the person's own loose hairs are neither a hair nor nothing (taken for
    hairs where they stand off the mass, a fifth of what was found on photographs was right, not a half)."""
    features, labels, hit = [], [], set()
    scale = plate.photo.shape[1] / plate.zones.shape[1]
    hair = cv2.GaussianBlur((plate.zones == HAIR).astype(np.float32), (0, 0), 0.6 * plate.sitter.pixels_per_mm)
    for strand in stray_hairs.measure_strands(scene):
        points = strand.points[::3] * scene.step
        best, share = None, 0.0
        for flaw in plate.flaws:
            if flaw.kind == "stray_hair":
                near = np.hypot(*(points[:, None] - np.array(flaw.path)[None]).transpose(2, 0, 1)).min(1)
                on = float((near < 3.0 + flaw.width_px).mean())
                best, share = (flaw, on) if on > share else (best, share)
        at = np.clip((points / scale).astype(int), 0, np.array(plate.zones.shape)[::-1] - 1)
        loose = float(hair[at[:, 1], at[:, 0]].mean())
        if share >= 0.6:
            hit.add(best.id)
        elif share > 0.15 or 0.04 < loose < 0.45:
            continue
        features.append(strand.features)
        labels.append("stray_hair" if share >= 0.6 else "none")
    return features, labels, hit, None


def _lines(scene, plate):
    features, labels, hit = [], [], set()
    for line in skin_lines.measure_lines(scene):
        points = np.array([scene.to_source(float(x), float(y)) for x, y in line.points[::3]])
        best, share = None, 0.0
        for flaw in plate.flaws:
            if flaw.path is None or flaw.kind not in LINES:
                continue
            path = np.array(flaw.path)
            near = np.hypot(*(points[:, None] - path[None]).transpose(2, 0, 1)).min(1)
            step = np.hypot(*np.diff(path, axis=0).T).mean()
            on = float((near < max(3.0, 0.8 * flaw.width_px) + step / 2).mean())
            if on > share:
                best, share = flaw, on
        if share >= 0.6:
            hit.add(best.id)
            features.append(line.features)
            labels.append(best.kind)
        elif share < 0.2:
            features.append(line.features)
            labels.append("none")
    return features, labels, hit, None


LABELLED = {"spots": _spots, "lines": _lines, "ground": _ground, "areas": _areas, "lips": _lips, "strands": _strands}


def fit(model, features, labels):
    """What tells the kinds of a model apart, by name of file: lines in one step; spots first from nothing, then apart.

    Whether anything is there is the harder question, by far: it gets the more trees.
    """
    kinds = KINDS[model]
    if model in ONE_STEP:
        trees = _boosted(140, 0.5) if model == "lips" else _boosted(140, 0.3, bushy=True)
        return {model: _flat(trees.fit(features, labels, sample_weight=_alike(labels)), kinds)}
    found = labels > 0
    return {
        f"{model}_or_none": _flat(_boosted(700, 0.3).fit(features, found.astype(int)), ("none", "find")),
        model: _flat(
            _boosted(120, 0.5).fit(features[found], labels[found], sample_weight=np.sqrt(_alike(labels[found]))), kinds
        ),
    }


def _boosted(trees, share, *, bushy=False):
    large = trees > 300 or bushy
    return HistGradientBoostingClassifier(
        max_iter=trees, learning_rate=0.05 if large else 0.07, max_leaf_nodes=24 if large else 10,
        min_samples_leaf=20 if large else 12, l2_regularization=8.0 if large else 2.0, max_features=share,
        random_state=1, early_stopping=False,
    )


def _alike(labels):
    """Weights with which all kinds count alike; "none" counts as often as it is met."""
    count = np.bincount(labels)
    share = count[1:].sum() / np.maximum((count[1:] > 0).sum() * count, 1)
    share[0] = 1.0
    return share[labels]


def _flat(trees, kinds):
    """The fitted trees as plain arrays."""
    columns = {name: [] for name in ("feature", "threshold", "left", "right", "value")}
    roots, classes, at, two = [], [], 0, len(trees.classes_) == 2
    for stage in trees._predictors:
        for number, tree in enumerate(stage):
            nodes = tree.nodes
            leaf = nodes["is_leaf"].astype(bool)
            columns["feature"].append(np.where(leaf, -1, nodes["feature_idx"]).astype(np.int16))
            columns["threshold"].append(np.where(leaf, 0, nodes["num_threshold"]).astype(np.float32))
            columns["left"].append((nodes["left"].astype(np.int64) + at).astype(np.int32))
            columns["right"].append((nodes["right"].astype(np.int64) + at).astype(np.int32))
            columns["value"].append(nodes["value"].astype(np.float32))
            roots.append(at)
            classes.append(int(trees.classes_[1 if two else number]))  # of two kinds, the trees speak for the second
            at += len(nodes)
    start = np.full(len(kinds), -50.0)  # a kind that was not met is never told
    start[trees.classes_] = (0, trees._baseline_prediction.item()) if two else np.ravel(trees._baseline_prediction)
    flat = {name: np.concatenate(parts) for name, parts in columns.items()}
    return boosted_trees.KindModel(kinds, start.astype(np.float32), *flat.values(), np.array(roots, np.int32),
                          np.array(classes, np.int8))


def told_by(models, model, features):
    """Index of the kind told of each row, 0 where nothing is."""
    if model in ONE_STEP:
        shares, least = models[model].shares(features), ONE_STEP[model]
        return np.where(shares[:, 0] <= 1 - least, 1 + np.argmax(shares[:, 1:], 1), 0)
    sure = models[f"{model}_or_none"].shares(features)[:, 1]
    kind = 1 + np.argmax(models[model].shares(features)[:, 1:], 1)
    least = redness_and_shine.LEAST_CONFIDENCE if model == "areas" else spots.LEAST_CONFIDENCE
    return np.where(sure >= least, kind, 0)


def report(models, name, features, labels, title):
    told = told_by(models, name, features)
    parts = []
    for index, kind in enumerate(KINDS[name][1:], 1):
        own = labels == index
        if own.any():
            parts.append(f"{kind} {(told[own] != 0).mean():.2f}/{(told[own] == index).mean():.2f}")
    natural = labels == 0
    print(
        f"{title:10} seen/named: {', '.join(parts)}; of {int(natural.sum())} natural places taken for finds: "
        f"{int((told[natural] != 0).sum())}"
    )
    if name == "spots":
        blemish, said = np.isin(labels, (1, 2, 3)), np.isin(told, (1, 2, 3))
        print(
            f"{'':10} blemishes: recall {said[blemish].mean():.3f}, precision {blemish[said].mean():.3f}; moles taken "
            f"for them {said[labels == 4].mean():.3f}",
            flush=True,
        )


def gathered(arguments):
    """({person: (features, labels)}, flaws never measured, flaws) of `--model`; --samples holds those of many."""
    kept = Path(arguments.samples) if arguments.samples else None
    file = kept.with_name(f"{kept.stem}-{arguments.model}.npz") if kept else None
    if file and file.exists():
        held = np.load(file, allow_pickle=False)
        names = sorted({key.rpartition("_")[0] for key in held.files})
        return {n: (held[f"{n}_0"], held[f"{n}_1"]) for n in names}, [], 0
    models = (arguments.model, *(m for m in (arguments.with_ or "").split(",") if m))
    jobs = [(models, name, seed) for name, seed in jobs_of(arguments)]
    found, missed, total = {model: {} for model in models}, [], 0
    with ProcessPoolExecutor(arguments.processes) as pool:
        for name, own in pool.map(samples, jobs):
            for model, (features, labels, patches, lost, wanted) in own.items():
                if len(features):
                    found[model].setdefault(name, []).append((features, labels, patches))
                if model == arguments.model:
                    missed += [(name, *m) for m in lost]
                    total += wanted
    data = {model: {n: tuple(np.concatenate(part) for part in zip(*parts)) for n, parts in own.items()}
            for model, own in found.items()}
    for model in models if kept else ():
        np.savez(kept.with_name(f"{kept.stem}-{model}.npz"),
                 **{f"{n}_{i}": d[i] for n, d in data[model].items() for i in range(3)})
    return {n: d[:2] for n, d in data[arguments.model].items()}, missed, total


def jobs_of(arguments) -> list[tuple[str, int]]:
    """(person, seed) of all plates: `--seeds` of each shipped sitter, `--crowd` of each of the crowd."""
    first = arguments.first
    shipped = [(name, seed) for seed in range(first, first + arguments.seeds) for name in sitter_names()]
    return shipped + [(name, seed) for seed in range(first, first + arguments.crowd)
                      for name in crowd_of(arguments.also)]


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--model", choices=tuple(KINDS), default="spots")
    parser.add_argument("--seeds", type=int, default=6, help="plates of each shipped sitter (default: 6)")
    parser.add_argument("--first", type=int, default=100)
    parser.add_argument("--samples", metavar="FILE", help="npz to keep what was measured in, or to take it from")
    parser.add_argument("--quick", action="store_true", help="no fits with a sitter left out")
    parser.add_argument("--with", dest="with_", metavar="MODELS", help="gather for these, too, of the same plates")
    parser.add_argument("--crowd", type=int, default=3, help="plates of each of the crowd (default: 3)")
    parser.add_argument("--also", metavar="FOLDER", action="append", default=[], help="more of the crowd")
    parser.add_argument("--processes", type=int, default=2)
    parser.add_argument("--write", action="store_true")
    arguments = parser.parse_args()
    kinds = KINDS[arguments.model]
    data, missed, total = gathered(arguments)
    by_kind = {k: sum(m[1] == k for m in missed) for k in kinds[1:]}
    print(f"never measured: {len(missed)} of {total}: {by_kind}")
    for name in data if not arguments.quick else ():
        others = [data[n] for n in data if n != name]
        models = fit(arguments.model, *(np.concatenate([o[i] for o in others]) for i in (0, 1)))
        report(models, arguments.model, *data[name], f"- {name}")
    early = {n: int(0.75 * len(d[0])) for n, d in data.items()}
    models = fit(arguments.model, *(np.concatenate([d[i][: early[n]] for n, d in data.items()]) for i in (0, 1)))
    for name, (features, labels) in data.items():
        report(models, arguments.model, features[early[name] :], labels[early[name] :], f"{name} held")
    if arguments.write:
        models = fit(arguments.model, *(np.concatenate([d[i] for d in data.values()]) for i in (0, 1)))
        how = f"benchmarks/fit_finds.py --model {arguments.model} --seeds {arguments.seeds} --first {arguments.first}"
        how += f" --crowd {arguments.crowd}"
        for name, model in models.items():
            folder = boosted_trees.FOLDER if name == "strands" else boosted_trees.SMALL
            model.save(folder / f"{name}.npz", how)


if __name__ == "__main__":
    main()
