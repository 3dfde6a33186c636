"""Fits the net that parts fine hair from what it lies on (core/stages/strands/fine_hair.py), and says how well it does.

    .venv/bin/python benchmarks/fit_down.py --crops /tmp/down [--pictures 1500]
    python3 -m venv /tmp/torch; /tmp/torch/bin/pip install torch==2.13.0 onnx==1.23.2 numpy==2.4.6
    /tmp/torch/bin/python benchmarks/fit_down.py --crops /tmp/down --fit [--write] [--minutes 40]

First crops of the crowd are cut, at the size of a close photo, with pores, furrows and cloth drawn on, and down, single
hairs and fibres over them; the same camera takes both, with the hairs and without, and their difference is the truth.
The shipped sitters are never fitted on: `down_quality.py` judges on them. PyTorch is needed for the fit only.
"""

import argparse
import sys
import time
from functools import partial
from pathlib import Path

import numpy as np

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)]
OUT = Path(__file__).parents[1] / "src" / "lather" / "core" / "data" / "strands" / "fine_hair.onnx"
_PICTURE, _SIDE = 384, 128
_BATCH, _RATE, _HELD = 24, 2e-3, 0.06
_HAIR_WEIGHS = 0.2  # of an error in hair and brows: what grows there looks as what was drawn


def cut_crops(folder: str, names: list[str], number: int) -> None:
    """Planes (n, 3, SIDE, SIDE) of one picture, the hair's share of them, and how much each pixel counts, as npz."""
    import cv2
    from camera import Camera

    from lather.core.colour.lab import srgb_to_lab
    from lather.core.stages.strands import fine_hair

    cv2.setNumThreads(1)
    rng = np.random.default_rng([31, number])
    bare, hairy, counts = scene(names[int(rng.integers(len(names)))], rng)
    seed, hard = int(rng.integers(2**31)), float(rng.uniform(0, 1)) ** 3  # down is taken out of good photos
    planes = []
    for picture in (bare, hairy):
        camera = Camera(np.random.default_rng(seed), hard)
        planes.append(fine_hair.planes(srgb_to_lab(camera.taken(camera.lit(picture)))))
    hair = planes[1] - planes[0]
    cells = [np.s_[:, y : y + _SIDE, x : x + _SIDE]
             for y in range(0, _PICTURE, _SIDE) for x in range(0, _PICTURE, _SIDE)]
    parts = [np.stack([of[cell] for cell in cells]).astype(np.float16) for of in (planes[1], hair, counts[None])]
    np.savez(Path(folder) / f"{number:05d}.npz", seen=parts[0], hair=parts[1], counts=parts[2])


def scene(name: str, rng) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(bare, hairy, counts): encoded RGB (PICTURE, PICTURE, 3) without and with fine hairs, and weights (h, w)."""
    import cv2

    from lather.core.colour import srgb
    from lather.core.practice.flaws import down
    from lather.core.practice.sitters import BROWS, CLOTHING, HAIR, SKIN

    photo = cv2.imread(name)[..., ::-1].astype(np.float32) / 255
    zones = cv2.imread(name.replace(".jpg", "-zones.png"), cv2.IMREAD_UNCHANGED)
    wanted = SKIN if rng.random() < 0.85 else CLOTHING
    ys, xs = np.nonzero(zones == wanted if (zones == wanted).any() else zones == SKIN)
    at = int(rng.integers(len(xs)))
    larger = float(np.exp(rng.uniform(np.log(1.0), np.log(4.0))))
    side = int(_PICTURE / larger) + 1
    x0 = int(np.clip(xs[at] - rng.integers(side), 0, photo.shape[1] - side))
    y0 = int(np.clip(ys[at] - rng.integers(side), 0, photo.shape[0] - side))
    part = np.s_[y0 : y0 + side, x0 : x0 + side]
    size = (_PICTURE, _PICTURE)
    linear = srgb.decode(np.clip(cv2.resize(photo[part], size, interpolation=cv2.INTER_CUBIC), 0, 1))
    zones = cv2.resize(zones[part], size, interpolation=cv2.INTER_NEAREST)
    per_mm = float(np.exp(rng.uniform(np.log(1.5), np.log(12.0))))
    skin = cv2.GaussianBlur((zones == SKIN).astype(np.float32), (0, 0), 1.5)
    cloth = cv2.GaussianBlur((zones == CLOTHING).astype(np.float32), (0, 0), 1.5)
    linear = linear * np.exp(skin * _relief(rng, per_mm) + cloth * _weave(rng, per_mm))[..., None]
    linear = linear.astype(np.float32)
    hairy = linear
    where = np.maximum(skin, cloth if rng.random() < 0.5 else 0)
    if rng.random() < 0.85:
        for _ in range(int(rng.integers(1, 4))):
            hairy = down.lay(hairy, down.cover_of(_fur(rng, linear, where), _patch(rng, where), per_mm, rng),
                             _hair_colour(rng, linear, where))
    for _ in range(int(rng.integers(0, 12))):
        hairy = _fibre(hairy, rng, per_mm, where, _hair_colour(rng, linear, where))
    own = cv2.dilate(np.isin(zones, (HAIR, BROWS)).astype(np.uint8), np.ones((9, 9), np.uint8))
    return (*(srgb.encode(np.clip(of, 0, 1)) for of in (linear, hairy)), np.where(own > 0, _HAIR_WEIGHS, 1.0))


def _noise(rng, sigma: float) -> np.ndarray:
    """A field of spread 1, as coarse as sigma px."""
    import cv2

    rough = max(1.0, sigma / 2)
    side = int(_PICTURE / rough) + 4
    field = cv2.GaussianBlur(rng.standard_normal((side, side)).astype(np.float32), (0, 0), max(0.3, sigma / rough))
    field = cv2.resize(field, (_PICTURE, _PICTURE), interpolation=cv2.INTER_CUBIC)
    return field / max(float(field.std()), 1e-6)


def _relief(rng, per_mm: float) -> np.ndarray:
    """What pores, furrows and bumps do to the light, natural logarithm: nothing of it is a hair."""
    import cv2

    size = max(0.5, per_mm * rng.uniform(0.08, 0.3))
    ground = rng.uniform(0, 0.06) * _noise(rng, size) + rng.uniform(0, 0.05) * _noise(rng, 2.5 * size)
    if rng.random() < 0.3:  # furrows, softer than a hair: where two fields change their sign
        net = np.minimum(np.abs(_noise(rng, 3 * size)), np.abs(_noise(rng, 3 * size)))
        furrows = np.exp(-((net / rng.uniform(0.15, 0.3)) ** 2))
        ground -= rng.uniform(0.02, 0.1) * cv2.GaussianBlur(furrows, (0, 0), max(1.2, 0.5 * size))
    if rng.random() < 0.8:  # pores
        dots = np.zeros((_PICTURE, _PICTURE), np.float32)
        count = int(rng.uniform(0.2, 2.0) * (_PICTURE / per_mm) ** 2)
        at = rng.integers(0, _PICTURE, (2, min(count, 20000)))
        dots[at[0], at[1]] = rng.uniform(0.3, 1, at.shape[1])
        radius = max(0.5, per_mm * rng.uniform(0.05, 0.14))
        pits = cv2.GaussianBlur(dots, (0, 0), radius) * 2 * np.pi * radius**2
        ground -= rng.uniform(0.03, 0.3) * np.minimum(pits, 1.5)
        if rng.random() < 0.5:  # they glitter
            moved = np.roll(pits, (int(rng.integers(-2, 3)), int(rng.integers(-2, 3))), (0, 1))
            ground += rng.uniform(0.02, 0.15) * np.minimum(moved, 1.5)
    if rng.random() < 0.4:  # creases, wider than a hair
        for _ in range(int(rng.integers(1, 5))):
            wide = max(2.5, per_mm * rng.uniform(0.4, 0.9))
            ground += rng.uniform(-0.4, 0.15) * _stroke(rng, rng.uniform(60, 300), wide)
    return np.clip(ground, -0.8, 0.5)


def _weave(rng, per_mm: float) -> np.ndarray:
    """Threads of cloth, natural logarithm of light: they run one way, and hairs do not follow them."""
    ys, xs = np.mgrid[:_PICTURE, :_PICTURE].astype(np.float32)
    turn, period = rng.uniform(0, np.pi), rng.uniform(2.2, 12.0)
    bent = rng.uniform(0, 1.2) * _noise(rng, 30)
    u = (np.cos(turn) * xs + np.sin(turn) * ys) * 2 * np.pi / period + bent
    v = (-np.sin(turn) * xs + np.cos(turn) * ys) * 2 * np.pi / (period * rng.uniform(0.8, 3)) + bent
    threads = np.sin(u) * (1 if rng.random() < 0.4 else np.sin(v))
    return rng.uniform(0, 0.25) * threads + rng.uniform(0, 0.12) * _noise(rng, rng.uniform(0.6, 3))


def _stroke(rng, length: float, width: float) -> np.ndarray:
    """A soft line somewhere, 0-1."""
    import cv2

    from lather.core.practice.flaws.lines import wander

    path = wander(rng, *rng.uniform(0, _PICTURE, 2), length, rng.uniform(0, 2 * np.pi), 1.2)
    drawn = np.zeros((_PICTURE, _PICTURE), np.uint8)
    cv2.polylines(drawn, [np.round(path * 16).astype(np.int32)], False, 255, max(1, round(0.7 * width)), cv2.LINE_AA, 4)
    return cv2.GaussianBlur(drawn, (0, 0), 0.35 * width).astype(np.float32) / 255


def _patch(rng, where: np.ndarray) -> np.ndarray:
    """Some of a mask: down is never everywhere."""
    if rng.random() < 0.4:
        return where
    return (where * np.clip(_noise(rng, 50) + rng.uniform(-0.2, 0.8), 0, 1)).astype(np.float32)


def _fur(rng, linear, where):
    from lather.core.practice.flaws.down import Fur

    thin = rng.uniform(0.02, 0.06)
    return Fur(float(np.exp(rng.uniform(np.log(0.06), np.log(1.6)))), rng.uniform(0, 2 * np.pi), np.zeros(3),
               spread=rng.uniform(0.1, 0.8), length_mm=(rng.uniform(0.6, 2.0), rng.uniform(2.5, 9.0)),
               width_mm=(thin, thin * rng.uniform(1.2, 2.5)))


def _hair_colour(rng, linear, where) -> np.ndarray:
    """Linear RGB: much paler or darker than what lies under it, tinted."""
    own = where > 0.5
    under = np.median(linear[own], axis=0) if own.any() else np.full(3, 0.2)
    tint = np.array([1.0, rng.uniform(0.75, 1.0), rng.uniform(0.5, 1.0)])
    if rng.random() < 0.5:
        return np.clip(under.mean() * tint * np.exp(rng.uniform(0.3, 1.2)) + 0.02, 0, 1)
    return under.mean() * tint * rng.uniform(0.05, 0.6)


def _fibre(linear, rng, per_mm: float, where, colour) -> np.ndarray:
    """One hair or curled fibre, its width up to three pixels, with a faint shadow."""
    import cv2

    from lather.core.practice.flaws.lines import wander

    ys, xs = np.nonzero(where > 0.5)
    if not len(xs):
        return linear
    at = int(rng.integers(len(xs)))
    length = float(np.clip(per_mm * rng.uniform(4, 25), 12, 300))
    path = wander(rng, xs[at], ys[at], length, rng.uniform(0, 2 * np.pi), rng.choice([0.7, 2.5, 6.0]), 60)
    wide = float(np.clip(per_mm * rng.uniform(0.06, 0.3), 0.25, 3.0))
    drawn = np.zeros(where.shape, np.uint8)
    cv2.polylines(drawn, [np.round(path * 16).astype(np.int32)], False, int(255 * min(1, wide)), max(1, round(wide)),
                  cv2.LINE_AA, 4)
    cover = cv2.GaussianBlur(drawn, (0, 0), 0.45).astype(np.float32)[..., None] / 255
    if rng.random() < 0.5:
        shade = cv2.GaussianBlur(np.roll(cover[..., 0], (1, 1), (0, 1)), (0, 0), 1.0)[..., None]
        linear = linear * (1 - rng.uniform(0, 0.3) * shade)
    return (linear + cover * (colour - linear)).astype(np.float32)


def fit(folder: str, write: bool, minutes: float) -> None:
    import torch
    from torch import nn
    from unet import convolutions

    class FineHair(nn.Module):
        """(n, 3, h, w) to the same shape: what of the planes is fine hair. Works at half the sides throughout."""

        def __init__(self):
            super().__init__()
            self.first = nn.Conv2d(3, 32, 4, 2, 1)
            self.here = convolutions(32, 32)
            self.down = convolutions(32, 48)
            self.up = convolutions(80, 32)
            self.last = nn.ConvTranspose2d(32, 3, 4, 2, 1)

        def forward(self, x):
            here = self.here(torch.relu(self.first(x)))
            wide = self.down(nn.functional.max_pool2d(here, 2))
            wide = nn.functional.interpolate(wide, scale_factor=2, mode="nearest")
            return self.last(self.up(torch.cat([here, wide], 1)))

    torch.manual_seed(3)
    torch.set_num_threads(2)
    paths = sorted(Path(folder).glob("*.npz"))
    parts = [np.load(path) for path in paths]
    seen, hair, counts = (torch.from_numpy(np.concatenate([part[name] for part in parts]))
                          for name in ("seen", "hair", "counts"))
    held = int(len(seen) * _HELD)
    net = FineHair().to(memory_format=torch.channels_last)
    descent = torch.optim.AdamW(net.parameters(), _RATE, weight_decay=1e-3)
    began, step, total = time.time(), 0, 0.0

    def share_left() -> tuple[float, float]:
        """(of the hairs' energy after they are taken out, of what is no hair that is taken too)."""
        net.eval()
        with torch.no_grad():
            told = torch.cat([net(part.float()) for part in seen[-held:].split(64)])
        net.train()
        truth, bare = hair[-held:].float(), seen[-held:].float() - hair[-held:].float()
        weight = counts[-held:].float()
        return (float(((told - truth) ** 2 * weight).sum() / (truth**2 * weight).sum()),
                float((told * bare * weight).sum() / (bare**2 * weight).sum()))

    while (done := (time.time() - began) / 60 / minutes) < 1:
        for group in descent.param_groups:
            group["lr"] = _RATE * min(1, step / 200) * 0.5 * (1 + np.cos(np.pi * min(1, done)))
        own = torch.randint(0, len(seen) - held, (_BATCH,))
        x, t, w = seen[own].float(), hair[own].float(), counts[own].float()
        for side in (-1, -2):
            if torch.rand(1) < 0.5:
                x, t, w = (part.flip(side) for part in (x, t, w))
        if torch.rand(1) < 0.5:
            x, t, w = (part.transpose(-1, -2) for part in (x, t, w))
        gain = torch.exp(torch.empty(len(x), 1, 1, 1).uniform_(-0.5, 0.4))
        if torch.rand(1) < 0.5:
            gain = -gain  # pale on dark is dark on pale
        x, t = x * gain, t * gain
        off = (net(x) - t) * w
        usual = (t**2).mean((1, 2, 3), keepdim=True) + 0.004  # faint down counts as strong does
        loss = (off**2 / usual).mean() + 0.3 * (off.abs() / usual.sqrt()).mean()
        descent.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(net.parameters(), 1.0)
        descent.step()
        step, total = step + 1, total + loss.item()
        if step % 250 == 0:
            left, taken = share_left()
            print(f"step {step}, {(time.time() - began) / 60:.1f} min: loss {total / 250:.3f}; energy left {left:.3f}, "
                  f"taken of the rest {taken:.4f}", flush=True)
            total = 0.0
    if write:
        OUT.parent.mkdir(parents=True, exist_ok=True)
        net = net.eval().to(memory_format=torch.contiguous_format)
        torch.onnx.export(net, torch.zeros(1, 3, 256, 256), str(OUT), dynamo=False, opset_version=13,
                          input_names=["seen"], output_names=["hair"],
                          dynamic_axes={"seen": {2: "h", 3: "w"}, "hair": {2: "h", 3: "w"}})


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--crops", required=True, help="folder the crops are kept in")
    parser.add_argument("--pictures", type=int, default=1500)
    parser.add_argument("--processes", type=int, default=2)
    parser.add_argument("--minutes", type=float, default=40.0, help="of the fit (default: 40)")
    parser.add_argument("--fit", action="store_true")
    parser.add_argument("--write", action="store_true")
    arguments = parser.parse_args()
    if arguments.fit:
        fit(arguments.crops, arguments.write, arguments.minutes)
        return
    from concurrent.futures import ProcessPoolExecutor

    from made_photos import crowd_of

    Path(arguments.crops).mkdir(parents=True, exist_ok=True)
    names = crowd_of([])
    todo = [n for n in range(arguments.pictures) if not (Path(arguments.crops) / f"{n:05d}.npz").exists()]
    with ProcessPoolExecutor(arguments.processes) as pool:
        list(pool.map(partial(cut_crops, arguments.crops, names), todo, chunksize=8))


if __name__ == "__main__":
    main()
