"""The one shape of net that is fitted here (Ronneberger et al. 2015), small enough to run on a processor."""

import torch
from torch import nn


def convolutions(inside: int, out: int) -> nn.Sequential:
    layers = []
    for before in (inside, out):
        layers += [nn.Conv2d(before, out, 3, padding=1, bias=False), nn.BatchNorm2d(out), nn.ReLU()]
    return nn.Sequential(*layers)


class UNet(nn.Module):
    """(n, inside, h, w) to (n, outside, h / 2, w / 2). first: channels after the sides are halved; channels: of each
    step down, from then on.
    """

    def __init__(self, inside: int, first: int, channels: tuple[int, ...], outside: int):
        super().__init__()
        self.first = nn.Conv2d(inside, first, 4, 2, 1)
        self.down = nn.ModuleList(convolutions(a, b) for a, b in zip((first, *channels), channels))
        self.up = nn.ModuleList(convolutions(a + b, a) for a, b in zip(channels, channels[1:]))
        self.last = nn.Conv2d(channels[0], outside, 1)

    def forward(self, x):
        x, kept = self.first(x), []
        for number, part in enumerate(self.down):
            x = part(x if number == 0 else nn.functional.max_pool2d(x, 2))
            kept.append(x)
        for number in reversed(range(len(self.up))):
            wide = nn.functional.interpolate(x, scale_factor=2, mode="nearest")
            x = self.up[number](torch.cat([kept[number], wide], 1))
        return self.last(x)
