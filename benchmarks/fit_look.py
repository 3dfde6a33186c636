"""Fits the small net that looks at a patch around each spot (core/find/look.py), and says what it reaches.

    .venv/bin/python benchmarks/fit_finds.py --model spots --seeds 28 --samples /tmp/spots.npz --write
    python3 -m venv /tmp/torch; /tmp/torch/bin/pip install torch==2.13.0 onnx==1.23.2 numpy==2.4.6
    /tmp/torch/bin/python benchmarks/fit_look.py --samples /tmp/spots.npz [--write]

PyTorch is needed for the fit only: the program runs the net with OpenCV. Figures are for the last quarter of each
sitter's places, held back; --write then fits on all.
"""

import argparse
from pathlib import Path

import numpy as np
import torch
from torch import nn

OUT = Path(__file__).parents[1] / "src" / "lather" / "core" / "data" / "find" / "small" / "look.onnx"
_BATCH, _RATE = 256, 2e-3


class Look(nn.Module):
    """Patches (n, planes, 28, 28) and measured features (n, f, 1, 1) to a score (n, 1, 1, 1): log odds of a find."""

    def __init__(self, planes: int, features: torch.Tensor):
        super().__init__()
        self.usual = nn.BatchNorm2d(features.shape[1], affine=False, momentum=None)
        self.usual.running_mean, self.usual.running_var = features.mean((0, 2, 3)), features.var((0, 2, 3)) + 1e-4
        self.usual.requires_grad_(False)
        self.seen = nn.Sequential(
            nn.Conv2d(planes, 16, 3, padding=1), nn.ReLU(), nn.Conv2d(16, 16, 3, padding=1), nn.ReLU(),
            nn.MaxPool2d(2), nn.Conv2d(16, 32, 3, padding=1), nn.ReLU(), nn.MaxPool2d(2),
            nn.Conv2d(32, 48, 3, padding=1), nn.ReLU(), nn.Dropout(0.3), nn.Conv2d(48, 64, 7), nn.ReLU(),
        )
        self.measured = nn.Sequential(nn.Conv2d(features.shape[1], 48, 1), nn.ReLU(), nn.Dropout(0.1))
        self.score = nn.Sequential(nn.Conv2d(112, 48, 1), nn.ReLU(), nn.Dropout(0.2), nn.Conv2d(48, 1, 1))

    def forward(self, features, patches):
        self.usual.eval()
        measured = self.measured(torch.clamp(self.usual(features), -4, 4))
        return self.score(torch.cat([self.seen(patches), measured], 1))


def turned(patches: torch.Tensor) -> torch.Tensor:
    """Flaws look alike from all sides; the channels of another camera differ a little."""
    for side in (2, 3):
        if torch.rand(1) < 0.5:
            patches = patches.flip(side)
    if torch.rand(1) < 0.5:
        patches = patches.transpose(2, 3)
    gain = 1 + 0.15 * torch.randn(len(patches), patches.shape[1], 1, 1)
    gain[:, -1] = 1  # the last plane is skin
    return patches * gain + 0.05 * torch.randn_like(patches)


def fit(features, patches, found, rounds: int) -> Look:
    net = Look(patches.shape[1], features)
    steps = rounds * (len(found) // _BATCH)
    descent = torch.optim.AdamW(net.parameters(), _RATE, weight_decay=2e-2)
    rate = torch.optim.lr_scheduler.OneCycleLR(descent, _RATE, total_steps=steps + 1)
    noise = 0.05 * torch.sqrt(net.usual.running_var)[None, :, None, None]
    for epoch in range(rounds):
        net.train()
        order, total = torch.randperm(len(found)), 0.0
        for own in order[: len(order) // _BATCH * _BATCH].split(_BATCH):
            about = features[own] + noise * torch.randn_like(features[own])
            score = net(about, turned(patches[own]))[:, 0, 0, 0]
            loss = nn.functional.binary_cross_entropy_with_logits(score, 0.98 * found[own] + 0.005)
            descent.zero_grad()
            loss.backward()
            descent.step()
            rate.step()
            total += float(loss)
        print(f"round {epoch + 1} of {rounds}: loss {total / (len(order) // _BATCH):.4f}", flush=True)
    return net.eval()


def scores(net: Look, features, patches) -> np.ndarray:
    with torch.no_grad():
        return torch.cat([net(f, p)[:, 0, 0, 0] for f, p in zip(features.split(512), patches.split(512))]).numpy()


def loaded(path: str):
    """(features, patches, found, held back) of all sitters."""
    held, parts = np.load(path), []
    for name in sorted({key.rpartition("_")[0] for key in held.files}):
        features, labels, patches = (held[f"{name}_{i}"] for i in range(3))
        late = np.arange(len(labels)) >= 0.75 * len(labels)
        parts.append((features[:, :, None, None].astype(np.float32), patches, labels > 0, late))
    features, patches, found, late = (np.concatenate(part) for part in zip(*parts))
    return torch.from_numpy(features), torch.from_numpy(patches.astype(np.float32)), torch.from_numpy(
        found.astype(np.float32)), torch.from_numpy(late)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--samples", required=True, help="what fit_finds.py kept")
    parser.add_argument("--write", action="store_true")
    parser.add_argument("--only-write", action="store_true", help="no figures of places held back")
    parser.add_argument("--rounds", type=int, default=10)
    arguments = parser.parse_args()
    torch.manual_seed(1)
    features, patches, found, late = loaded(arguments.samples)
    print(f"{len(found)} places, {int(found.sum())} of them finds")
    if not arguments.only_write:
        net = fit(*(part[~late] for part in (features, patches, found)), arguments.rounds)
        said, true = scores(net, features[late], patches[late]), found[late].numpy() > 0
        for share in (0.85, 0.9, 0.95):
            least = np.quantile(said[true], 1 - share)
            print(f"held back: at recall {share}, precision {true[said >= least].mean():.3f}")
    if arguments.write or arguments.only_write:
        net = fit(features, patches, found, arguments.rounds)
        torch.onnx.export(
            net, (features[:2], patches[:2]), str(OUT), dynamo=False, input_names=["features", "patches"],
            output_names=["score"], dynamic_axes={"features": {0: "n"}, "patches": {0: "n"}},
        )


if __name__ == "__main__":
    main()
