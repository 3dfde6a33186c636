"""Fits the net that says what each pixel around a head is (core/people/parsing.py), on people who do not exist.

    python3 -m venv /tmp/torch
    /tmp/torch/bin/pip install torch==2.13.0 onnx==1.23.2 numba==0.68.1 scipy==1.17.1 numpy==2.4.6 \\
        opencv-python-headless==4.14.0.94
    /tmp/torch/bin/python benchmarks/fit_parts.py --crowd ../shared/crowd MORE … --make ../shared/plates/make \\
        --minutes 60 --out parts.onnx [--start FILE.pt]

Each person needs NAME.jpg, NAME-zones.png, NAME-alpha.png and NAME.json (see ../shared/crowd/README.md; more of them
are drawn by plates/make/crowd.py). Held out: p0047 to p0061, on which benchmarks/parts_quality.py judges, and all
plates.
"""

import argparse
import multiprocessing
import sys
import time
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np
import torch
from torch import nn

sys.path[:0] = [str(Path(__file__).parents[1] / "src"), str(Path(__file__).parent)]
from camera import photographed
from truths import Truth, held_out, load_truth
from unet import UNet

from lather.core.face.crop import Crop
from lather.core.people import parsing
from lather.core.people.parsing import FAR, MIDDLE, NEAR, PARTS, SIDE

_CHANNELS, _FIRST = (24, 40, 64, 80, 80), 16
_BATCH, _RATE, _WARM = 8, 4e-3, 80
_VIEWS, _OFTEN = (NEAR, MIDDLE, FAR), (0.42, 0.31, 0.27)
_NUMBER = {name: number for number, name in enumerate(PARTS)}
_WEIGHTS = {"ground": 0.8, "beard": 1.5, "brows": 2.0, "lips": 1.5, "teeth": 2.0, "mouth": 1.5, "eye white": 2.5,
            "iris": 2.5, "other": 1.2}
_DICE = 0.4
_GROUNDS = 90


def new_net() -> UNet:
    """(n, 6, h, w) to (n, 4 parts, h / 2, w / 2): what `parsing.shares` puts together."""
    return UNet(6, _FIRST, _CHANNELS, 4 * len(PARTS))


@dataclass
class Layer:
    """One person laid into a square: colour (S, S, 3), parts (S, S), alpha and mask (S, S), mesh in its px or None."""

    colour: np.ndarray
    parts: np.ndarray
    alpha: np.ndarray
    mask: np.ndarray
    mesh: np.ndarray | None
    ends: np.ndarray = field(default=None)  # False where the picture of this person ends


def laid(person: Truth, crop: Crop, rng) -> Layer:
    level = int(np.clip(np.floor(np.log2(max(crop.side / SIDE, 1))), 0, 3))
    scale = 1 << level
    coarse = Crop(tuple(v / scale for v in crop.middle), crop.side / scale, crop.angle, SIDE, crop.mirrored)
    colour = coarse.cut(person.levels[level][..., :3]) / 255
    alpha = coarse.cut(person.levels[level][..., 3:]) / 255
    parts = _nearest(person.parts, crop)
    ends = _nearest(np.ones(person.parts.shape, np.uint8), crop) > 0
    mesh = crop.to_crop(person.mesh) if person.mesh is not None else None
    if rng.random() < 0.5 and person.mask is not None:
        k = person.parts.shape[1] / person.mask.shape[1]
        wide = Crop(tuple(v / k for v in crop.middle), crop.side / k, crop.angle, SIDE, crop.mirrored)
        mask = wide.cut(np.dstack([person.mask] * 3))[..., 0]
    else:
        mask = _coarse_mask(alpha, crop.side / person.head.size, rng)
    return Layer(colour, parts, alpha, mask, mesh, ends)


def _nearest(values, crop: Crop):
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    whole = np.linalg.inv(shift) @ np.vstack([crop.to_crop_matrix, [0, 0, 1]]) @ shift
    return cv2.warpAffine(values, whole[:2], (SIDE, SIDE), flags=cv2.INTER_NEAREST)


def _coarse_mask(alpha, across: float, rng):
    """As the pose network gives it: 256 px for some six heights of a face, with pieces too much and too little."""
    pixel = SIDE / across * 7 / 256  # of the network, in px here
    mask = (alpha > 0.5).astype(np.float32)
    for _ in range(rng.integers(0, 3)):
        x, y = rng.integers(0, SIDE, 2)
        axes = tuple(int(v) for v in rng.uniform(1, 14, 2) * pixel)
        cv2.ellipse(mask, (int(x), int(y)), axes, rng.uniform(0, 180), 0, 360, float(rng.random() < 0.3), -1)
    shifted = np.float32([[1, 0, rng.normal(0, pixel)], [0, 1, rng.normal(0, pixel)]])
    mask = cv2.warpAffine(mask, shifted, (SIDE, SIDE), borderMode=cv2.BORDER_REPLICATE)
    mask = cv2.GaussianBlur(mask, (0, 0), max(0.6, rng.uniform(0.7, 2.5) * pixel))
    return np.clip(0.5 + rng.uniform(1, 3) * (mask - rng.uniform(0.35, 0.65)), 0, 1)


def sample(rng, people: list[Truth], grounds: list[np.ndarray]):
    """(what the net takes (6, S, S), parts (S, S))."""
    person = people[rng.integers(len(people))]
    across, below = _VIEWS[rng.choice(3, p=_OFTEN)]
    if across > 5 and rng.random() < 0.5 and (bodies := [p for p in people if p.is_body]):
        person = bodies[rng.integers(len(bodies))]
    head = person.head
    across *= np.exp(rng.normal(0, 0.14))
    below += rng.normal(0, 0.06 * across)
    if across > 6 and rng.random() < 0.3:
        below += rng.uniform(0, 4)
    crop = parsing.view(head, across, below)
    middle = np.array(crop.middle) + rng.normal(0, 0.04, 2) * crop.side
    crop = Crop(tuple(middle), crop.side, head.angle + np.radians(rng.normal(0, 9)), SIDE, bool(rng.random() < 0.5))
    me = laid(person, crop, rng)
    face_px = SIDE / across
    fresh = rng.random() < 0.75 or not me.ends.all()
    colour, parts = me.colour, me.parts.copy()
    others = np.zeros((SIDE, SIDE), np.float32)
    mine = me.mask
    if me.mesh is not None:
        _worn(me, rng, face_px)
    if fresh:
        back = ground(rng, grounds)
        parts_behind = np.zeros((SIDE, SIDE), np.uint8)
        for _ in range(rng.choice(3, p=(0.5, 0.35, 0.15))):
            other = _somebody(rng, people, face_px)
            back = back * (1 - other.alpha[..., None]) + other.colour * other.alpha[..., None]
            parts_behind = np.where(other.alpha > 0.5, other.parts, parts_behind)
            others = np.maximum(others, other.mask * (1 - mine))
        colour = back * (1 - me.alpha[..., None]) + me.colour * me.alpha[..., None]
        parts = np.where((me.alpha > 0.5) | (me.parts > 0), me.parts, parts_behind)
        if rng.random() < 0.15:
            other = _somebody(rng, people, face_px, near=True)
            colour = colour * (1 - other.alpha[..., None]) + other.colour * other.alpha[..., None]
            parts = np.where(other.alpha > 0.5, other.parts, parts)
            mine, others = mine * (1 - other.mask), np.maximum(others * (1 - other.mask), other.mask)
        low = np.flatnonzero(~me.ends.any(1))
        low = low[low > SIDE // 2]
        if len(low):  # the body is cut off below: the picture ends, or something stands before it
            y = low[0]
            end = 0 if rng.random() < 0.6 else ground(rng, grounds)[y:]
            colour[y:], parts[y:], mine[y:], others[y:] = end, 0, 0, 0
    colour = photographed(colour.astype(np.float32), rng, face_px=face_px)
    shapes = None
    if me.mesh is not None and rng.random() < 0.85:
        mesh = me.mesh + rng.normal(0, 0.012, 2) * face_px
        shapes = parsing.drawn_shapes(mesh)
    region = parsing.face_region(shapes) if shapes is not None else _disc(crop, head)
    gain = parsing.gain_for(colour, region) * np.exp(rng.normal(0, 0.15))
    whose = parsing.other_people(mine, others) if rng.random() < 0.82 else None
    return parsing.channels(colour, gain, whose, shapes), parts


def _disc(crop: Crop, head) -> np.ndarray:
    x, y = crop.to_crop(np.array([head.middle]))[0]
    out = np.zeros((SIDE, SIDE), np.float32)
    cv2.circle(out, (round(x), round(y)), max(2, round(0.35 * head.size * SIDE / crop.side)), 1.0, -1)
    return out


def _somebody(rng, people, face_px: float, near: bool = False) -> Layer:
    """Somebody else, beside or behind."""
    other = people[rng.integers(len(people))]
    size = face_px * rng.uniform(0.65, 1.25)
    away = rng.choice([-1, 1]) * rng.uniform(0.9 if not near else 1.1, 2.5) * face_px
    x, y = SIDE / 2 + away, SIDE / 2 + rng.normal(0, 0.5) * face_px
    side = SIDE * other.head.size / size
    middle = np.array(other.head.middle) - (np.array([x, y]) - SIDE / 2) * side / SIDE
    layer = laid(other, Crop(tuple(middle), side, 0.0, SIDE), rng)
    return layer


def ground(rng, grounds) -> np.ndarray:
    wide = grounds[rng.integers(len(grounds))]
    side = int(rng.uniform(0.35, 1) * min(wide.shape[:2]))
    y, x = (rng.integers(0, n - side + 1) for n in wide.shape[:2])
    out = cv2.resize(wide[y : y + side, x : x + side], (SIDE, SIDE), interpolation=cv2.INTER_LINEAR)
    return out.astype(np.float32) / 255


def _worn(me: Layer, rng, face_px: float) -> None:
    """Glasses, jewellery, a hat, or a hand before the face, drawn over somebody."""
    what, mesh, size = rng.random(), me.mesh, face_px
    if what < 0.10:
        tone = rng.uniform(0, 0.9, 3) if rng.random() < 0.4 else np.full(3, rng.uniform(0, 0.2))
        wide = max(1, round(rng.uniform(0.012, 0.05) * size))
        for outline in (parsing.EYES["left"], parsing.EYES["right"]):
            points = mesh[list(outline)]
            middle, reach = points.mean(0), np.ptp(points, axis=0).max()
            axes = tuple(max(1, round(v * reach)) for v in (rng.uniform(0.75, 0.95), rng.uniform(0.5, 0.85)))
            _drawn(me, lambda at, axes=axes, middle=middle: cv2.ellipse(
                at, tuple(int(v) for v in middle), axes, 0, 0, 360, 1, wide), tone, "other")
        left, right = (mesh[n] for n in (133, 362))
        _drawn(me, lambda at: cv2.line(at, *(tuple(int(v) for v in p) for p in (left, right)), 1, wide), tone, "other")
    elif what < 0.18:  # a chain round the neck, or earrings
        tone, chin, eyes = rng.uniform(0.2, 1, 3), mesh[152], mesh[[33, 263]].mean(0)
        down = (chin - eyes) / max(np.hypot(*(chin - eyes)), 1)
        across = np.array([down[1], -down[0]])
        if rng.random() < 0.5:
            turn = np.linspace(-1, 1, 24)[:, None]
            low = rng.uniform(0.35, 0.9)
            line = chin + size * (0.55 * turn * across + (low - 0.45 * turn**2) * down)
            places = [np.round(line).astype(np.int32)]
            wide = max(1, round(rng.uniform(0.01, 0.03) * size))
            _drawn(me, lambda at: cv2.polylines(at, places, False, 1, wide), tone, "other")
        else:
            for n in (177, 401):
                at_ear = mesh[n] + (mesh[n] - mesh[1]) * 0.12
                axes = tuple(max(1, round(v * size)) for v in rng.uniform(0.02, 0.07, 2))
                _drawn(me, lambda at, axes=axes, at_ear=at_ear: cv2.ellipse(
                    at, tuple(int(v) for v in at_ear), axes, 0, 0, 360, 1, -1), tone, "other")
    elif what < 0.23:  # a hat
        top, eyes, chin = mesh[10], mesh[[33, 263]].mean(0), mesh[152]
        up = (eyes - chin) / max(np.hypot(*(eyes - chin)), 1)
        across = np.array([-up[1], up[0]])
        rim = top + rng.uniform(-0.15, 0.1) * size * up
        shape = [rim - 0.75 * size * across, rim - 0.6 * size * across + 0.8 * size * up,
                 rim + 0.6 * size * across + 0.8 * size * up, rim + 0.75 * size * across]
        tone = rng.uniform(0, 0.9, 3)
        corners = [np.round(np.array(shape)).astype(np.int32)]
        _drawn(me, lambda at: cv2.fillPoly(at, corners, 1), tone, "cloth", shade=0.25)
    elif what < 0.31:  # fingers
        inside = me.parts == _NUMBER["skin"]
        if inside.sum() < 50:
            return
        tone = np.median(me.colour[inside], axis=0) * rng.uniform(0.75, 1.15)
        start = mesh[rng.choice([152, 234, 454, 10])] + rng.normal(0, 0.15, 2) * size
        way = rng.normal(0, 1, 2)
        way /= max(np.hypot(*way), 1e-3)
        beside = np.array([-way[1], way[0]])
        wide = rng.uniform(0.10, 0.15) * size
        for n in range(rng.integers(2, 5)):
            a = start + n * 1.05 * wide * beside
            b = a + rng.uniform(0.4, 0.8) * size * way
            ends = [tuple(int(v) for v in p) for p in (a, b)]
            _drawn(me, lambda at, ends=ends: cv2.line(at, *ends, 1, max(1, round(wide))), tone, "skin", shade=0.3)


def _drawn(me: Layer, draw, tone, part: str, shade: float = 0.1) -> None:
    at = np.zeros((SIDE, SIDE), np.uint8)
    draw(at)
    inner = cv2.distanceTransform(at, cv2.DIST_L2, 3)
    light = (1 - shade + shade * np.clip(inner / max(inner.max(), 1), 0, 1))[..., None]
    me.colour[at > 0] = (np.asarray(tone, np.float32) * light)[at > 0]
    me.parts[at > 0] = _NUMBER[part]
    me.alpha[at > 0] = 1


def _make_samples(seed: int, people, grounds, queue) -> None:
    cv2.setNumThreads(1)
    rng = np.random.default_rng(seed)
    while True:
        made = [sample(rng, people, grounds) for _ in range(_BATCH)]
        queue.put((np.stack([one[0] for one in made]), np.stack([one[1] for one in made])))


def loss_of(out, truth, weights):
    """Cross entropy, and what the overlaps lack (Milletari et al. 2016) of the parts that are there."""
    logits = nn.functional.pixel_shuffle(out, 2)
    entropy = nn.functional.cross_entropy(logits, truth, weights)
    y, x = torch.randint(0, 2, (2,)).tolist()  # a quarter of the pixels, another one each time, tells the overlaps
    shares, truth = torch.softmax(logits[..., y::2, x::2], 1), truth[..., y::2, x::2]
    wanted = nn.functional.one_hot(truth, len(PARTS)).permute(0, 3, 1, 2).float()
    both, all_of = (shares * wanted).sum((0, 2, 3)), (shares + wanted).sum((0, 2, 3))
    there = wanted.sum((0, 2, 3)) > 15
    return entropy + _DICE * (1 - (2 * both + 5) / (all_of + 5))[there].mean()


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--crowd", nargs="+", required=True, help="folders of made-up people")
    parser.add_argument("--make", required=True, help="the folder of crowd.py")
    parser.add_argument("--minutes", type=float, default=60)
    parser.add_argument("--out", required=True)
    parser.add_argument("--start")
    parser.add_argument("--rate", type=float, default=_RATE)
    arguments = parser.parse_args()
    sys.path.append(arguments.make)
    import crowd

    names = [path.with_name(path.name.replace("-zones.png", "")) for folder in arguments.crowd
             for path in sorted(Path(folder).glob("p*-zones.png"))]
    names = [name for name in names if name.name not in held_out() and name.with_suffix(".jpg").exists()]
    people = [load_truth(name, crowd) for name in names]
    print(f"{len(people)} people, {sum(p.mesh is not None for p in people)} with a face map, "
          f"{sum(p.mask is not None for p in people)} with a mask", flush=True)
    grounds = [(np.clip(crowd.behind(512, 512, 7000 + n), 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
               for n in range(_GROUNDS)]
    fresh = multiprocessing.get_context("spawn")  # OpenCV's threads do not live through a fork
    queue = fresh.Queue(6)
    makers = [fresh.Process(target=_make_samples, args=(seed, people, grounds, queue), daemon=True)
              for seed in range(2)]
    for maker in makers:
        maker.start()
    torch.set_num_threads(2)
    net = new_net()
    if arguments.start:
        net.load_state_dict(torch.load(arguments.start))
    weights = torch.tensor([_WEIGHTS.get(name, 1.0) for name in PARTS])
    optimizer = torch.optim.AdamW(net.parameters(), arguments.rate, weight_decay=1e-4)
    began, step, mean, saved = time.time(), 0, None, time.time()
    net = net.to(memory_format=torch.channels_last)
    while (done := (time.time() - began) / (60 * arguments.minutes)) < 1:
        for group in optimizer.param_groups:
            group["lr"] = arguments.rate * min(1, step / _WARM + 0.05) * (0.5 + 0.5 * np.cos(np.pi * done))
        x, truth = queue.get()
        x = torch.from_numpy(x).to(memory_format=torch.channels_last)
        loss = loss_of(net(x), torch.from_numpy(truth.astype(np.int64)), weights)
        optimizer.zero_grad()
        loss.backward()
        optimizer.step()
        step += 1
        mean = loss.item() if mean is None else 0.97 * mean + 0.03 * loss.item()
        if step % 50 == 0:
            print(f"{step} {time.time() - began:.0f} s, loss {mean:.3f}, waiting {queue.qsize()}", flush=True)
        if time.time() - saved > 600:
            saved = time.time()
            write(net, Path(arguments.out))
    write(net, Path(arguments.out))


def write(net: UNet, out: Path) -> None:
    torch.save(net.state_dict(), out.with_suffix(".pt"))
    net.eval()
    torch.onnx.export(net, torch.zeros(1, 6, SIDE, SIDE), str(out), input_names=["seen"], output_names=["parts"],
                      dynamo=False)
    net.train()


if __name__ == "__main__":
    main()
