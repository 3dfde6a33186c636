"""lather info FILE"""

import argparse
import json

from lather.cli.arguments import number
from lather.core.colour import profiles
from lather.core.imageio.metadata import describe
from lather.core.imageio.picture import MAX_PIXELS
from lather.core.job.archive import SCHEMA
from lather.core.job.model import STAGE_IDS
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.people.told import notes
from lather.core.session import Session


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", help="a photo or a .lather job")
    parser.add_argument("--json", action="store_true", help="machine-readable")
    parser.add_argument("--max-megapixels", type=number(0.001, 100_000), default=MAX_PIXELS / 1e6,
                        help="refuse larger pictures")


def facts(path: str, max_megapixels: float = MAX_PIXELS / 1e6) -> dict:
    """What a photo or job holds, as plain values."""
    session = Session.open(path, max_pixels=int(max_megapixels * 1e6))
    photo = session.photo
    found: dict = {
        "file": str(path), "width": photo.width, "height": photo.height, "bits": photo.picture.bits,
        "format": photo.picture.format, "profile": profiles.name(photo.profile), "sha256": photo.sha256,
        "metadata": describe(photo.picture.exif), "notes": session.notes,
    }
    measures = PhotoMeasures.of_job(photo, session.job)
    found |= measures.to_json() | {"people_notes": [str(note) for note in notes(measures.people)]}
    if session.job_file:
        job = session.job
        found |= {
            "schema": SCHEMA, "title": job.title, "photo": photo.name,
            "stages": [
                {
                    "id": stage.id, "on": stage.on, "strength": stage.strength,
                    "layers": [
                        {"name": x.name, "kind": x.kind, "on": x.on, "strength": x.strength, "edits": len(x.edits)}
                        for x in stage.layers
                    ],
                }
                for stage in job.stages if stage.layers
            ],
            "layers": sum(len(stage.layers) for stage in job.stages), "edits": sum(1 for _ in job.edits()),
            "undo_steps": session.history.position,
        }
    return found


def run(arguments: argparse.Namespace) -> int:
    found = facts(arguments.file, arguments.max_megapixels)
    if arguments.json:
        print(json.dumps(found, indent=1))
        return 0
    print(f"{found['file']}: {found['width']} × {found['height']} px, {found['bits']} bit {found['format']}, "
          f"{found['profile']}")
    print(f"SHA-256 {found['sha256']}")
    face = found["face"]
    print(f"Face {face['width_px']:.0f} px wide" if face else "No face found", end="")
    print(f", skin on {found['skin_share'] * 100:.0f} % of the picture")
    for person in found["people"]:
        x0, y0, x1, y1 = person["box"]
        closed = f", closed: {', '.join(person['closed_eyes'])}" if person["closed_eyes"] else ""
        skin = "L* {:.0f}, a* {:.0f}, b* {:.0f}".format(*person["skin_lab"]) if person["skin_lab"] else "not seen"
        print(f"Person {person['number']}: {x0}, {y0} to {x1}, {y1}; face {person['face']}, skin {skin}{closed}")
    for note in found["people_notes"]:
        print(note)
    levels = found["grain"]["level_percent"]
    if levels:
        print(f"Grain {levels[len(levels) // 2][1]:.2f} % at middle luminance, {found['grain']['size_px']:.1f} px, "
              f"colour share {found['grain']['chroma_share']:.2f}")
    if found["texture_scale_px"]:
        print(f"Texture parts from tone at {found['texture_scale_px']:.1f} px")
    for note in found["notes"]:
        print(note)
    if "stages" in found:
        print(f"{found['title']}: {found['edits']} edits on {found['layers']} layers")
        for stage in sorted(found["stages"], key=lambda s: STAGE_IDS.index(s["id"])):
            for layer in stage["layers"]:
                state = "" if layer["on"] else ", off"
                strength = f"{layer['strength'] * 100:.0f} %"
                print(f"  {stage['id']}: {layer['name']}, {layer['edits']} edits, {strength}{state}")
    return 0
