"""Gauges tell changes whose size is known, each its own and in its own unit."""

import functools
import unittest
from functools import partial

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.find.eyes.hollows_and_veins import find_hollows
from lather.core.find.lines.skin_lines import find_lines
from lather.core.find.scene import FindScene
from lather.core.gauges.compared import Compared
from lather.core.gauges.fine_bands import _grain_ratio
from lather.core.gauges.registry import GAUGES, measure_gauges
from lather.core.imageio.picture import Picture
from lather.core.job.finds import Find
from lather.core.measure.bands import PORE_BAND_SHARES
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.measure.residual import find_contrast
from lather.core.mending.even_blotches import even_all_command
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import LIPS, SKIN, TEETH
from lather.core.types import Rect, as_float32
from tests.support.faces import brighter, made_face
from tests.support.sets import some


@functools.cache
def looked_at(sitter: str = "wren", **flaws: int):
    made = make_plate(sitter, 4, flaws=flaws)
    photo = Photo(Picture(made.photo), b"", "plate")
    return made, photo, PhotoMeasures(photo)


def lab_of(codes: np.ndarray) -> np.ndarray:
    """OpenCV's, which it turns back as well."""
    return cv2.cvtColor(as_float32(codes), cv2.COLOR_RGB2Lab)


def gauges(of, change, *names, **more):
    """Gauges (all, or those named) of a picture whose Lab (h, w, 3) `change` has altered."""
    made, photo, measures = of
    lab = change(lab_of(made.photo).copy())
    after = np.round(65535 * np.clip(cv2.cvtColor(lab, cv2.COLOR_Lab2RGB), 0, 1)).astype(np.uint16)
    changed = Photo(Picture(after), b"", "after")
    pictures = Compared(photo.bounds, None, photo.read, changed.read, measures, zones=made.zones, pores=False, **more)
    return {name: GAUGES[name].measure(pictures) for name in names} if names else measure_gauges(pictures)


class WholePictureTest(unittest.TestCase):
    def setUp(self):
        self.of = looked_at()
        self.made, _, self.measures = self.of
        self.width = self.measures.face_width_px
        self.skin = self.made.zones == SKIN

    def test_what_is_left_as_it_is_reads_as_whole(self):
        values = gauges(self.of, lambda lab: lab)
        self.assertEqual(set(values), set(GAUGES))
        for name in ("texture_kept", "modelling_kept", "colour_life"):
            self.assertAlmostEqual(values[name], 100, delta=0.3, msg=name)
        for name in ("skin_touched", "spill", "largest_move"):
            self.assertAlmostEqual(values[name], 0, delta=0.05, msg=name)
        self.assertAlmostEqual(values["grain_match"], 1.0, delta=0.02)
        self.assertAlmostEqual(values["evenness"], 1.0, delta=0.01)
        self.assertIsNone(values["keepers_intact"])
        self.assertIsNone(values["under_eye_left"])

    def test_grain_is_read_place_by_place_in_light_and_in_shade(self):
        rng = np.random.default_rng(4)
        was = rng.normal(0, 1, (200, 300)).astype(np.float32)
        was[:, 150:] *= 0.2  # shade
        touched, skin = np.zeros(was.shape, bool), np.ones(was.shape, bool)
        touched[60:100, 40:80], touched[100:180, 152:230] = True, True
        was[60:100, 40:80] *= 3  # a flaw with relief
        def ratio(flaw, shade):
            now = was.copy()
            now[60:100, 40:80] *= flaw
            now[100:180, 152:230] *= shade
            return _grain_ratio(was, now, touched, skin)[0]

        self.assertAlmostEqual(ratio(1 / 3, 1.0), 1.0, delta=0.05)
        self.assertAlmostEqual(ratio(1 / 3, 0.5), (1600 + 0.5 * 6240) / 7840, delta=0.05)
        self.assertLess(ratio(0.1, 1.0), 0.95)
        everywhere = np.ones(was.shape, bool)  # an area wider than what is looked at
        self.assertAlmostEqual(_grain_ratio(was, 0.5 * was, everywhere, skin)[0], 0.5, delta=0.01)

    def test_pores_made_lower_keep_the_energy_that_is_left_of_their_band(self):
        def pores(light):
            fine, coarse = (cv2.GaussianBlur(light, (0, 0), share * self.width) for share in PORE_BAND_SHARES)
            return fine - coarse

        was = lab_of(self.made.photo)[..., 0]
        inside = cv2.erode(self.skin.astype(np.uint8), np.ones((41, 41), np.uint8)) > 0
        for share in (0.5, 1.0):
            now = was - share * pores(was)
            bands = [pores(light)[inside] for light in (was, now)]
            most = 4 * 1.48 * np.median(np.abs(bands[0] - np.median(bands[0])))  # glints count no more than that
            left = 100 * np.divide(*((np.clip(b, -most, most) ** 2).sum() for b in bands[::-1]))

            def lower(lab, share=share):
                lab[..., 0] -= share * pores(lab[..., 0])
                return lab

            values = gauges(self.of, lower, "texture_kept", "modelling_kept", most_tiles=10)
            self.assertAlmostEqual(values["texture_kept"], left, delta=8)
            self.assertLess(left, 60 if share == 0.5 else 40)
        self.assertAlmostEqual(values["modelling_kept"], 100, delta=1)

    def test_light_made_flatter_and_colour_made_duller_are_told_apart(self):
        def towards_mean(channels):
            def change(lab):
                for c in channels:
                    lab[..., c] = 0.5 * (lab[..., c] + lab[..., c][self.skin].mean())
                return lab

            return change

        both = ("modelling_kept", "colour_life")
        flat, dull = (gauges(self.of, towards_mean(c), *both, most_tiles=2) for c in ((0,), (1, 2)))
        self.assertAlmostEqual(flat["modelling_kept"], 50, delta=2)
        self.assertAlmostEqual(flat["colour_life"], 100, delta=2)
        self.assertAlmostEqual(dull["colour_life"], 50, delta=5)
        self.assertAlmostEqual(dull["modelling_kept"], 100, delta=2)

    def test_skin_touched_is_its_share_and_what_spills_over_lips_is_counted_apart(self):
        x, y = (int(v) for v in self.made.sitter.landmarks["nose_tip"])
        patch = np.zeros(self.skin.shape, bool)
        patch[y - 120 : y + 40, x - 150 : x + 150] = True

        def darker(where):
            def change(lab):
                lab[..., 0][where] -= 4
                return lab

            return change

        on_skin = gauges(self.of, darker(patch & self.skin), "skin_touched", "spill", most_tiles=2)
        self.assertAlmostEqual(on_skin["skin_touched"], 100 * (patch & self.skin).sum() / self.skin.sum(), delta=0.8)
        self.assertLess(on_skin["spill"], 0.5)
        lips = self.made.zones == LIPS
        on_lips = gauges(self.of, darker(lips), "skin_touched", "spill", most_tiles=2)
        self.assertLess(on_lips["skin_touched"], 0.5)
        self.assertGreater(on_lips["spill"], 1.5)

    def test_a_halo_on_the_ground_beside_skin_is_told_one_far_from_it_is_not(self):
        of = made, _, measures = looked_at("ambrose")  # whose skin meets the ground, as wren's does not
        skin, reach = (made.zones == SKIN).astype(np.uint8), 2 * int(0.015 * measures.face_width_px) + 1
        near = cv2.dilate(skin, np.ones((reach, reach), np.uint8)) > 0
        ground = cv2.resize(measures.ground, skin.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0

        def lighter(where):
            def change(lab):
                lab[..., 0][where] += 5
                return lab

            return change

        self.assertGreater(gauges(of, lighter(near & ground), "halo", most_tiles=2)["halo"], 2.0)
        far = cv2.dilate(near.astype(np.uint8), np.ones((121, 121), np.uint8)) == 0
        self.assertLess(gauges(of, lighter(far & ground), "halo", most_tiles=2)["halo"], 0.3)

    def test_a_form_that_was_pushed_is_told_by_how_far(self):
        shift = 0.012 * self.width
        x, y = self.made.sitter.landmarks["chin"]
        ys, xs = np.mgrid[: self.skin.shape[0], : self.skin.shape[1]].astype(np.float32)
        share = np.exp(-(((xs - x) ** 2 + (ys - y) ** 2) / (0.3 * self.width) ** 2) ** 2).astype(np.float32)

        def pushed(lab):
            return cv2.remap(lab, xs, ys + shift * share, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)

        self.assertAlmostEqual(gauges(self.of, pushed, "largest_move", most_tiles=2)["largest_move"], 1.2, delta=0.45)

    def test_one_side_made_darker_is_uneven(self):
        middle = self.made.sitter.landmarks["nose_tip"][0]

        def darker_left(lab):
            left = np.arange(lab.shape[1]) < middle
            lab[..., 0] -= 8 * left[None]
            return lab

        self.assertNotAlmostEqual(gauges(self.of, darker_left, "evenness", most_tiles=2)["evenness"], 1.0, delta=0.1)

    def test_teeth_with_half_their_yellow(self):
        made = next(looked_at(name)[0] for name in ("tilda", "wren", "ambrose", "pip")
                    if (looked_at(name)[0].zones == TEETH).sum() > 500)
        of = looked_at(made.sitter.name)

        def whiter(lab):
            lab[..., 2][made.zones == TEETH] *= 0.5
            return lab

        self.assertAlmostEqual(gauges(of, whiter, "teeth_white", most_tiles=2)["teeth_white"], 50, delta=8)


class FindsTest(unittest.TestCase):
    def test_moles_that_went_are_no_keepers_intact(self):
        of = looked_at("wren", mole=4)
        made = of[0]
        keepers = [Find(f"m{f.id}", "mole", f.x, f.y, f.size_px, f.contrast_de, 1.0, f.zone, True,
                        outline=tuple(f.outline)) for f in made.flaws]
        truth = lab_of(made.truth)  # which keeps them
        gone = keepers[0]

        def without_one(lab):
            x, y, r = int(gone.x), int(gone.y), int(0.8 * gone.size_px)
            lab[y - r : y + r, x - r : x + r] = truth[y - r : y + r, x - r + 4 * r : x + r + 4 * r]
            return lab

        share = gauges(of, lambda lab: lab, "keepers_intact", keepers=keepers, most_tiles=2)["keepers_intact"]
        self.assertEqual(share, 1.0)
        share = gauges(of, without_one, "keepers_intact", keepers=keepers, most_tiles=2)["keepers_intact"]
        self.assertAlmostEqual(share, (len(keepers) - 1) / len(keepers))

    def test_lashes_above_a_hollow_do_not_count_in_what_is_left_of_it(self):
        path = tuple((float(x), 60.0) for x in range(40, 161, 5))
        hollow = Find("under_eye-left", "under_eye", 100.0, 60.0, 120.0, 5.0, 1.0, "under-eye, left", path=path,
                      width_px=20.0)
        picture = np.full((120, 200, 3), 0.6, np.float32)
        picture[50:70] = 0.5
        contrast = []
        for lashes in (0.6, 0.05):
            picture[:50] = lashes
            contrast.append(find_contrast(hollow, lambda r: picture[r.slices(Rect(0, 0, 200, 120))],
                                          Rect(0, 0, 200, 120), None))
        self.assertLess(contrast[0], -5)
        self.assertAlmostEqual(*contrast)

    def test_the_shade_of_a_faces_own_form_is_no_part_of_a_hollow(self):
        for sitter in some(("wren", "tilda")):  # lit from one side
            of = looked_at(sitter, under_eye=2)
            made, _, measures = of
            finds = find_hollows(FindScene(measures))
            self.assertTrue(finds)
            truth = lab_of(made.truth)
            left = gauges(of, lambda lab, t=truth: t, "under_eye_left", finds=finds, most_tiles=2)["under_eye_left"]
            self.assertLess(left, 25, sitter)

    def test_hollows_and_creases_softened_by_a_share_read_as_what_is_left(self):
        for kind, planted, gauge, finder, shares in (("under_eye", 2, "under_eye_left", find_hollows, (0.7,)),
                                                     ("crease", 1, "crease_left", find_lines, (0.4,))):
            of = looked_at("pip", **{kind: planted})
            made, photo, measures = of
            finds = [f for f in finder(FindScene(measures)) if f.kind == kind]
            self.assertTrue(finds, kind)
            truth = lab_of(made.truth)
            codes = [as_float32(p) for p in (made.photo, made.truth)]
            bounds = photo.bounds
            before, clean = (np.array([find_contrast(f, lambda r, p=p, b=bounds: p[r.slices(b)], bounds, None)
                                       for f in finds]) for p in codes)
            for share in shares:
                values = gauges(of, lambda lab, s=share, t=truth: lab + s * (t - lab), gauge, finds=finds, most_tiles=2)
                left = np.maximum(0, 1 - share + share * clean / before)
                self.assertAlmostEqual(values[gauge], 100 * left.mean(), delta=4, msg=kind)

    def test_planted_blotches_raise_the_blotch_residual_and_the_light_that_falls_does_not(self):
        face = made_face(stains=8)
        plain, made = (GAUGES["blotch_residual"].measure(Compared(
            photo.bounds, None, photo.read, photo.read, face.measures))
            for photo in (face.session(p).photo for p in (face.truth, face.photo)))
        self.assertGreater(made, 1.01 * plain)
        session = face.session()
        evened = even_all_command(session.job, session.photo.bounds).apply(session.job)
        after = GAUGES["blotch_residual"].measure(Compared(
            session.photo.bounds, None, session.photo.read, partial(session.engine.pixels, evened), face.measures))
        self.assertLess(after, 0.95 * made)
        dimmed = face.session(brighter(face.photo, -0.5)).photo
        dim = GAUGES["blotch_residual"].measure(Compared(dimmed.bounds, None, dimmed.read, dimmed.read, face.measures))
        self.assertLess(abs(dim / made - 0.87), 0.12)  # L* itself is lower, by about an eighth


if __name__ == "__main__":
    unittest.main()
