"""A retouch carried from frame to frame, and replayed on a photo developed anew, against known truth.

./lather benchmarks carry_quality [carry|replay] [SEED …]
"""

import sys
import time
from pathlib import Path

import cv2
import numpy as np

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parents[1])]

from tests.support.mended import mended_session

from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.history import History
from lather.core.job.model import Stage, new_job
from lather.core.measure.bands import tone_error
from lather.core.practice.frames import make_frames
from lather.core.practice.make import make_plate
from lather.core.session import Session
from lather.core.sitting.carry import carry
from lather.core.sitting.carry_report import carried_of
from lather.core.sitting.frame_map import Affine, scale_of
from lather.core.sitting.replay import replay

FLAWS = {"blemish_dark": 14, "blemish_red": 10, "blemish_bright": 4, "mole": 4, "scar": 1}
SITTERS = ("wren", "tilda", "ambrose")
GONE_DE, KEPT_DE, CLEAN_DE, SEEN_DE = 2.0, 1.5, 1.0, 1.2


def photo_of(codes: np.ndarray, name: str) -> Photo:
    return Photo(Picture(codes), name.encode(), f"{name}.png")


def error(session: Session, codes: np.ndarray, face_px: float) -> np.ndarray:
    """ΔE00 of the tone of what was made, to a picture; without the layer that holds skin alike."""
    job = session.job.with_stage(Stage("finish"))
    made = np.clip(session.engine.pixels(job, session.photo.bounds), 0, 1).astype(np.float32)
    return tone_error(*(srgb_to_lab(v) for v in (made, codes / np.float32(65535))), face_px)


def inside(values: np.ndarray, outline) -> float:
    mask = np.zeros(values.shape, np.uint8)
    cv2.fillPoly(mask, [np.round(np.array(outline)).astype(np.int32).reshape(-1, 1, 2)], 1)
    return float(values[mask > 0].mean()) if mask.any() else 0.0


def carried(seed: int) -> None:
    plates = make_frames(seed, FLAWS)
    first = plates[0]
    session, measures = mended_session(photo_of(first.photo, "wren"))
    made = error(session, first.truth, first.sitter.face_width_px)
    gone = {f.id for f in first.flaws if not f.keeper and inside(made, f.outline) <= GONE_DE}
    for plate in plates[1:]:
        face_px, start = plate.sitter.face_width_px, time.monotonic()
        other = carry(session, photo_of(plate.photo, plate.sitter.name), measures=measures)
        seconds = time.monotonic() - start
        bare = Session(other.photo, History(new_job(other.photo.source)))
        before, after = (error(one, plate.truth, face_px) for one in (bare, other))
        changed = error(other, plate.photo, face_px)
        wanted = [f for f in plate.flaws if f.id in gone and inside(before, f.outline) > SEEN_DE]
        good = [f for f in wanted if inside(after, f.outline) <= min(GONE_DE, 0.6 * inside(before, f.outline) + 0.3)]
        keepers = [f for f in plate.flaws if f.keeper]
        intact = [f for f in keepers if inside(changed, f.outline) <= KEPT_DE]
        near = np.zeros(plate.zones.shape, np.uint8)
        for flaw in plate.flaws:
            cv2.circle(near, (int(flaw.x), int(flaw.y)), int(flaw.size_px) + 20, 1, -1)
        clean = (plate.zones == 1) & (near == 0)
        told = carried_of(other.job.brief)
        print(f"carry {seed} {plate.sitter.name}: mended {len(good)} of {len(wanted)}, keepers {len(intact)} of "
              f"{len(keepers)}, clean skin changed {100 * (changed[clean] > CLEAN_DE).mean():.3f} %, "
              f"{len(told.looks)} looks, {seconds:.1f} s", flush=True)


def developed(codes: np.ndarray, matrix: np.ndarray, size: tuple[int, int], gain: float, warm: float) -> np.ndarray:
    light = (codes / 65535.0) ** 2.2 * gain * np.array([warm, 1, 1 / warm])
    encoded = 65535 * np.clip(light, 0, 1) ** (1 / 2.2)
    k = scale_of(matrix[:, :2])
    if k < 1:
        encoded = cv2.GaussianBlur(encoded, (0, 0), 0.4 / k)
    centred = matrix.copy()
    centred[:, 2] += matrix[:, :2] @ (0.5, 0.5) - 0.5
    return np.uint16(np.clip(cv2.warpAffine(encoded, centred, size, flags=cv2.INTER_CUBIC,
                                            borderMode=cv2.BORDER_REPLICATE), 0, 65535))


def replayed(sitter: str, seed: int) -> None:
    plate = make_plate(sitter, seed, flaws=FLAWS)
    session, _ = mended_session(photo_of(plate.photo, sitter))
    height, width = plate.zones.shape
    turn, middle = np.radians(3), np.array([width / 2, height / 2])
    turned = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    cases = {
        "0.7 stop brighter": (np.eye(2, 3), (width, height), 2**0.7, 1.0),
        "800 K warmer": (np.eye(2, 3), (width, height), 1.0, 1.08),
        "95 % crop": (np.array([[1.0, 0, -int(0.025 * width)], [0, 1, -int(0.025 * height)]]),
                      (int(0.95 * width), int(0.95 * height)), 1.0, 1.0),
        "60 %": (np.array([[0.6, 0, 0], [0, 0.6, 0]]), (int(0.6 * width), int(0.6 * height)), 1.0, 1.0),
        "turned by 3°": (np.column_stack([turned, middle - turned @ middle]), (width, height), 1.0, 1.0),
    }
    face_px = plate.sitter.face_width_px
    made = error(session, plate.truth, face_px)
    good = [f for f in plate.flaws if not f.keeper and inside(made, f.outline) <= GONE_DE]
    for name, (matrix, *how) in cases.items():
        photo, truth = (developed(codes, matrix, *how) for codes in (plate.photo, plate.truth))
        start = time.monotonic()
        other = replay(session, photo_of(photo, "anew"))
        seconds = time.monotonic() - start
        after = error(other, truth, face_px * scale_of(matrix[:, :2]))
        still = [f for f in good if inside(after, Affine(matrix).places(np.array(f.outline))) <= GONE_DE]
        told = carried_of(other.job.brief)
        print(f"replay {sitter} {name}: {len(still)} of {len(good)} mends within {GONE_DE:g} ΔE, keepers "
              f"{told.keepers[0]} of {told.keepers[1]}, {len(told.looks)} looks, {seconds:.1f} s", flush=True)


def main() -> None:
    words = [word for word in sys.argv[1:] if not word.isdigit()] or ["carry", "replay"]
    for seed in [int(word) for word in sys.argv[1:] if word.isdigit()] or [701]:
        if "carry" in words:
            carried(seed)
        for sitter in SITTERS if "replay" in words else ():
            replayed(sitter, seed)


if __name__ == "__main__":
    main()
