"""Straight lines behind the person: joints, rails, frames, which show first that something was moved."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.people.outline import person_on_small
from lather.core.types import Mask

_LEAST_SHARE = 0.10  # of the short side: what is shorter is texture
_GROUND = 0.85
_MARGIN_SHARE = 0.012  # of the long side, kept from the person
_SAME_DEG, _SAME_SHARE = 3.5, 0.009  # pieces of one line: so much apart at most; of the long side
_PERSON = 0.5
_TOUCH_PX = 12.0  # of the small picture: gaps in a line that is seen throughout
_MOST = 12
_LEAST_STEP = 0.010  # of brightness across the line


@dataclass(frozen=True)
class LineBehind:
    """start, end: px on the photo. name: where it stands and how it runs. parts: what of it is seen, as
    (start, end).
    """

    start: tuple[float, float]
    end: tuple[float, float]
    name: str
    parts: tuple[tuple[tuple[float, float], tuple[float, float]], ...] = ()

    @property
    def length(self) -> float:
        """From end to end, px."""
        return float(np.hypot(self.end[0] - self.start[0], self.end[1] - self.start[1]))


def lines_behind(measures: PhotoMeasures) -> list[LineBehind]:
    """The longest lines on the ground, longest first. Pieces of one line, parted by the person, count as one."""
    small, scale = measures.small, measures.scale
    grey = small.mean(-1)
    person = person_on_small(measures.people)
    ground = _ground(measures, person)
    codes = np.clip(255 * _even_light(grey), 0, 255).astype(np.uint8)
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect(codes)[0]
    if found is None:
        return []
    least = _LEAST_SHARE * min(grey.shape) / 3
    pieces = [piece for row in found[:, 0] if (piece := _on_ground(row.reshape(2, 2).astype(float), ground, least))
              is not None and _step_across(grey, piece) > _LEAST_STEP]
    lines = []
    for group in _together(pieces, max(grey.shape)):
        ends = np.vstack(group)
        middle = ends.mean(0)
        axis = np.linalg.svd(ends - middle, full_matrices=False)[2][0]
        seen = sum(float(np.hypot(*(piece[1] - piece[0]))) for piece in group)
        if seen >= _LEAST_SHARE * min(grey.shape):
            runs = _seen(middle, axis, _runs(group, middle, axis), person)
            parts = [tuple(float(v) for v in (middle + along * axis) * scale) for run in runs for along in run]
            lines.append((seen, parts[0], parts[-1], tuple(zip(parts[0::2], parts[1::2]))))
    lines.sort(key=lambda line: -line[0])
    named: list[LineBehind] = []
    width, height = measures.photo.width, measures.photo.height
    for _, start, end, parts in lines[:_MOST]:
        name = _name(np.array(start), np.array(end), width, height)
        same = sum(one.name.split(" · ")[0] == name for one in named)
        named.append(LineBehind(start, end, f"{name} · {same + 1}" if same else name, parts))
    return named


def _runs(group: list[np.ndarray], middle: np.ndarray, axis: np.ndarray) -> list[tuple[float, float]]:
    """Where pieces lie along their line, those that touch taken together."""
    ends = sorted(tuple(sorted(((piece - middle) @ axis).tolist())) for piece in group)
    runs = [ends[0]]
    for low, high in ends[1:]:
        if low <= runs[-1][1] + _TOUCH_PX:
            runs[-1] = (runs[-1][0], max(runs[-1][1], high))
        else:
            runs.append((low, high))
    return runs


def _seen(middle: np.ndarray, axis: np.ndarray, runs: list[tuple[float, float]], person: Mask
          ) -> list[tuple[float, float]]:
    """The runs, as far as the line can be seen beside them: up to the person itself."""
    height, width = person.shape
    found = []
    for low, high in runs:
        if found and high <= found[-1][1]:
            continue
        ends = []
        for start, sign in ((low, -1), (high, 1)):
            at = start
            while True:
                x, y = middle + (at + sign) * axis
                if not (0 <= x < width and 0 <= y < height) or person[int(y), int(x)] > _PERSON:
                    break
                at += sign
            ends.append(at)
        found.append((ends[0], ends[1]))
    return found


def _ground(measures: PhotoMeasures, mask: Mask) -> Mask:
    person = (np.maximum(mask, measures.person) > 1 - _GROUND).astype(np.uint8)
    side = 2 * int(_MARGIN_SHARE * max(mask.shape)) + 1
    return 1 - cv2.dilate(person, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))


def _even_light(grey: np.ndarray) -> np.ndarray:
    """Brightness against its surroundings, so that a faint joint counts as much as a plain one."""
    wide = cv2.GaussianBlur(grey, (0, 0), 12)
    spread = np.sqrt(cv2.GaussianBlur((grey - wide) ** 2, (0, 0), 24)) + 0.012
    return 0.5 + 0.16 * (grey - wide) / spread


def _on_ground(ends: np.ndarray, ground: Mask, least: float) -> np.ndarray | None:
    """The longest part of a piece that lies on the ground, or None."""
    count = max(2, int(np.hypot(*(ends[1] - ends[0]))))
    at = ends[0] + np.linspace(0, 1, count)[:, None] * (ends[1] - ends[0])
    rows, columns = (np.clip(at[:, n].astype(int), 0, ground.shape[1 - n] - 1) for n in (1, 0))
    free = np.flatnonzero(np.diff(np.concatenate([[0], ground[rows, columns], [0]]).astype(int)))
    runs = [(b - a, a, b) for a, b in zip(free[0::2], free[1::2])]
    if not runs:
        return None
    length, a, b = max(runs)
    return at[[a, b - 1]] if length >= least else None


def _step_across(grey: np.ndarray, ends: np.ndarray) -> float:
    """How much brightness changes across a piece: an edge on one side, or a line against both."""
    along = ends[1] - ends[0]
    along = along / max(np.hypot(*along), 1e-9)
    across = np.array([-along[1], along[0]])
    at = ends[0] + np.linspace(0.05, 0.95, 24)[:, None] * (ends[1] - ends[0])
    profile = []
    for off in (-3.0, -1.5, 0.0, 1.5, 3.0):
        grid = (at + off * across).astype(np.float32)
        profile.append(float(np.median(cv2.remap(grey.astype(np.float32), grid[:, :1], grid[:, 1:], cv2.INTER_LINEAR,
                                                 borderMode=cv2.BORDER_REPLICATE))))
    return float(np.ptp(profile))


def _together(pieces: list[np.ndarray], long_side: int) -> list[list[np.ndarray]]:
    """Pieces that lie on one straight line, in groups."""
    left = sorted(pieces, key=lambda piece: -np.hypot(*(piece[1] - piece[0])))
    groups: list[list[np.ndarray]] = []
    while left:
        first = left.pop(0)
        along = first[1] - first[0]
        along = along / np.hypot(*along)
        across = np.array([-along[1], along[0]])
        group, rest = [first], []
        for piece in left:
            way = piece[1] - piece[0]
            turn = abs(np.degrees(np.arctan2(*(way / np.hypot(*way) @ np.stack([across, along], 1)))))
            turned = min(turn, 180 - turn)
            off = np.abs((piece - first[0]) @ across).max()
            (group if turned < _SAME_DEG and off < _SAME_SHARE * long_side else rest).append(piece)
        groups.append(group)
        left = rest
    return groups


def _name(start: np.ndarray, end: np.ndarray, width: int, height: int) -> str:
    middle = (start + end) / 2
    dx, dy = np.abs(end - start)
    run = "Upright" if dx < 0.27 * dy else "Level line" if dy < 0.27 * dx else "Slanting line"
    if run == "Level line":
        side = "above" if middle[1] < height / 2 else "below"
    else:
        side = "left" if middle[0] < width / 2 else "right"
    return f"{run}, {side}"
