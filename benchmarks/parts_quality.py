"""How well a photo of people is read: parts, persons, skin, closed eyes; on made-up people held out from the fit.

    ./lather benchmarks parts_quality --crowd ../shared/crowd [--plates ../shared/plates] [--real PHOTOS LABELS.json]
                                      [--make ../shared/plates/make] [--all]

Overlap is intersection over union with what the renderer knows (scalp that shows between hairs counts as hair, skin
between a brow's hairs as brow). Alpha: mean error of the person's share within 12 px of their border. Real photographs
are measured only: nothing of them is kept.
"""

import argparse
import json
import sys
import time
from pathlib import Path

import cv2
import numpy as np

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)]
from truths import Truth, held_out, load_truth

from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.people.parsing import PARTS
from lather.core.people.reading import people_of

GROUPS = {"skin": ("skin",), "hair": ("hair", "beard"), "cloth": ("cloth",), "lips": ("lips",), "brows": ("brows",),
          "eyes": ("eye white", "iris"), "mouth": ("teeth", "mouth")}
_LEAST = 12  # px of a part that it is judged on
_RIM = 12
_PLATES = ("wren", "wren-2", "wren-3", "ambrose", "tilda", "pip", "marlow")


def judged(truth: Truth) -> tuple[dict[str, float], float, tuple, bool]:
    """({group: overlap}, alpha error, closed eyes as read, True if somebody was read)."""
    photo = Photo(Picture(np.uint16(257) * np.ascontiguousarray(truth.picture)), b"", truth.name)
    people = people_of(photo)
    found = {}
    for name, parts in GROUPS.items():
        wanted = np.isin(truth.parts, [PARTS.index(part) for part in parts])
        if wanted.sum() < _LEAST:
            continue
        share = sum(people.share({"teeth": "teeth", "mouth": "mouth"}[part], photo.bounds) for part in parts) \
            if name == "mouth" else people.share(name, photo.bounds)
        seen = share > 0.5
        found[name] = float((seen & wanted).sum() / max(1, (seen | wanted).sum()))
    alpha = truth.levels[0][..., 3] / np.float32(255)
    rim = cv2.dilate((alpha > 0.5).astype(np.uint8), np.ones((2 * _RIM + 1,) * 2, np.uint8))
    rim -= cv2.erode((alpha > 0.5).astype(np.uint8), np.ones((2 * _RIM + 1,) * 2, np.uint8))
    error = float(np.abs(people.share("person", photo.bounds) - alpha)[rim > 0].mean())
    return found, error, people.persons[0].closed if people.persons else (), bool(people.persons)


def crowd_table(folder: Path, names: list[str], crowd) -> None:
    rows, errors = [], []
    print(f"{'':8}" + "".join(f"{name:>7}" for name in GROUPS) + "  alpha  closed")
    for name in names:
        if not (folder / f"{name}.jpg").exists():
            continue
        truth = load_truth(folder / name, crowd)
        found, error, closed, somebody = judged(truth)
        rows.append(found)
        errors.append(error)
        print(f"{name:8}" + "".join(f"{found[g]:7.2f}" if g in found else "      –" for g in GROUPS)
              + f"  {error:.3f}  {','.join(closed)}{'' if somebody else ' NOBODY'}", flush=True)
    if rows:
        means = {g: np.mean([row[g] for row in rows if g in row]) for g in GROUPS if any(g in row for row in rows)}
        print(f"{'mean':8}" + "".join(f"{means[g]:7.2f}" if g in means else "      –" for g in GROUPS)
              + f"  {np.mean(errors):.3f}\n")


def covered(share: np.ndarray, polygon) -> float:
    inside = np.zeros(share.shape, np.uint8)
    cv2.fillPoly(inside, [np.round(polygon).astype(np.int32)], 1)
    return float(share[inside > 0].mean())


def real_table(folder: Path, labels: Path) -> None:
    faces, wrong = [], []
    for name, label in json.loads(labels.read_text())["photos"].items():
        pixels = cv2.imread(str(folder / name))[..., ::-1]
        photo = Photo(Picture(np.uint16(257) * np.ascontiguousarray(pixels)), b"", name)
        start = time.perf_counter()
        people = people_of(photo)
        took = time.perf_counter() - start
        share = people.share("skin", photo.bounds)
        own = [np.mean([covered(share, p) for p in face["skin_polygons"]]) for face in label["faces"]]
        none = [covered(share, p) for p in label["not_skin"]]
        faces += own
        wrong += none
        print(f"{name}: {len(people.persons)} persons, {took:.1f} s; skin {' '.join(f'{v:.2f}' for v in own)}; "
              f"no skin {' '.join(f'{v:.2f}' for v in none)}", flush=True)
    print(f"skin of {len(faces)} faces: mean {np.mean(faces):.2f}, least {np.min(faces):.2f}; "
          f"no skin taken for it {np.mean(wrong):.2f}")


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--crowd", type=Path)
    parser.add_argument("--plates", type=Path)
    parser.add_argument("--make", help="the folder of crowd.py, which knows who is cropped or has a beard")
    parser.add_argument("--all", action="store_true", help="the whole crowd, also those that were fitted on")
    parser.add_argument("--real", nargs=2, type=Path, metavar=("PHOTOS", "LABELS"))
    arguments = parser.parse_args()
    crowd = None
    if arguments.make:
        sys.path.append(arguments.make)
        import crowd
    if arguments.crowd:
        every = sorted(path.stem.replace("-zones", "") for path in arguments.crowd.glob("p*-zones.png"))
        crowd_table(arguments.crowd, every if arguments.all else held_out(), crowd)
    if arguments.plates:
        crowd_table(arguments.plates, list(_PLATES), crowd)
    if arguments.real:
        real_table(*arguments.real)


if __name__ == "__main__":
    main()
