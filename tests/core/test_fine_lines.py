"""Single fine hairs and fibres: traced where they lie, never the threads of cloth, pores, or a field of down."""

import unittest
from types import SimpleNamespace

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.find.finder import one_for_one_hair
from lather.core.find.lines.fine_lines import HAIR, measure_fine_lines
from lather.core.job.finds import Find
from lather.core.practice.flaws import down
from lather.core.practice.flaws.lines import wander
from lather.core.stages.strands.fine_hair import fine_hair
from tests.support.pictures import skin_like

SIDE, PER_MM = 420, 6.0


def scene_of(pixels: np.ndarray) -> SimpleNamespace:
    """What `measure_fine_lines` asks of a scene; pixels: encoded RGB 0-1."""
    hair = np.ascontiguousarray(fine_hair(srgb_to_lab(pixels.astype(np.float32)))[..., 0])
    return SimpleNamespace(fine_hair_light=hair, per_mm=PER_MM)


def weave() -> np.ndarray:
    ys, xs = np.mgrid[:SIDE, :SIDE]
    threads = 0.04 * np.sin(xs * 2 * np.pi / 5) * np.sin(ys * 2 * np.pi / 5)
    rng = np.random.default_rng(1)
    return np.clip(0.3 + threads + rng.normal(0, 0.01, threads.shape), 0, 1)[..., None].repeat(3, -1)


def skin() -> np.ndarray:
    return skin_like(SIDE, SIDE) / 65535


def with_hairs(pixels: np.ndarray, count: int, colour: float) -> tuple[np.ndarray, list[np.ndarray]]:
    rng = np.random.default_rng(5)
    cover, paths = np.zeros((SIDE, SIDE), np.uint8), []
    for n in range(count):
        x, y = 70 + 130 * (n % 3), 60 + 100 * (n // 3)
        path = wander(rng, x, y, rng.uniform(5, 9) * PER_MM, rng.uniform(0, 2 * np.pi), 0.8)
        cv2.polylines(cover, [np.round(path * 16).astype(np.int32)], False, 255, 1, cv2.LINE_AA, 4)
        paths.append(path)
    alpha = cv2.GaussianBlur(cover, (0, 0), 0.4).astype(np.float32)[..., None] / 255
    return pixels + alpha * (colour - pixels), paths


def found_of(paths, lines) -> int:
    def on(path, line) -> bool:
        away = np.hypot(*(path[:, None] - line.points).transpose(2, 0, 1)).min(1)
        return float((away < 3).mean()) > 0.5

    return sum(any(on(path, line) for line in lines) for path in paths)


class TracedTest(unittest.TestCase):
    everywhere = np.ones((SIDE, SIDE), bool)

    def test_hairs_on_skin_and_fibres_on_cloth_are_traced_one_by_one(self):
        for ground, colour in ((skin(), 0.12), (weave(), 0.75), (weave(), 0.02)):
            pixels, paths = with_hairs(ground, 9, colour)
            lines = measure_fine_lines(scene_of(pixels), self.everywhere, 2.5, ~self.everywhere)
            self.assertGreaterEqual(found_of(paths, lines), 7)
            self.assertLessEqual(len(lines), 13)
            self.assertTrue(all((line.light > 0) == (colour > 0.5) for line in lines[:5]))

    def test_skin_and_weave_alone_have_none(self):
        for ground in (skin(), weave()):
            self.assertLessEqual(len(measure_fine_lines(scene_of(ground), self.everywhere, 2.5, ~self.everywhere)), 1)

    def test_a_field_of_down_is_no_crowd_of_single_hairs(self):
        cover = down.cover_of(down.Fur(1.0, 1.2, np.zeros(3), width_mm=(0.08, 0.12)), np.ones((SIDE, SIDE), np.float32),
                              PER_MM, np.random.default_rng(3))
        pixels = skin() + cover[..., None] * (0.15 - skin())
        self.assertLessEqual(len(measure_fine_lines(scene_of(pixels), self.everywhere, 2.5, ~self.everywhere)), 4)
        alone = measure_fine_lines(scene_of(with_hairs(skin(), 3, 0.12)[0]), self.everywhere, 2.5, ~self.everywhere)
        self.assertGreaterEqual(len(alone), 2)

    def test_one_hair_is_listed_once_and_no_narrow_line_on_it(self):
        path = tuple((100.0 + 5 * n, 80.0 + n) for n in range(20))

        def line(name: str, kind: str, width: float, off: float = 0.0) -> Find:
            moved = tuple((x, y + off) for x, y in path)
            return Find(name, kind, 150, 90, 100 + off, 6, 0.9, path=moved, width_px=width)

        hair, again, scar = line("a", HAIR, 2), line("b", HAIR, 2, -1.0), line("c", "scar", 3, 1.0)
        crease, aside = line("d", "crease", 9), line("e", HAIR, 2, 30.0)
        self.assertEqual({find.id for find in one_for_one_hair([again, scar, crease, hair, aside])}, {"a", "d", "e"})


if __name__ == "__main__":
    unittest.main()
