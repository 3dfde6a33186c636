"""Colour, Crisp and Finish on made flaws whose truth is known.

    ./lather benchmarks colour_quality [--sitters tilda,wren,ambrose] [--seeds 4] [--only match,calm,shine,whiten,...]

match: ΔE00 of the means of target and reference before and after, and of the target to its truth. calm: a* over the
truth before and after, by the find's key. shine: L* over the truth before and after (mean, and least and most taken
off, %), texture (spread of L* finer than the tone) against the truth's, |ΔL*| of hairs in it to the
truth, before and after; the same in a beard.
whiten: L* and b* of teeth and eye whites, photo and now; b* left. ground: spread of the ground's tone, photo and now.
crisp: largest overshoot over the local range, grain where nothing is sharpened. outside: largest change where the mask
is 0, in 65535ths.
"""

import argparse
import sys
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.commands import SetFinds
from lather.core.job.finds import Find
from lather.core.job.history import History
from lather.core.job.model import new_job
from lather.core.measure.adjust_readout import readout_of
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.adjustment_start import CRISP_PARTS, crisp_proposal, measured_settings
from lather.core.mending.colour_settings import (
    colour_command,
    layer_command,
    match_command,
    tone_width,
    whiten_commands,
)
from lather.core.practice.make import make_plate
from lather.core.session import Session
from lather.core.stages.finish.background import BackgroundKind

_PARTS = {"red_hands": "cheek, right", "red_ears": "cheek, right", "red_neck": "chin", "blue_forehead": "cheek, right"}


def session_of(plate) -> Session:
    photo = Photo(Picture(plate.photo), plate.photo.tobytes()[:64], "photo.png")
    session, measures = Session(photo, History(new_job(photo.source))), PhotoMeasures(photo)
    session.history.amend(SetFinds((), measures.face, measures.faces[1:]))
    return session


def labs(plate, out, sigma: float):
    """(sharp, tone) of truth, photo and result."""
    sharp = [srgb_to_lab(p) for p in (plate.truth / np.float32(65535), plate.photo / np.float32(65535), out)]
    return sharp, [cv2.GaussianBlur(lab, (0, 0), sigma) for lab in sharp]


def inside(flaw, shape) -> np.ndarray:
    mask = np.zeros(shape, np.uint8)
    cv2.fillPoly(mask, [np.round(np.array(flaw.outline) - 0.5).astype(np.int32)], 1)
    return mask > 0


def outside(session: Session, out, plate) -> float:
    """Largest change where no mask of Colour lies, in 65535ths."""
    stack, reached = session.engine.stack(session.job), np.zeros(out.shape[:2], bool)
    for index, step in enumerate(stack.steps):
        kind = session.engine.kind_of(step)
        reached |= kind.coverage_of(stack.around(index), step.layer, session.photo.bounds, 0) > 0
    change = np.abs(out - plate.photo / np.float32(65535)).max(-1)
    return float(65535 * change[~reached].max()) if (~reached).any() else 0.0


def match(sitter: str, seed: int) -> None:
    for kind, reference in _PARTS.items():
        plate = make_plate(sitter, seed, flaws={kind: 1})
        if not plate.flaws:
            continue
        session, flaw = session_of(plate), plate.flaws[0]
        command = match_command(session.engine, session.job, {"zone": reference}, {"outline": flaw.outline})
        if command is None:
            continue
        for light in (True, False):
            layer = command.layer
            layer.settings["light"] = light
            job = command.apply(session.job)
            out = session.engine.pixels(job, session.photo.bounds)
            seen = readout_of(session.engine, job, "colour", layer)
            mask = inside(flaw, plate.zones.shape) & (plate.zones == 1)
            _, tones = labs(plate, out, tone_width(session.engine, job))
            off = [float(delta_e2000(tones[n][mask], tones[0][mask]).mean()) for n in (1, 2)]
            print(f"match {sitter} {seed} {kind:13} {'with light' if light else 'colour only':11} to reference "
                  f"{seen.before:5.2f} → {seen.now:5.2f} ({100 * (1 - seen.now / seen.before):3.0f} % gone)   to truth "
                  f"{off[0]:.2f} → {off[1]:.2f}", flush=True)


def by_key(sitter: str, seed: int, flaws: dict) -> None:
    plate = make_plate(sitter, seed, flaws=flaws)
    session = session_of(plate)
    finds = [Find(str(f.id), f.kind.removesuffix("_beard"), f.x, f.y, f.size_px, f.contrast_de, 1.0, zone=f.zone,
                  outline=tuple(f.outline)) for f in plate.flaws]
    for find in finds:
        command = colour_command(session.engine, session.job, find)
        if command is not None:
            session.history.do(command)
    out = session.engine.pixels(session.job, session.photo.bounds)
    sharp, tones = labs(plate, out, tone_width(session.engine, session.job))
    for kind in dict.fromkeys(flaw.kind for flaw in plate.flaws):
        rows = []
        for flaw in (one for one in plate.flaws if one.kind == kind):
            mask = inside(flaw, plate.zones.shape)
            skin, hair = mask & (plate.zones == 1), mask & (plate.zones == 6)
            channel = 1 if kind == "redness" else 0
            was, now = (float((tones[n] - tones[0])[skin][:, channel].mean()) for n in (1, 2))
            fine = [float((s - t)[..., 0][skin].std()) for s, t in zip(sharp, tones)]
            rows.append((was, now, 100 * (now / was - 1), fine[1] / fine[0], fine[2] / fine[0],
                         *(float(np.abs(sharp[n] - sharp[0])[hair][:, 0].mean()) if hair.sum() > 20 else np.nan
                           for n in (1, 2))))
        if rows:
            table = np.array(rows)
            was, now, off, fine_was, fine_now = table[:, :5].mean(0)
            hairs = table[~np.isnan(table[:, 5]), 5:]
            print(f"{kind:12} {sitter} {seed} {len(rows)}×  {was:5.1f} → {now:5.1f}  {off:4.0f} % "
                  f"({table[:, 2].min():.0f} to {table[:, 2].max():.0f})  texture {fine_was:.2f} → {fine_now:.2f} "
                  f"({table[:, 4].min():.2f} to {table[:, 4].max():.2f})  hairs "
                  f"{' → '.join(f'{one:.1f}' for one in hairs.mean(0)) if len(hairs) else '-'}  "
                  f"outside {outside(session, out, plate):.3f}", flush=True)


def whiten(sitter: str, seed: int) -> None:
    plate = make_plate(sitter, seed, flaws={"yellow_teeth": 1, "dull_eyes": 1, "vein_eye": 2})
    session = session_of(plate)
    for command in whiten_commands(session.engine, session.job, ("eye_whites", "teeth")):
        session.history.do(command)
    out = session.engine.pixels(session.job, session.photo.bounds)
    lab = [srgb_to_lab(p) for p in (plate.truth / np.float32(65535), plate.photo / np.float32(65535), out)]
    lips = float(np.abs(lab[2] - lab[1])[plate.zones == 2].mean()) if (plate.zones == 2).any() else 0.0
    for label, name in ((3, "teeth"), (4, "eye whites")):
        mask = plate.zones == label
        if mask.sum() > 200:
            truth, was, now = (np.median(one[mask], axis=0) for one in lab)
            print(f"whiten {sitter} {seed} {name:10} L* {was[0]:.0f} → {now[0]:.0f} (clean {truth[0]:.0f})  b* "
                  f"{was[2]:.1f} → {now[2]:.1f} (clean {truth[2]:.1f}), {100 * now[2] / was[2]:.0f} % left  lips "
                  f"{lips:.3f}", flush=True)


def ground(sitter: str, seed: int) -> None:
    plate = make_plate(sitter, seed, flaws={"uneven_ground": 1})
    session = session_of(plate)
    settings = measured_settings(session.engine, session.job, "finish", "background")
    session.history.do(layer_command(session.job, BackgroundKind, "Background", settings | {"evened": 1.0}, "finish"))
    out = session.engine.pixels(session.job, session.photo.bounds)
    _, tones = labs(plate, out, 12.0)
    mask = cv2.erode((plate.zones == 0).astype(np.uint8), np.ones((41, 41))) > 0
    spread = [float(np.linalg.norm(tone[mask].std(0))) for tone in tones]
    person = cv2.erode((plate.zones == 1).astype(np.uint8), np.ones((21, 21))) > 0
    change = np.abs(out - plate.photo / np.float32(65535)).max(-1)[person].max()
    print(f"ground {sitter} {seed} spread {spread[1]:.2f} → {spread[2]:.2f} (clean {spread[0]:.2f})  skin "
          f"{65535 * change:.1f}/65535", flush=True)


def crisp(sitter: str, seed: int) -> None:
    plate = make_plate(sitter, seed, flaws={})
    session = session_of(plate)
    grain = PhotoMeasures(session.photo).grain
    for part in CRISP_PARTS:
        command = crisp_proposal(session.engine, session.job, part, grain)
        if command is not None:
            session.history.do(command)
    out = session.engine.pixels(session.job, session.photo.bounds)
    photo, now = (srgb_to_lab(p)[..., 0] for p in (plate.photo / np.float32(65535), out))
    box = np.ones((9, 9), np.uint8)
    over = max(float((now - cv2.dilate(photo, box)).max()), float((cv2.erode(photo, box) - now).max()))
    hair = plate.zones == 7
    detail = [float((x - cv2.GaussianBlur(x, (0, 0), 2.0))[hair].std()) for x in (photo, now)]
    skin = plate.zones == 1
    grains = [float((x - cv2.GaussianBlur(x, (0, 0), 1.0))[skin].std()) for x in (photo, now)]
    print(f"crisp {sitter} {seed} halo {over:.2f} L*  brows' detail ×{detail[1] / detail[0]:.2f}  skin's finest "
          f"×{grains[1] / grains[0]:.3f}  outside {outside(session, out, plate):.3f}", flush=True)


WORK = {
    "match": match, "calm": lambda sitter, seed: by_key(sitter, seed, {"redness": 4}),
    "shine": lambda sitter, seed: by_key(sitter, seed, {"shine": 4, "shine_beard": 3}), "whiten": whiten,
    "ground": ground, "crisp": crisp,
}


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--sitters", default="tilda,wren,ambrose")
    parser.add_argument("--seeds", type=int, default=4)
    parser.add_argument("--only", default=",".join(WORK))
    arguments = parser.parse_args()
    for name in arguments.only.split(","):
        for sitter in arguments.sitters.split(","):
            for seed in range(701, 701 + (1 if name == "crisp" else arguments.seeds)):
                WORK[name](sitter, seed)


if __name__ == "__main__":
    main()
