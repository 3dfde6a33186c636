"""Blocks of JPEG: told wherever they begin, taken out where light is read, and nothing else with them."""

import sys
import unittest
from pathlib import Path

import cv2
import numpy as np

sys.path.append(str(Path(__file__).parents[2] / "benchmarks"))
from camera import through_jpeg

from lather.core.imageio.jpeg_blocks import SIDE, blocks_of, without_blocks
from lather.core.practice.sitters import load_sitter
from lather.core.types import Rect


def clean() -> np.ndarray:
    return cv2.resize(load_sitter("wren").encoded, (500, 625), interpolation=cv2.INTER_AREA)


def codes(picture: np.ndarray) -> np.ndarray:
    return np.clip(picture * 255 + 0.5, 0, 255).astype(np.uint8)


def off_in_bands(a: np.ndarray, b: np.ndarray) -> float:
    return float(np.abs(cv2.GaussianBlur(a, (0, 0), 2.0) - cv2.GaussianBlur(b, (0, 0), 2.0)).mean())


def steps_at_blocks(picture: np.ndarray) -> float:
    light = picture.mean(-1)
    across = np.abs(np.diff(light, axis=1))
    return float(across[:, SIDE - 1 :: SIDE].mean() / np.delete(across, np.s_[SIDE - 1 :: SIDE], axis=1).mean())


class BlocksTest(unittest.TestCase):
    def test_a_picture_that_never_was_one_has_none(self):
        self.assertIsNone(blocks_of(codes(clean())))
        self.assertIsNone(blocks_of(np.zeros((20, 20, 3), np.uint8)))
        self.assertIsNone(blocks_of(np.full((400, 400, 3), 7, np.uint16)))

    def test_they_are_told_wherever_they_begin(self):
        picture = codes(through_jpeg(clean(), 70))
        for x, y in ((0, 0), (3, 5), (7, 1)):
            blocks = blocks_of(picture[y:, x:])
            self.assertEqual((blocks.x, blocks.y), ((-x) % SIDE, (-y) % SIDE))

    def test_they_go_and_the_light_comes_nearer_to_the_clean_one(self):
        for quality in (60, 75):
            seen = codes(through_jpeg(clean(), quality)).astype(np.float32) / 255
            whole = Rect(0, 0, seen.shape[1], seen.shape[0])
            freed = without_blocks(seen, whole, blocks_of(codes(seen)))
            self.assertLess(steps_at_blocks(freed), 0.6 * steps_at_blocks(seen) + 0.4)
            self.assertLess(off_in_bands(freed, clean()), off_in_bands(seen, clean()))

    def test_a_part_is_freed_as_the_whole_is(self):
        seen = codes(through_jpeg(clean(), 60)).astype(np.float32) / 255
        blocks = blocks_of(codes(seen))
        whole = without_blocks(seen, Rect(0, 0, seen.shape[1], seen.shape[0]), blocks)
        part = Rect(101, 57, 300, 260)
        own = without_blocks(seen[part.y0 : part.y1, part.x0 : part.x1], part, blocks)
        inner = np.s_[12:-12, 12:-12]
        np.testing.assert_allclose(own[inner], whole[part.y0 : part.y1, part.x0 : part.x1][inner], atol=1e-6)


if __name__ == "__main__":
    unittest.main()
