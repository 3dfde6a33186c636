import json
import tempfile
import unittest
from pathlib import Path

import numpy as np

from lather.core.errors import PictureError, RequestError
from lather.core.imageio.read import read_picture
from lather.core.practice.grain import Grain, grain_field
from lather.core.practice.make import KINDS, make_plate, write_plate
from lather.core.practice.sitters import load_sitter, sitter_names
from tests.support.pictures import plate
from tests.support.remembered import nothing_remembered


class PlateTest(unittest.TestCase):
    def test_the_same_seed_gives_the_same_plate_and_another_does_not(self):
        few = {"blemish_red": 2, "crease": 1}
        with nothing_remembered():
            one, same, other = (make_plate("pip", seed, flaws=few) for seed in (5, 5, 6))
        np.testing.assert_array_equal(one.photo, same.photo)
        self.assertEqual(one.to_json(), same.to_json())
        self.assertNotEqual([f.x for f in one.flaws], [f.x for f in other.flaws])

    def test_photo_and_truth_differ_only_at_the_flaws(self):
        made = plate()
        changed = (made.photo != made.truth).any(-1)
        near = np.zeros_like(changed)
        ys, xs = np.mgrid[: changed.shape[0], : changed.shape[1]]
        for flaw in made.flaws:
            near |= np.hypot(xs - flaw.x, ys - flaw.y) < 2.2 * flaw.size_px + 8
        self.assertTrue(changed.any())
        self.assertFalse((changed & ~near).any())

    def test_every_kind_is_drawn_where_it_belongs_with_the_contrast_it_says(self):
        elsewhere = {"shine_beard", "red_hands", "uneven_ground", "red_ears", "red_neck", "blue_forehead",
                     "yellow_teeth", "dull_eyes"}  # over whole parts, some on other sitters: tests/core/test_colour.py
        made = make_plate("tilda", 2, flaws=dict.fromkeys(set(KINDS) - elsewhere, 1))
        kinds = {f.kind for f in made.flaws}
        self.assertEqual(len(kinds & {"blotch_dark", "blotch_bright"}), 1)
        self.assertEqual({kind.partition("_")[0] if kind.startswith("blotch") else kind for kind in kinds},
                         set(KINDS) - elsewhere)
        where = {"cloth_speck": 8, "lens_mark": 0, "braces": 3, "vein_eye": 4, "tooth_gap": 3, "hair_bump": 6,
                 "red_eye": 5}
        for flaw in made.flaws:
            self.assertGreater(flaw.contrast_de, 1.5 if flaw.kind.startswith("blotch") else 2.5, flaw.kind)
            self.assertEqual(flaw.keeper, flaw.kind in ("mole", "freckle", "drawn_mark"))
            if flaw.kind not in ("stray_hair", "intruder", "under_eye", "smeared_lip", "braces"):
                self.assertEqual(made.zones[int(flaw.y), int(flaw.x)], where.get(flaw.kind, 1), flaw.kind)
            x0, y0 = np.maximum(0, np.min(flaw.outline, 0).astype(int) - 2)
            x1, y1 = np.max(flaw.outline, 0).astype(int) + 2
            self.assertTrue((made.photo != made.truth)[y0:y1, x0:x1].any(), flaw.kind)

    def test_grain_has_the_level_and_size_asked_for(self):
        flat = np.full((400, 400, 3), 0.5, np.float32)
        for size in (0.0, 0.8):
            field = grain_field(flat, Grain(1.0, size, 0.3), np.random.default_rng(0))
            self.assertAlmostEqual(float(field.std()), 0.01, delta=0.0005)
            neighbour = np.corrcoef(field[:, :-1, 0].ravel(), field[:, 1:, 0].ravel())[0, 1]
            self.assertAlmostEqual(neighbour, np.exp(-1 / (4 * size**2)) if size else 0, delta=0.03)

    def test_files_of_a_plate(self):
        made = plate()
        with tempfile.TemporaryDirectory() as folder:
            write_plate(made, folder)
            np.testing.assert_array_equal(read_picture(Path(folder) / "photo.png").pixels, made.photo)
            np.testing.assert_array_equal(read_picture(Path(folder) / "truth.png").pixels, made.truth)
            listed = json.loads((Path(folder) / "flaws.json").read_text())
        self.assertEqual(len(listed["finds"]), len(made.flaws))
        self.assertLessEqual({"id", "kind", "x", "y", "size_px", "contrast_de", "zone", "keeper", "worth", "outline"},
                             set(listed["finds"][0]))
        self.assertLessEqual({"sitter", "seed", "grain", "width", "height"}, set(listed))

    def test_all_sitters_load_and_nonsense_is_refused(self):
        self.assertEqual(sitter_names(), ["ambrose", "marlow", "pip", "tilda", "wren", "wren-2", "wren-3"])
        for name in sitter_names():
            self.assertGreater(load_sitter(name).face_width_px, 100)
        with self.assertRaisesRegex(RequestError, "no sitter"):
            load_sitter("nobody")
        with self.assertRaisesRegex(PictureError, "no file"):
            load_sitter("/nowhere/plate.jpg")
        with self.assertRaisesRegex(RequestError, "no flaw"):
            make_plate("pip", 1, flaws={"antlers": 1})
