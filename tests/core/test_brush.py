import unittest

import numpy as np

from lather.core.brush.build_up import coverage_after, coverage_of_pass, passes_to_reach
from lather.core.brush.stroke import TouchWalker, rasterise, touches_bounds
from lather.core.brush.values import Brush
from lather.core.errors import RequestError
from lather.core.types import Rect


def line(count: int, step: float, pressure=1.0) -> np.ndarray:
    xs = np.arange(count) * step
    return np.column_stack([50 + xs, np.full(count, 60.0), np.full(count, pressure), xs / 500])


class TouchTest(unittest.TestCase):
    def test_one_touch_is_exact(self):
        touches = TouchWalker(Brush(size_px=20, edge=0.0, flow=0.5)).extend(np.array([[30, 30, 1, 0]]))
        coverage = rasterise(touches, Rect(0, 0, 60, 60), 0.0)
        self.assertAlmostEqual(float(coverage[30, 30]), 0.5, places=6)
        self.assertEqual(float(coverage[30, 41]), 0.0)
        self.assertEqual(len(touches), 1)

    def test_spacing_is_a_tenth_of_the_size_and_never_under_one_pixel(self):
        for size, spacing in ((100, 10), (4, 1)):
            touches = TouchWalker(Brush(size_px=size)).extend(line(11, 20))
            np.testing.assert_allclose(np.diff(touches[:, 0]), spacing, atol=1e-6)

    def test_pointer_speed_and_batching_do_not_change_the_stroke(self):
        brush = Brush(size_px=30, edge=0.7, flow=0.4, pressure_size=True, pressure_flow=True)
        points = line(60, 4)
        points[:, 2] = np.linspace(0.2, 1, 60)
        whole = TouchWalker(brush).extend(points)
        walker = TouchWalker(brush)
        pieces = np.concatenate([walker.extend(part) for part in np.array_split(points, 17)])
        np.testing.assert_array_equal(whole, pieces)
        quick = TouchWalker(Brush(size_px=30)).extend(points[::6])
        slow = TouchWalker(Brush(size_px=30)).extend(points[:55])
        np.testing.assert_allclose(quick[: len(slow)], slow[: len(quick)], atol=1e-3)

    def test_coverage_builds_and_stops_at_the_ceiling(self):
        brush = Brush(size_px=40, edge=0.5, ceiling=0.6, flow=0.3)
        points = np.concatenate([line(30, 5), line(30, 5)[::-1], line(30, 5)])
        touches = TouchWalker(brush).extend(points)
        coverage = rasterise(touches, touches_bounds(touches), 0.5)
        self.assertAlmostEqual(float(coverage.max()), 0.6, places=6)

    def test_prediction_matches_the_raster(self):
        for brush in (Brush(size_px=60, edge=0.8, flow=0.05), Brush(size_px=60, edge=1.0, flow=0.02, ceiling=0.14)):
            touches = TouchWalker(brush).extend(line(60, 4))
            coverage = rasterise(touches, Rect(0, 0, 400, 120), brush.edge)
            self.assertAlmostEqual(float(coverage[59:61, 160:200].mean()), coverage_of_pass(brush), delta=0.02)

    def test_passes_to_reach(self):
        brush = Brush(size_px=100, ceiling=0.14, flow=0.14)
        n = passes_to_reach(brush, 0.5)
        self.assertEqual(n, 5)
        self.assertGreaterEqual(coverage_after(brush, n), 0.5)
        self.assertLess(coverage_after(brush, n - 1), 0.5)
        self.assertIsNone(passes_to_reach(Brush(flow=0.0), 0.5))

    def test_holding_still_adds_touches_only_with_build_up(self):
        still = np.array([[50, 50, 1, 0], [50, 50, 1, 1.0]])
        self.assertEqual(len(TouchWalker(Brush()).extend(still)), 1)
        self.assertEqual(len(TouchWalker(Brush(build_up=True)).extend(still)), 21)

    def test_pressure_drives_what_it_is_told_to(self):
        soft = line(5, 10, pressure=0.5)
        for switch, column, full in (("pressure_size", 2, 20), ("pressure_flow", 3, 0.8), ("pressure_ceiling", 4, 0.9)):
            touches = TouchWalker(Brush(size_px=40, flow=0.8, ceiling=0.9, **{switch: True})).extend(soft)
            self.assertAlmostEqual(touches[0, column], full / 2, places=6)

    def test_nonsense_is_refused_in_one_sentence(self):
        with self.assertRaisesRegex(RequestError, "2000 px"):
            Brush(size_px=5000)
        with self.assertRaisesRegex(RequestError, "flow"):
            Brush(flow=1.5)
