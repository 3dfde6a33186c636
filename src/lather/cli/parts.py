"""lather parts PHOTO [--out FILE.png] [--persons FILE.png]"""

import argparse
import io
import json
from pathlib import Path

import numpy as np
from PIL import Image

from lather.cli.outputs import add_replace_argument, may_write
from lather.core.errors import RequestError
from lather.core.imageio.atomic import write_atomically
from lather.core.people.contours import contours_of
from lather.core.people.parsing import PARTS
from lather.core.people.reading import People, people_for
from lather.core.people.told import PART_LABELS, notes
from lather.core.session import Session
from lather.core.types import Rect

_STRIP = 512
_COLOURS = {
    "ground": (28, 30, 33), "skin": (214, 160, 132), "hair": (92, 62, 44), "beard": (132, 92, 66),
    "brows": (60, 42, 34), "lips": (190, 86, 92), "teeth": (244, 240, 226), "mouth": (116, 36, 44),
    "eye white": (226, 234, 240), "iris": (74, 110, 136), "cloth": (96, 122, 104), "other": (206, 184, 72),
}
_PERSONS = ((28, 30, 33), (202, 148, 92), (96, 140, 164), (134, 164, 96), (176, 112, 150), (212, 196, 110),
            (110, 110, 180), (90, 170, 150), (190, 120, 90))


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("photo", help="a photo, or a .lather job (with what was corrected in it)")
    parser.add_argument("--out", metavar="FILE.png", help="the map of parts, at the photo's size: the value of a pixel "
                        "is the number of its part, shown by a palette")
    parser.add_argument("--persons", metavar="FILE.png", help="the same, the value being the number of the person")
    parser.add_argument("--contours", action="store_true", help="with --json: also the lines that belong to "
                        "the persons, as paths")
    parser.add_argument("--json", action="store_true", help="machine-readable")
    add_replace_argument(parser)


def run(arguments: argparse.Namespace) -> int:
    wanted = [path for path in (arguments.out, arguments.persons) if path]
    for path in wanted:
        if Path(path).suffix.lower() != ".png":
            raise RequestError(f"{path}: a map of parts is a PNG file.")
    may_write(wanted, [arguments.photo], replace=arguments.replace)
    session = Session.open(arguments.photo)
    job, photo = session.job, session.photo
    faces = (job.face_map,) if job.face_map is not None else ()
    people = people_for(photo, faces, job.part_strokes)
    if arguments.out:
        _write(arguments.out, _map(people), [_COLOURS[name] for name in PARTS])
    if arguments.persons:
        _write(arguments.persons, _whose(people), [*_PERSONS])
    found = people.to_json()
    if arguments.contours:
        found["contours"] = [
            {"what": one.what, "person": one.person, "width_px": round(one.width_px, 1),
             "points": np.round(one.points, 1).tolist()} for one in contours_of(people)]
    if arguments.json:
        print(json.dumps({"width": photo.width, "height": photo.height, "parts": list(PARTS)} | found, indent=1))
        return 0
    for name, share in found["shares"].items():
        print(f"{PART_LABELS[name].capitalize():22} {100 * share:5.1f} % of the picture")
    print(f"{len(people.persons)} {'person' if len(people.persons) == 1 else 'persons'}")
    for note in notes(people):
        print(note)
    for path in wanted:
        print(path)
    return 0


def _map(people: People) -> np.ndarray:
    photo = people.photo
    strips = [people.label_map(Rect(0, y, photo.width, min(y + _STRIP, photo.height)))
              for y in range(0, photo.height, _STRIP)]
    return np.vstack(strips)


def _whose(people: People) -> np.ndarray:
    photo = people.photo
    height, width = people.whose.shape
    rows = ((np.arange(photo.height) + 0.5) * height / photo.height).astype(int)
    columns = ((np.arange(photo.width) + 0.5) * width / photo.width).astype(int)
    return people.whose[rows[:, None], columns[None]]


def _write(path: str, labels: np.ndarray, colours: list[tuple[int, int, int]]) -> None:
    picture = Image.fromarray(labels, mode="L")
    picture.putpalette([value for number in range(256) for value in colours[number % len(colours)]])
    held = io.BytesIO()
    picture.save(held, "PNG")
    write_atomically(path, lambda file: file.write(held.getvalue()))
