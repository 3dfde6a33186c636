"""Pictures as cameras give them, for fitting: bounded, of the same size, the same for the same seed."""

import sys
import unittest
from pathlib import Path

import cv2
import numpy as np

sys.path.append(str(Path(__file__).parents[2] / "benchmarks"))
from camera import photographed, through_jpeg

from lather.core.practice.sitters import load_sitter


def face() -> np.ndarray:
    return cv2.resize(load_sitter("pip").picture.pixels, (240, 300), interpolation=cv2.INTER_AREA).astype(
        np.float32) / (65535 if load_sitter("pip").picture.pixels.dtype == np.uint16 else 255)


class CameraTest(unittest.TestCase):
    def test_a_picture_stays_a_picture_whatever_camera_it_was(self):
        clean = face()
        for seed in range(60):
            seen = photographed(clean, np.random.default_rng(seed), face_px=120)
            self.assertEqual((seen.shape, seen.dtype), (clean.shape, np.float32))
            self.assertTrue(np.isfinite(seen).all())
            self.assertGreaterEqual(float(seen.min()), 0)
            self.assertLessEqual(float(seen.max()), 1)
            self.assertGreater(np.corrcoef(seen.mean(-1).ravel(), clean.mean(-1).ravel())[0, 1], 0.4, seed)

    def test_a_seed_is_a_camera(self):
        clean = face()
        first, again, other = (photographed(clean, np.random.default_rng(seed), face_px=120) for seed in (4, 4, 5))
        np.testing.assert_array_equal(first, again)
        self.assertGreater(float(np.abs(first - other).mean()), 0.01)

    def test_nothing_is_done_where_nothing_is_asked_for(self):
        clean = face()
        for seed in range(8):
            seen = photographed(clean, np.random.default_rng(seed), hard=0.0)
            self.assertLess(float(np.abs(seen - clean).mean()), 0.06, seed)  # clipped highlights come all the same

    def test_exposure_colour_and_sharpness_differ_as_they_do_between_cameras(self):
        clean = face()
        seen = [photographed(clean, np.random.default_rng(seed), face_px=120) for seed in range(80)]
        light = np.array([one.mean() for one in seen])
        warmth = np.array([one[..., 0].mean() / one[..., 2].mean() for one in seen])
        fine = np.array([np.abs(one - cv2.GaussianBlur(one, (0, 0), 1.0)).mean() for one in seen])
        self.assertGreater(light.max() / light.min(), 1.8)
        self.assertGreater(warmth.max() / warmth.min(), 1.25)
        self.assertGreater(fine.max() / fine.min(), 3)

    def test_jpeg_leaves_its_blocks(self):
        slope = np.repeat(np.linspace(0.2, 0.6, 256, dtype=np.float32)[None, :, None], 128, 0).repeat(3, 2)
        seen = through_jpeg(slope + 0.02 * np.random.default_rng(1).standard_normal(slope.shape).astype(np.float32), 60)
        steps = np.abs(np.diff(seen.mean(-1), axis=1)).mean(0)
        self.assertGreater(steps[7::8].mean(), 1.15 * np.delete(steps, np.s_[7::8]).mean())


if __name__ == "__main__":
    unittest.main()
