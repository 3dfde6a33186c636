"""Fits the net that says how much light a place of skin needs (core/stages/light/needed.py), and what it reaches.

    python3 -m venv /tmp/torch
    /tmp/torch/bin/pip install torch==2.13.0 onnx==1.23.2 numpy==2.4.6 opencv-python-headless==4.14.0.94
    /tmp/torch/bin/python benchmarks/fit_even.py --minutes 25 --out FILE.onnx PLATE.jpg … [--start FILE.pt]

Each plate needs NAME-even.jpg (the same picture with skin of even pigment), NAME-zones.png and NAME.json beside it.
PyTorch is needed for the fit only: the program runs the net with OpenCV.

Half of the pairs are photo and even truth, their difference scaled; half are the even truth darkened by pigment made
here. Both stand before the same camera (camera.py); the light that is missing is told of what it would have seen, and
the net sees what it took. Every other batch is seen a second time with what was said of it laid down, so that the net
knows its own work when it meets it. In: log of linear light over the median of the face, at a face width of 320 px at
the most. Out: the natural logarithm of the light that is missing, and how sure it is that this is bare skin (log odds),
both at half the scale.
"""

import argparse
import json
import time
from pathlib import Path

import cv2
import numpy as np
import torch
from camera import Camera
from torch import nn
from unet import UNet

FACE_PX, BLACK = 320, 0.02  # as core/stages/light/needed.py has them
_ROOM = 1.25  # the largest scale that a crop is taken at
_SCALES = (0.4, 1.15)  # smaller faces than FACE_PX are seen as they are
_CROP, _BATCH, _RATE = 160, 6, 4e-3
_GENTLE, _CAMERAS = 2.0, 0.7  # most cameras do little; share of the samples that went through one
_OWN_WORK_FROM = 0.15  # share of the time from which the net sees its own work again
_SCALE = 0.05  # of the light that is given: what is usual is near 1 inside the network
_CHANNELS = (20, 36, 52, 52)
_MELANIN, _BLOOD = np.float32([0.55, 0.85, 1.15]), np.float32([0.16, 1.0, 0.8])
_COLOURLESS = 0.04  # share of the blobs that are mere shade, which no network can tell
_LUMINANCE = np.float32([0.2126, 0.7152, 0.0722])


class Needed(UNet):
    """(n, 8, h, w) to (n, 2, h / 2, w / 2): light and bare skin. Sides are multiples of 16."""

    def __init__(self):
        super().__init__(8, 12, _CHANNELS, 2)
        self.register_buffer("scale", torch.tensor([_SCALE, 1.0]).reshape(1, 2, 1, 1))

    def forward(self, x):
        return super().forward(x) * self.scale


def linear(values: np.ndarray) -> np.ndarray:
    """Linear light of encoded RGB 0-1."""
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).astype(np.float32)


def encoded(values: np.ndarray) -> np.ndarray:
    """Encoded RGB 0-1 of linear light."""
    values = np.clip(values, 0, 1)
    return np.where(values <= 0.0031308, 12.92 * values, 1.055 * values ** (1 / 2.4) - 0.055).astype(np.float32)


def _picture(path: Path) -> np.ndarray:
    return linear(cv2.imread(str(path))[..., ::-1].astype(np.float32) / 255)


class Person:
    """A plate and its even truth in linear light, at 1.25 times the scale of the net; the median of the face."""

    def __init__(self, path: Path):
        marks = json.loads(path.with_suffix(".json").read_text())["landmarks"]
        width = np.hypot(*(np.subtract(marks["jaw_right"], marks["jaw_left"])))
        scale = _ROOM * FACE_PX / width
        zones = cv2.imread(str(path.with_name(f"{path.stem}-zones.png")), cv2.IMREAD_UNCHANGED)

        def sized(values):
            shape = tuple(round(n * scale) for n in zones.shape[::-1])
            return cv2.resize(values, shape, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC)

        self.skin = np.clip(sized((zones == 1).astype(np.float32)), 0, 1)
        top, left = min(y for _, y in marks.values()), min(x for x, _ in marks.values())
        low, right = max(y for _, y in marks.values()), max(x for x, _ in marks.values())
        self.face = (slice(int(top * scale), int(low * scale)), slice(int(left * scale), int(right * scale)))
        self.photo = np.maximum(sized(_picture(path)), 0).astype(np.float16)
        even = _picture(path.with_name(f"{path.stem}-even.jpg"))
        self.even = np.maximum(sized(even), 0).astype(np.float16)
        bare = self.skin[self.face] > 0.9
        self.median = np.median(self.photo[self.face][bare].astype(np.float32), axis=0)
        self.places = np.argwhere(self.skin > 0.9)
        on_face = np.zeros(self.skin.shape, bool)
        on_face[self.face] = True
        self.places_on_face = np.argwhere((self.skin > 0.9) & on_face)


def channels(seen: np.ndarray) -> np.ndarray:
    """(8, h, w) of log light (h, w, 3): itself, its bands, and bands of its colour, as needed.py has them."""
    colour = np.stack([seen.mean(-1), seen[..., 0] - seen[..., 1], seen[..., 1] - seen[..., 2]], -1)
    near, wide, wider = (cv2.GaussianBlur(colour, (0, 0), sigma) for sigma in (1.0, 10.0, 28.0))
    bands = 8 * np.concatenate([near - wide, (near - wider)[..., 1:]], -1)
    return np.ascontiguousarray(np.concatenate([seen, bands], -1).transpose(2, 0, 1), np.float32)


def noise(rng, shape, low, high) -> np.ndarray:
    field = cv2.GaussianBlur(rng.standard_normal(shape).astype(np.float32), (0, 0), rng.uniform(low, high))
    return field / max(float(field.std()), 1e-6)


def skin_colour(rng) -> np.ndarray:
    """Absorbance (3,) of melanin, of blood, or of some of both."""
    share = float(np.clip(rng.uniform(-0.4, 2.2), 0, 1))
    return share * _MELANIN + (1 - share) * _BLOOD


def pigment(rng, shape) -> np.ndarray:
    """Absorbance (h, w, 3): mottling of several sizes, and blobs of 2-8 mm."""
    out = np.zeros((*shape, 3), np.float32)
    for _ in range(rng.integers(1, 4)):
        colour = skin_colour(rng)
        out += rng.uniform(0.01, 0.05) * noise(rng, shape, 1, 9)[..., None] * colour
    ys, xs = np.mgrid[: shape[0], : shape[1]].astype(np.float32)
    for _ in range(rng.integers(3, 16)):
        radius = rng.uniform(3, 14)
        y, x = rng.uniform(0, shape[0]), rng.uniform(0, shape[1])
        turn, stretch = rng.uniform(0, np.pi), rng.uniform(1, 1.5)
        u = (np.cos(turn) * (xs - x) + np.sin(turn) * (ys - y)) * stretch
        v = -np.sin(turn) * (xs - x) + np.cos(turn) * (ys - y)
        wobble = 1 + 0.15 * np.cos(3 * np.arctan2(v, u) + rng.uniform(0, 6)) * rng.uniform(0, 1)
        mask = np.clip(1.75 - np.hypot(u, v) / (radius * wobble), 0, 1)
        mask = mask * mask * (3 - 2 * mask)
        sign, colour = 1 if rng.uniform() < 0.68 else -0.8, skin_colour(rng)
        if rng.uniform() < _COLOURLESS:
            colour = np.float32([0.8, 0.8, 0.8])
        out += sign * rng.uniform(0.06, 0.3) * mask[..., None] * colour
    return out


def sample(rng, person: Person):
    """(net's input (8, h, w), light missing (h, w), skin (h, w), how much a log step counts in L* (h, w), log light
    that was seen (h, w, 3))."""
    scale = np.exp(rng.uniform(*np.log(_SCALES)))
    side = round(_CROP * _ROOM / scale)
    places = person.places_on_face if rng.uniform() < 0.75 and len(person.places_on_face) else person.places
    y, x = places[rng.integers(len(places))] - side // 2 + rng.integers(-side // 4, side // 4 + 1, 2)

    def cut(values):
        height, width = values.shape[:2]
        rows, columns = np.clip(np.arange(y, y + side), 0, height - 1), np.clip(np.arange(x, x + side), 0, width - 1)
        return cv2.resize(values[rows][:, columns].astype(np.float32), (_CROP, _CROP), interpolation=cv2.INTER_AREA)

    photo, even, skin = cut(person.photo), cut(person.even), cut(person.skin)
    small = np.float32(1e-3)
    which = rng.uniform()
    amount = np.float32(rng.uniform(0.6, 1.6) if which < 0.4 else rng.uniform(-0.2, 0.3) if which < 0.75 else 0.8)
    seen = np.log(even + small) + amount * (np.log(photo + small) - np.log(even + small))
    if which >= 0.4:
        seen = seen - pigment(rng, skin.shape) * skin[..., None] * rng.uniform(0.6, 1.2)
    camera = Camera(rng, rng.uniform(0, 1) ** _GENTLE if rng.uniform() < _CAMERAS else 0.0)
    lit, goal = (camera.lit(encoded(part)) for part in (np.exp(seen) - small, even))
    usual = linear(camera.lit(encoded(person.median).reshape(1, 1, 3), vignette=False))[0, 0] + small
    before, after = (linear(part) @ _LUMINANCE + small for part in (lit, goal))
    light = cv2.GaussianBlur(np.log(after) - np.log(before), (0, 0), 1.0) * (skin > 0.5)
    counts = 38.7 * np.cbrt(np.clip(before, 0.003, 1))
    taken = linear(camera.taken(lit, face_px=scale * FACE_PX)) / usual
    taken = taken * np.exp(rng.normal(0, 0.08) + rng.normal(0, 0.05, 3).astype(np.float32))
    seen = np.log(np.maximum(taken, 0) + BLACK).astype(np.float32)
    if rng.uniform() < 0.5:
        seen, light, skin, counts = (np.ascontiguousarray(v[:, ::-1]) for v in (seen, light, skin, counts))
    return channels(seen), light, skin, counts, seen


def with_light(seen: np.ndarray, light: np.ndarray) -> np.ndarray:
    """Log light (h, w, 3) once the light that was said to be missing (h / 2, w / 2) is laid down."""
    wide = cv2.resize(light, seen.shape[1::-1], interpolation=cv2.INTER_LINEAR)[..., None]
    return np.log(np.maximum(np.exp(seen) - BLACK, 0) * np.exp(wide) + BLACK).astype(np.float32)


class Batches(torch.utils.data.IterableDataset):
    def __init__(self, people, seed):
        self.people, self.seed = people, seed

    def __iter__(self):
        rng = np.random.default_rng(self.seed)
        while True:
            drawn = [sample(rng, self.people[rng.integers(len(self.people))]) for _ in range(_BATCH)]
            yield tuple(torch.from_numpy(np.stack(part).astype(np.float32)) for part in zip(*drawn))


def fit(people: list[Person], minutes: float, start: str | None) -> Needed:
    net = Needed()
    if start:
        net.load_state_dict(torch.load(start))
    descent = torch.optim.AdamW(net.parameters(), _RATE, weight_decay=1e-3)
    begun, step, shown = time.time(), 0, [0.0, 0.0, 0]
    for first, light, skin, counts, log_light in Batches(people, int(begun) % 10007):
        share = (time.time() - begun) / (60 * minutes)
        if share >= 1:
            break
        for group in descent.param_groups:
            group["lr"] = _RATE * (0.75 if start else 1) * min(1, (step + 1) / 60) * (0.5 + 0.5 * np.cos(np.pi * share))
        light, skin, counts = (nn.functional.avg_pool2d(part[:, None], 2)[:, 0] for part in (light, skin, counts))
        bare = (skin > 0.9).float()
        off, loss, said = _lost(net, first, light, bare, counts)
        if step % 2 and share > _OWN_WORK_FROM:  # what is left of it, seen again
            laid = (said.detach() * bare).numpy()
            again = [channels(with_light(seen, own)) for seen, own in zip(log_light.numpy(), laid)]
            loss = loss + _lost(net, torch.from_numpy(np.stack(again)), light - torch.from_numpy(laid), bare, counts)[1]
        descent.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(net.parameters(), 2.0)
        descent.step()
        step += 1  # noqa: SIM113 - it is asked before the first batch, too
        means = ((values.detach().abs() * bare).sum() / bare.sum() for values in (off, light * counts))
        shown = [a + float(b) for a, b in zip(shown, (*means, 1))]
        if step % 25 == 0:
            print(f"step {step}, {share:.0%}: off {shown[0] / shown[2]:.3f}, alone {shown[1] / shown[2]:.3f}",
                  flush=True)
            shown = [0.0, 0.0, 0]
    return net.eval()


def _lost(net: Needed, seen, light, bare, counts):
    """(L* by which the net is off, the loss, the light that it said)."""
    out = net(seen)
    off = (out[:, 0] - light) * counts
    wide = nn.functional.avg_pool2d((off * bare)[:, None], 3, 1)[:, 0]
    by_light = ((off.abs() + 0.5 * off * off).clamp(max=20) * bare).sum() / bare.sum() + wide.abs().mean()
    return off, by_light + nn.functional.binary_cross_entropy_with_logits(out[:, 1], bare), out[:, 0]


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("plates", nargs="+", type=Path)
    parser.add_argument("--minutes", type=float, required=True)
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--start", help="weights (.pt) to go on from")
    arguments = parser.parse_args()
    torch.manual_seed(1)
    people = [person for person in map(Person, arguments.plates) if len(person.places)]
    net = fit(people, arguments.minutes, arguments.start)
    torch.save(net.state_dict(), arguments.out.with_suffix(".pt"))
    torch.onnx.export(net, torch.zeros(1, 8, 64, 64), str(arguments.out), dynamo=False, input_names=["seen"],
                      output_names=["light"], dynamic_axes={"seen": {0: "n", 2: "h", 3: "w"}})


if __name__ == "__main__":
    main()
