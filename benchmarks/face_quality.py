"""What the face map and its zones reach: on the shipped sitters, on people rendered by more_sitters/, at several sizes.

    ./lather benchmarks face_quality [--also FOLDER] [--scales 1,0.25,4]

Points in % of the face width off the landmarks; overlap (intersection over union) with the zone maps; ms per photo.
"""

import argparse
import sys
import time
from pathlib import Path

import cv2
import numpy as np

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)]
from people import people

from lather.core.engine.photo import Photo
from lather.core.face.zones import FaceZones
from lather.core.imageio.picture import Picture
from lather.core.job.face_map import POINTS, SIDES
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.sitters import load_sitter


def overlap(found: np.ndarray, truth: np.ndarray) -> float:
    return float((found & truth).sum() / max(1, (found | truth).sum()))


def scaled(pixels: np.ndarray, scale: float) -> np.ndarray:
    if scale == 1:
        return pixels
    return cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--also", metavar="FOLDER", help="plates of others")
    parser.add_argument("--scales", default="1,0.25,4")
    arguments = parser.parse_args()
    for scale in (float(text) for text in arguments.scales.split(",")):
        rows = []
        for one in people(arguments.also):
            sitter = load_sitter(one)
            photo = Photo(Picture(scaled(sitter.picture.pixels, scale)), b"", sitter.name)
            start = time.perf_counter()
            measures = PhotoMeasures(photo)
            face = measures.face
            took = 1000 * (time.perf_counter() - start)
            if face is None:
                print(f"{sitter.name:8} ×{scale:g}: no face")
                continue
            off = {name: 100 * float(np.hypot(*(np.array(face.points[name]) / scale - sitter.landmarks[name])))
                   / sitter.face_width_px for name in POINTS}
            labels = cv2.resize(sitter.zones, (photo.width, photo.height), interpolation=cv2.INTER_NEAREST)
            zones = FaceZones(photo, face)
            eyes = sum(zones.mask(f"{part}, {side}", photo.bounds) for part in ("eye white", "iris") for side in SIDES)
            iris = sum(zones.mask(f"iris, {side}", photo.bounds) for side in SIDES)
            rows.append((
                off["mouth_left"], off["mouth_right"], off["eye_left"], off["eye_right"], off["nose_tip"], off["chin"],
                overlap(zones.mask("lips", photo.bounds) > 0.5, labels == 2),
                overlap(eyes > 0.5, np.isin(labels, (4, 5))), overlap(iris > 0.5, labels == 5), took,
            ))
            print(f"{sitter.name:8} ×{scale:g}: mouth {rows[-1][0]:.1f} {rows[-1][1]:.1f}  eyes {rows[-1][2]:.1f} "
                  f"{rows[-1][3]:.1f}  nose {rows[-1][4]:.1f}  chin {rows[-1][5]:.1f}  lips {rows[-1][6]:.2f}  "
                  f"eyes {rows[-1][7]:.2f}  iris {rows[-1][8]:.2f}  {took:.0f} ms", flush=True)
        mean = np.mean(rows, axis=0)
        print(f"mean     ×{scale:g}: mouth {mean[:2].mean():.2f}, most {np.max([r[:2] for r in rows]):.1f}; eyes "
              f"{mean[2:4].mean():.2f}; lips {mean[6]:.3f}; eyes {mean[7]:.3f}; iris {mean[8]:.3f}; {mean[9]:.0f} ms")


if __name__ == "__main__":
    main()
