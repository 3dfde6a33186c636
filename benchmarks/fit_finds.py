"""Fits the weights by which finds are told apart, on plates whose truth is known, and says what is reached.

    ./lather benchmarks fit_finds [--model spots|lines|ground|areas|lips] [--seeds 12] [--write]

For every shipped sitter and seed a plate is made; every measured place is labelled with the flaw it lies on, or
"none". Figures are for a sitter left out of the fit, and for the last quarter of the plates of every sitter held
back; --write then fits on all and writes core/data/find/MODEL.npz.
"""

import argparse
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import cv2
import numpy as np
from sklearn.ensemble import HistGradientBoostingClassifier

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)]
from people import people

from lather.core.engine.photo import Photo
from lather.core.find import boosted_trees
from lather.core.find.areas import redness_and_shine
from lather.core.find.ground import specks
from lather.core.find.lines import skin_lines
from lather.core.find.scene import FindScene
from lather.core.find.spots import lip_colour, patch_net, spots
from lather.core.imageio.picture import Picture
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.flaws.base import MELANIN
from lather.core.practice.grain import Grain
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import SKIN, load_sitter

SPOTS = ("blemish_dark", "blemish_red", "blemish_bright", "mole", "freckle", "flake")
LINES = ("crease", "hair_on_skin", "vein_nose", "scar", "makeup_fold", "strap_mark", "jewellery_mark")
GROUND = ("cloth_speck", "lens_mark")
AREAS = ("blotch", "redness", "shine")
KINDS = {
    "spots": ("none", *SPOTS), "lines": ("none", *LINES), "ground": ("none", *GROUND), "areas": ("none", *AREAS),
    "lips": ("none", "smeared_lip"),
}
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
    "lips": {
        "smeared_lip": 3, "blemish_red": 6, "blemish_dark": 6, "blemish_bright": 4, "mole": 2, "freckle": 6,
        "hair_on_skin": 2, "scar": 1, "crease": 1,
    },
}


def scene_of(pixels) -> FindScene:
    return FindScene(PhotoMeasures(Photo(Picture(pixels), b"", "plate")))


def samples(job):
    """(sitter, features, labels, patches, flaws never measured, flaws) of one plate; patches of spots only (`look`)."""
    kind, name, seed = job
    cv2.setNumThreads(1)  # two plates are worked on at a time
    rng = np.random.default_rng([7, seed])
    grain = Grain(float(rng.uniform(0.3, 1.2)), float(rng.uniform(0.4, 0.9)), float(rng.uniform(0.1, 0.5)))
    sitter = load_sitter(name)
    if kind in ("spots", "lips") and seed % 4 > 1:
        other_skin(sitter, rng)
    plate = make_plate(sitter, seed, flaws=FLAWS[kind] if seed % 3 else {}, grain=grain)
    if seed % 2:
        vary(plate, rng)
    scene = scene_of(plate.photo)
    label_of = {"spots": _spots, "lines": _lines, "ground": _ground, "areas": _areas, "lips": _lips}[kind]
    features, labels, hit, places = label_of(scene, plate)
    features = np.array(features)
    patches = np.zeros((0, patch_net.PLANES, patch_net.SIDE, patch_net.SIDE), np.float16)
    if kind == "spots" and len(features):
        patches = patch_net.patches(scene.layers, np.array(places)).astype(np.float16)
    wanted = [f for f in plate.flaws if f.kind in KINDS[kind]]
    missed = [(f.kind, round(f.size_px), round(f.contrast_de, 1)) for f in wanted if f.id not in hit]
    return sitter.name, features, np.array([KINDS[kind].index(x) for x in labels], int), patches, missed, len(wanted)


def other_skin(sitter, rng):
    """Skin of another person on the sitter (in place): pores deeper or shallower, stubble, uneven tone; no flaws.

    For a face never met before, this is what is most often taken for flaws.
    """
    per_mm, linear = sitter.pixels_per_mm, sitter.linear
    skin = cv2.GaussianBlur((sitter.zones == SKIN).astype(np.float32), (0, 0), 0.4 * per_mm)[..., None]
    log = np.log(np.maximum(linear, 1e-4))
    relief = log - cv2.GaussianBlur(log, (0, 0), 0.5 * per_mm)
    changed = log + skin * float(rng.uniform(-0.4, 0.8)) * np.clip(relief, -0.5, 0.5)
    small = tuple(max(2, int(n / (rng.uniform(3, 8) * per_mm))) for n in skin.shape[1::-1])
    mottled = cv2.resize(rng.normal(size=small[::-1]).astype(np.float32), skin.shape[1::-1],
                         interpolation=cv2.INTER_CUBIC)
    changed -= skin * float(rng.uniform(0, 0.035)) * mottled[..., None] * MELANIN
    drawn = np.exp(changed)
    for bright in (0, 1):
        if rng.random() < 0.6:
            cover = stubble(sitter, rng, skin[..., 0])[..., None] * float(rng.uniform(0.3, 0.9))
            drawn += cover * (float(rng.uniform(0.15, 0.5) if bright else rng.uniform(0.005, 0.05)) - drawn)
    sitter.linear = np.clip(drawn, 0, 1).astype(np.float32)


def stubble(sitter, rng, skin):
    """How far short hairs cover each pixel, float32 (h, w) 0-1: on the lower face and neck, or all over."""
    per_mm, marks = sitter.pixels_per_mm, sitter.landmarks
    cover = np.zeros(skin.shape, np.uint8)
    top = marks["nose_tip"][1] if rng.random() < 0.7 else marks["hairline"][1]
    bottom = min(skin.shape[0], marks["chin"][1] + 60 * per_mm)
    left, right = (float(marks[k][0]) for k in ("jaw_left", "jaw_right"))
    area = (right - left) * (bottom - top) / per_mm**2
    for x, y in rng.uniform((left, top), (right, bottom), (int(area * rng.uniform(0.02, 0.3)), 2)):
        way = np.pi / 2 + rng.normal(0, 0.6)
        end = np.array([x, y]) + rng.uniform(0.5, 3.0) * per_mm * np.array([np.cos(way), np.sin(way)])
        ends = [tuple(int(v) for v in np.round(16 * np.array(p))) for p in ((x, y), end)]
        cv2.line(cover, *ends, int(rng.uniform(90, 255)), 1, cv2.LINE_AA, 4)
    return cv2.GaussianBlur(cover.astype(np.float32) / 255, (0, 0), max(0.4, 0.06 * per_mm)) * skin


def vary(plate, rng):
    """Another camera: the plate (in place) at another size, tone and saturation, so that few sitters stand for many."""
    k = float(rng.uniform(0.7, 1.25))
    photo = cv2.resize(
        plate.photo.astype(np.float32) / 65535,
        None,
        fx=k,
        fy=k,
        interpolation=cv2.INTER_AREA if k < 1 else cv2.INTER_CUBIC,
    )
    photo = np.clip(photo, 0, 1) ** float(rng.uniform(0.75, 1.3))
    grey = photo.mean(-1, keepdims=True)
    photo = np.clip(grey + float(rng.uniform(0.75, 1.25)) * (photo - grey), 0, 1)
    plate.photo = np.round(photo * 65535).astype(np.uint16)
    for flaw in plate.flaws:
        flaw.x, flaw.y, flaw.size_px = k * flaw.x, k * flaw.y, k * flaw.size_px
        if flaw.path is not None:
            flaw.path, flaw.width_px = [(k * a, k * b) for a, b in flaw.path], k * flaw.width_px


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


def _lines(scene, plate):
    features, labels, hit = [], [], set()
    for line in skin_lines.measure_lines(scene):
        points = np.array([scene.to_source(float(x), float(y)) for x, y in line.points[::3]])
        best, share = None, 0.0
        for flaw in plate.flaws:
            if flaw.path is None:
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


def fit(model, features, labels):
    """What tells the kinds of a model apart, by name of file: lines in one step; spots first from nothing, then apart.

    Whether anything is there is the harder question, by far: it gets the more trees.
    """
    kinds = KINDS[model]
    if model in ("lines", "lips"):
        trees = _boosted(140, 0.3, bushy=True) if model == "lines" else _boosted(140, 0.5)
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
    if model in ("lines", "lips"):
        shares, least = models[model].shares(features), (lip_colour if model == "lips" else skin_lines).LEAST_CONFIDENCE
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
    """({sitter: (features, labels)}, flaws never measured, flaws); kept in --samples for another fit."""
    kept = Path(arguments.samples) if arguments.samples else None
    if kept and kept.exists():
        held = np.load(kept, allow_pickle=False)
        names = sorted({key.rpartition("_")[0] for key in held.files})
        return {n: (held[f"{n}_0"], held[f"{n}_1"]) for n in names}, [], 0
    seeds = range(arguments.first, arguments.first + arguments.seeds)
    names = people(arguments.also, arguments.without)
    jobs = [(arguments.model, name, seed) for seed in seeds for name in names]
    by_sitter, missed, total = {}, [], 0
    with ProcessPoolExecutor(2) as pool:
        for name, features, labels, patches, lost, wanted in pool.map(samples, jobs):
            if len(features):
                by_sitter.setdefault(name, []).append((features, labels, patches))
            missed += [(name, *m) for m in lost]
            total += wanted
    data = {n: tuple(np.concatenate(part) for part in zip(*parts)) for n, parts in by_sitter.items()}
    if kept:
        np.savez(kept, **{f"{n}_{i}": d[i] for n, d in data.items() for i in range(3)})
    return {n: d[:2] for n, d in data.items()}, missed, total


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--model", choices=tuple(KINDS), default="spots")
    parser.add_argument("--seeds", type=int, default=12)
    parser.add_argument("--first", type=int, default=100)
    parser.add_argument("--samples", metavar="FILE", help="npz to keep what was measured in, or to take it from")
    parser.add_argument("--quick", action="store_true", help="no fits with a sitter left out")
    parser.add_argument("--also", metavar="FOLDER", help="plates of people other than the shipped sitters")
    parser.add_argument("--without", metavar="SITTERS", help="gather nothing of these, to see faces never met")
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
        how += f" --also {arguments.also} --without {arguments.without}" if arguments.also else ""
        for name, model in models.items():
            model.save(boosted_trees.FOLDER / f"{name}.npz", how)


if __name__ == "__main__":
    main()
