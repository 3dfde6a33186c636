"""Fits the small net that proposes where a flaw may be (core/find/proposals.py), and says how selective it is.

    ./lather benchmarks fit_proposals --crops /tmp/crops [--first 1000] [--seeds 36]
    python3 -m venv /tmp/torch; /tmp/torch/bin/pip install torch==2.13.0 onnx==1.23.2 numpy==2.4.6
    /tmp/torch/bin/python benchmarks/fit_proposals.py --crops /tmp/crops --fit [--write]

First crops of made plates are cut, each with a map of where the middles of flaws are; then the net is fitted to them.
PyTorch is needed for the fit only: the program runs the net with OpenCV. Figures are for the last seeds, held back:
the share of natural cells that are as likely as the given share of flaws. The plates must be others than those that
fit_finds.py uses, as it learns how far to believe the proposals.
"""

import argparse
import sys
import time
from functools import partial
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))
OUT = Path(__file__).parents[1] / "src" / "lather" / "core" / "data" / "find" / "small" / "proposals.onnx"
FLAWS = {
    "blemish_dark": 13,
    "blemish_red": 12,
    "blemish_bright": 12,
    "mole": 4,
    "freckle": 10,
    "flake": 5,
    "scar": 1,
    "crease": 2,
    "hair_on_skin": 3,
    "vein_nose": 1,
    "makeup_fold": 1,
    "strap_mark": 1,
    "jewellery_mark": 1,
    "under_eye": 1,
    "blotch": 1,
}
_SIDE, _STRIDE = 96, 2
_ANYWHERE, _LEVELS = 40, (0.4, 0.3, 0.2, 0.1)  # crops of skin wherever it is, and on which layers
_LEAST_DE = 2.5
_HELD, _EPOCHS, _BATCH, _RATE = 4, 6, 32, 4e-3
_SEEN, _UNSURE_RIM = 72, 3  # pixels of a crop taken at a time; its outer cells, which see too little
NATURAL, MIDDLE, EITHER = 0, 1, -1


def cut_crops(folder: str, job) -> None:
    """Crops of one plate, (n, PLANES, SIDE, SIDE), their answers and log2 sizes (n, SIDE / 2, SIDE / 2), as npz."""
    import cv2
    from fit_finds import SPOTS
    from made_photos import made_photo, scene_of

    from lather.core.find.spots import proposals

    cv2.setNumThreads(1)  # two plates are worked on at a time
    name, seed = job
    rng = np.random.default_rng([77, seed, len(name)])
    plate = made_photo(name, seed, FLAWS, salt=77)
    scene = scene_of(plate.photo)
    layers = scene.layers
    spots, lines = [], []
    for flaw in plate.flaws:
        if flaw.path is not None and flaw.kind not in SPOTS:
            lines.append(([scene.to_here(*p) for p in flaw.path], (flaw.width_px or 2) / scene.step))
        else:
            known = flaw.kind in SPOTS and flaw.contrast_de >= _LEAST_DE
            spots.append((*scene.to_here(flaw.x, flaw.y), flaw.size_px / scene.step, known))
    places = []
    for x, y, size, _ in spots:
        level = int(proposals.level_of(np.array([size]), len(layers))[0])
        places.append((level, x, y))
        if rng.random() < 0.5:
            places.append((level + int(rng.choice((-1, 1))), x, y))
    ys, xs = np.nonzero(layers[0][1] > 0.5)
    for k in rng.integers(0, max(1, len(ys)), _ANYWHERE if len(ys) else 0):
        places.append((int(rng.choice(len(_LEVELS), p=_LEVELS)), xs[k], ys[k]))
    planes, crops = {}, []
    for level, x, y in places:
        if 0 <= level < len(layers):
            if level not in planes:
                planes[level] = proposals.planes(*layers[level])
            corner = (np.array([x, y]) / (1 << level) - _SIDE / 2 + rng.integers(-32, 33, 2)).astype(int) // 2 * 2
            crop = _cut(planes[level], *corner)
            if crop is not None:
                last = level == len(layers) - 1
                crops.append((crop, *_answers(spots, lines, corner, level, last, proposals.LARGEST_PX)))
    x, t, z = (np.array(part) for part in zip(*crops)) if crops else 3 * [np.empty(0)]
    np.savez(Path(folder) / f"{Path(name).stem}-{seed}.npz", planes=x, answers=t, sizes=z)


def _cut(planes: np.ndarray, x0: int, y0: int) -> np.ndarray | None:
    height, width = planes.shape[1:]
    a0, b0, a1, b1 = max(0, y0), max(0, x0), min(height, y0 + _SIDE), min(width, x0 + _SIDE)
    if min(a1 - a0, b1 - b0) < 8:
        return None
    crop = np.zeros((len(planes), _SIDE, _SIDE), np.float16)
    crop[:, a0 - y0 : a1 - y0, b0 - x0 : b1 - x0] = planes[:, a0:a1, b0:b1]
    return crop


def _answers(spots, lines, corner, level: int, last: bool, largest: float):
    """What each cell is, and log2 of size over the largest: middles of the flaws that belong to this layer. Rims,
    lines, faint flaws and flaws that nearly belong here may be said to be either."""
    import cv2

    step, cells = 1 << level, _SIDE // _STRIDE
    answers, sizes = np.zeros((cells, cells), np.int8), np.zeros((cells, cells), np.float16)
    cell = np.stack(np.meshgrid(np.arange(cells), np.arange(cells)), -1) * _STRIDE + 1.0 + corner
    for path, width in lines:
        drawn = np.zeros(answers.shape, np.uint8)
        points = np.round((np.array(path) / step - corner) / _STRIDE).astype(np.int32)
        cv2.polylines(drawn, [points], False, 1, max(1, round((width + 6) / step / _STRIDE)))
        answers[drawn > 0] = EITHER
    least, most = largest / 2 if level else 0, np.inf if last else largest
    for x, y, size, known in spots:
        off, across = np.hypot(cell[..., 0] - x / step, cell[..., 1] - y / step), size / step
        near = (off < max(1.6, 0.5 * across)) & (answers != MIDDLE)
        if known and least < across <= most:
            answers[near] = EITHER
            middle = off < max(1.5, 0.22 * across)
            answers[middle], sizes[middle] = MIDDLE, np.log2(across / largest)
        elif not known or 0.6 * least < across < 1.6 * most:
            answers[near] = EITHER
    return answers, sizes


def fit(folder: str, write: bool, without: str | None) -> None:
    import torch
    from torch import nn
    from torch.nn import functional

    def layer(there, here, side=3, stride=1):
        return nn.Sequential(nn.Conv2d(there, here, side, stride, side // 2), nn.BatchNorm2d(here), nn.ReLU())

    class Proposals(nn.Module):
        """(n, planes, h, w) to (n, 2, h / 2, w / 2): log odds of a flaw's middle, log2 of its size over the largest."""

        def __init__(self, planes: int):
            super().__init__()
            self.fine = nn.Sequential(layer(planes, 16, 5, _STRIDE), layer(16, 24))
            self.wide = nn.Sequential(
                nn.MaxPool2d(2), layer(24, 40), layer(40, 40), layer(40, 40), nn.Conv2d(40, 24, 1, bias=False),
                nn.Upsample(scale_factor=2),
            )
            self.of_fine = nn.Conv2d(24, 24, 1, bias=False)  # added to the wide, as if both were joined before it
            self.both = nn.Sequential(nn.BatchNorm2d(24), nn.ReLU(), layer(24, 24), nn.Conv2d(24, 2, 1))
            self.both[-1].bias.data[:] = torch.tensor([-5.0, -0.5])

        def forward(self, planes):
            fine = self.fine(planes)
            return self.both(self.of_fine(fine) + self.wide(fine))

    def loaded(paths):
        parts = [np.load(path) for path in paths]
        parts = [(d["planes"], d["answers"], d["sizes"]) for d in parts if len(d["planes"])]
        return [torch.from_numpy(np.concatenate(part)) for part in zip(*parts)]

    def turned(planes, answers, sizes):
        """Flaws look alike from all sides; the channels of another camera differ a little."""
        for side in (-1, -2):
            if torch.rand(1) < 0.5:
                planes, answers, sizes = (part.flip(side) for part in (planes, answers, sizes))
        if torch.rand(1) < 0.5:
            planes, answers, sizes = (part.transpose(-1, -2) for part in (planes, answers, sizes))
        gain = 1 + 0.15 * torch.randn(len(planes), planes.shape[1], 1, 1)
        gain[:, -1] = 1  # the last plane is skin
        planes = planes * gain
        planes[:, :4] += 0.04 * torch.randn_like(planes[:, :4]) * planes[:, -1:]
        x, y = (2 * int(n) for n in torch.randint(0, (_SIDE - _SEEN) // 2 + 1, (2,)))
        cells = np.s_[:, y // _STRIDE : (y + _SEEN) // _STRIDE, x // _STRIDE : (x + _SEEN) // _STRIDE]
        planes = planes[:, :, y : y + _SEEN, x : x + _SEEN].contiguous(memory_format=torch.channels_last)
        return planes, answers[cells], sizes[cells]

    def report(net, planes, answers):
        net.eval()
        with torch.no_grad():
            odds = torch.cat([net(part.float())[:, 0] for part in planes.split(128)])
        net.train()
        skin = planes[:, -1, ::_STRIDE, ::_STRIDE] > 0.3
        true, natural = odds[(answers == MIDDLE) & skin], odds[(answers == NATURAL) & skin]
        shares = (f"{r}: {(natural > true.quantile(1 - r)).float().mean():.5f}" for r in (0.8, 0.9, 0.95))
        return "natural cells as likely as that share of flaws, " + ", ".join(shares)

    torch.manual_seed(1)
    paths = sorted(path for path in Path(folder).glob("*.npz") if path.stem.rpartition("-")[0] != without)
    last = sorted({int(path.stem.rpartition("-")[2]) for path in paths})[-_HELD:]
    held = [path for path in paths if int(path.stem.rpartition("-")[2]) in last]
    planes, answers, sizes = loaded([path for path in paths if path not in held])
    held_planes, held_answers, _ = loaded(held)
    net = Proposals(planes.shape[1]).to(memory_format=torch.channels_last)
    inner = torch.zeros(_SEEN // _STRIDE, _SEEN // _STRIDE)
    inner[_UNSURE_RIM:-_UNSURE_RIM, _UNSURE_RIM:-_UNSURE_RIM] = 1
    steps = _EPOCHS * (len(planes) // _BATCH)
    descent = torch.optim.AdamW(net.parameters(), _RATE, weight_decay=1e-2)
    rate = torch.optim.lr_scheduler.OneCycleLR(descent, _RATE, total_steps=steps + 1)
    for epoch in range(_EPOCHS):
        order, total, start = torch.randperm(len(planes)), 0.0, time.time()
        for own in order[: len(order) // _BATCH * _BATCH].split(_BATCH):
            x, answer, size = turned(planes[own].float(), answers[own], sizes[own].float())
            middle = (answer == MIDDLE).float() * inner
            counts = inner * (answer != EITHER) * (x[:, -1, ::_STRIDE, ::_STRIDE] > 0.3)
            told = net(x)
            seen = functional.binary_cross_entropy_with_logits(told[:, 0], 0.98 * middle + 0.001, reduction="none")
            wide = functional.smooth_l1_loss(told[:, 1], size, reduction="none", beta=0.3)
            loss = ((seen * counts * (1 + middle)).sum() + (wide * middle).sum()) / (middle.sum() + 1)
            descent.zero_grad()
            loss.backward()
            nn.utils.clip_grad_norm_(net.parameters(), 5.0)
            descent.step()
            rate.step()
            total += loss.item()
        print(
            f"round {epoch + 1} of {_EPOCHS}, {time.time() - start:.0f} s: loss {total * _BATCH / len(order):.4f}; "
            f"{report(net, held_planes, held_answers)}",
            flush=True,
        )
    if write:
        torch.onnx.export(
            net.eval(),
            torch.zeros(2, planes.shape[1], 256, 256),
            str(OUT),
            dynamo=False,
            opset_version=13,
            input_names=["planes"],
            output_names=["told"],
            dynamic_axes={"planes": {0: "n"}},
        )


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--crops", required=True, help="folder the crops are kept in")
    parser.add_argument("--first", type=int, default=1000)
    parser.add_argument("--seeds", type=int, default=6, help="plates of each shipped sitter (default: 6)")
    parser.add_argument("--crowd", type=int, default=3, help="plates of each of the crowd (default: 3)")
    parser.add_argument("--also", metavar="FOLDER", action="append", default=[], help="more of the crowd")
    parser.add_argument("--processes", type=int, default=2)
    parser.add_argument("--without", metavar="SITTERS", help="leave these out of the fit, to see faces never met")
    parser.add_argument("--fit", action="store_true")
    parser.add_argument("--write", action="store_true")
    arguments = parser.parse_args()
    if arguments.fit:
        fit(arguments.crops, arguments.write, arguments.without)
        return
    from concurrent.futures import ProcessPoolExecutor

    from fit_finds import jobs_of

    Path(arguments.crops).mkdir(parents=True, exist_ok=True)
    jobs = [job for job in jobs_of(arguments)
            if not (Path(arguments.crops) / f"{Path(job[0]).stem}-{job[1]}.npz").exists()]
    with ProcessPoolExecutor(arguments.processes) as pool:
        list(pool.map(partial(cut_crops, arguments.crops), jobs))


if __name__ == "__main__":
    main()
