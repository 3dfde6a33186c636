"""Stray hairs: found over light, dark and graded ground, cleared without a trace, the rest untouched."""

import unittest

import cv2
import numpy as np

from lather.core.brush.values import Brush
from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.find.lines.stray_hairs import chosen_hairs, find_strands
from lather.core.find.scene import FindScene
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.edit_for_find import mend_all
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import HAIR, load_sitter, on_ground
from lather.core.stages.strands.clear import clear_strand
from lather.core.stages.strands.propose import snapped, strand_stroke
from lather.core.types import Rect
from tests.support.pictures import session_of
from tests.support.sets import some

SIZE = Rect(0, 0, 420, 360)
PATH = np.array([(60 + 6.0 * i, 80 + 3.4 * i + 30 * np.sin(i / 11)) for i in range(48)])


def ground(kind: str, rng) -> np.ndarray:
    """A plain or graded background with fine grain, float32."""
    ys, xs = np.mgrid[: SIZE.height, : SIZE.width] / 400
    level = {"light": 0.8 + 0 * xs, "dark": 0.15 + 0 * xs, "graded": 0.3 + 0.4 * xs + 0.1 * ys * ys}[kind]
    return (level[..., None] + 0.006 * rng.standard_normal((*xs.shape, 3))).astype(np.float32)


def with_hair(clean: np.ndarray, value: float, width: int = 2) -> np.ndarray:
    mask = np.zeros(clean.shape[:2], np.uint8)
    cv2.polylines(mask, [np.round((PATH - 0.5) * 16).astype(np.int32)], False, 255, width, cv2.LINE_AA, 4)
    alpha = mask[..., None].astype(np.float32) / 255
    return clean + alpha * (value - clean)


class ClearTest(unittest.TestCase):
    def test_a_hair_goes_and_ground_and_grain_are_as_beside_it(self):
        for kind, value in (("light", 0.2), ("dark", 0.6), ("graded", 0.1)):
            clean = ground(kind, np.random.default_rng(1))
            photo = with_hair(clean, value)
            out = photo.copy()
            stroke = strand_stroke(PATH, 3.0)
            patch = clear_strand(stroke, read=lambda r, p=photo: p[r.y0 : r.y1, r.x0 : r.x1], bounds=SIZE)
            patch.add_to(out, SIZE, 0)
            changed = np.abs(out - photo).max(-1) > 0
            smooth = [srgb_to_lab(cv2.GaussianBlur(p, (0, 0), 2)) for p in (out, clean)]
            self.assertLess(delta_e2000(*smooth)[changed].mean(), 0.5, kind)
            band = changed & (np.abs(photo - clean).max(-1) > 0.1)
            fine = [p.mean(-1) - cv2.GaussianBlur(p, (0, 0), 1.2).mean(-1) for p in (out, clean)]
            self.assertAlmostEqual(float(fine[0][band].std() / fine[1][band].std()), 1.0, delta=0.15)
            self.assertEqual(float(np.abs(out - photo)[:40].max()), 0.0)

    def test_inside_the_mass_nothing_is_invented(self):
        rng = np.random.default_rng(2)
        photo = ground("light", rng)
        photo[:, 200:] = 0.1 + 0.05 * rng.standard_normal((SIZE.height, SIZE.width - 200, 1))
        path = [(60 + 8 * i, 180) for i in range(30)]  # runs on into the mass
        patch = clear_strand(strand_stroke(path, 2.0), read=lambda r: photo[r.y0 : r.y1, r.x0 : r.x1], bounds=SIZE)
        out = photo.copy()
        patch.add_to(out, SIZE, 0)
        deep = out[170:190, 230:290]
        self.assertLess(abs(float(deep.mean() - photo[170:190, 230:290].mean())), 0.03)
        self.assertGreater(float(deep.min()), float(photo[:, 200:].min()) - 0.05)

    def test_a_path_painted_roughly_is_laid_on_the_hair(self):
        photo = with_hair(ground("graded", np.random.default_rng(3)), 0.05)
        rough = PATH[::4] + np.random.default_rng(4).normal(0, 2.0, PATH[::4].shape)

        def read(r):
            return photo[r.y0 : r.y1, r.x0 : r.x1]

        path, width = snapped(rough, 14.0, read, SIZE)
        away = [np.hypot(*(PATH - p).T).min() for p in path[4:-4]]
        self.assertLess(np.percentile(away, 90), 3.5)  # the path's own points lie up to 3.5 px apart
        self.assertTrue(1.0 <= width <= 4.5)
        self.assertIsNone(snapped(rough + np.array([0, 190]), 14.0, read, SIZE))


class FinderTest(unittest.TestCase):
    def test_made_hairs_are_found_and_cleared_over_other_grounds_and_the_mass_stays(self):
        # brown hair on the dark is seen by its colour only
        for sitter, own in some((("marlow", "dark"), ("pip", "light"))):
            plate = make_plate(on_ground(load_sitter(sitter), own), 7, flaws={"stray_hair": 10})
            session = session_of(plate.photo)
            finds = find_strands(FindScene(PhotoMeasures(session.photo)))
            covered = np.zeros(plate.zones.shape, np.uint8)
            for find in finds:
                cv2.polylines(covered, [np.round(np.array(find.path)).astype(np.int32)], False, 1, 7)
            hits = [covered[int(y), int(x)] for f in plate.flaws for x, y in f.path if plate.zones[int(y), int(x)] == 0]
            self.assertGreater(np.mean(hits), 0.9, sitter)
            sure = chosen_hairs(finds)
            command, count = mend_all(session.engine, session.job, sure, "")
            self.assertEqual(count, len(sure))
            job = command.apply(session.job)
            self.assertEqual([len(layer.edits) for layer in job.stage("strands").layers], [count])
            change = np.abs(session.engine.pixels(job, session.photo.bounds) - session.photo.read(session.photo.bounds))
            made = np.zeros_like(covered)
            for flaw in plate.flaws:
                cv2.polylines(made, [np.round(np.array(flaw.path)).astype(np.int32)], False, 1, 9)
            mass = cv2.distanceTransform((plate.zones == HAIR).astype(np.uint8), cv2.DIST_L2, 5) > 3
            self.assertLess((change.max(-1)[mass & (made == 0)] > 0.01).mean(), 0.002)

    def test_sensitivity_and_the_soft_share_choose(self):
        plate = make_plate("marlow", 3, flaws={"stray_hair": 6})
        finds = find_strands(FindScene(PhotoMeasures(session_of(plate.photo).photo)))
        many, few = chosen_hairs(finds, least_confidence=0.05), chosen_hairs(finds, least_confidence=0.8)
        self.assertGreater(len(many), len(few))
        soft = chosen_hairs(finds, least_confidence=0.05, soft_share=0.4)
        self.assertEqual(soft, many[: len(soft)])
        self.assertAlmostEqual(len(soft) / len(many), 0.6, delta=0.1)

    def test_a_strand_outside_the_picture_does_nothing(self):
        stroke = Stroke(new_id(), "strand", Brush(size_px=6), freeze_points([[-90, -90, 1, 0], [-60, -50, 1, 0]]))
        self.assertEqual(clear_strand(stroke, read=lambda r: np.zeros((r.height, r.width, 3)), bounds=SIZE).pieces, [])
