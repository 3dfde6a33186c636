"""Finders on plates, what is worth mending, and the first pass that mends it all."""

import functools
import json
import os
import subprocess
import sys
import tempfile
import threading
import unittest
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.colour.profiles import srgb_profile
from lather.core.errors import Cancelled, RequestError
from lather.core.find.areas.redness_and_shine import find_areas
from lather.core.find.eyes.hollows_and_veins import find_eye_veins
from lather.core.find.finder import FINDERS, find_all, one_for_one_place, without_rims
from lather.core.find.lines.brow_hairs import find_brow_hairs
from lather.core.find.lines.ridges import ridge_response, ridge_responses, trace_lines
from lather.core.find.lines.skin_lines import MeasuredLine, _whole_straps
from lather.core.find.scene import FindScene
from lather.core.find.spots import blob_fit, lip_colour, patch_net, proposals, spots
from lather.core.find.visibility import Delivery, judged, threshold_de, will_show
from lather.core.imageio.read import read_picture
from lather.core.imageio.write import write_picture
from lather.core.job.commands import SetBrief, SetFinds, SetLayer, Together
from lather.core.job.finds import Find
from lather.core.kinds.registry import listed_in, stage_of_kind
from lather.core.measure.bands import tone_error
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.measure.residual import find_contrast, residual_share
from lather.core.mending.edit_for_find import (
    SOFTEN_STRENGTH,
    can_mend,
    layer_for,
    mend_all,
    mend_command,
    proposed_size,
)
from lather.core.mending.under_pointer import look_under
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import load_sitter
from lather.core.threads import ARITHMETIC, BACKGROUND, one_thread_in_opencv
from tests.support.commands import run_here
from tests.support.pictures import head_of, session_of, skin_like
from tests.support.remembered import nothing_remembered
from tests.support.sets import for_release, some

ROOT = Path(__file__).parents[2]
FLAWS = {"blemish_dark": 10, "blemish_red": 10, "blemish_bright": 8, "mole": 3, "hair_on_skin": 2, "crease": 1}
BLEMISHES = ("blemish_dark", "blemish_red", "blemish_bright")


@functools.cache
def looked_at(sitter: str, seed: int, flawed: bool = True):
    plate = head_of(make_plate(sitter, seed, flaws=FLAWS if flawed else {}, edge_margin_px=14))
    return plate, find_all(session_of(plate.photo).photo)[0]


class FinderTest(unittest.TestCase):
    def test_blemishes_are_found_and_moles_are_not_taken_for_them(self):
        hit = wanted = right = said = 0
        for sitter, seed in (("wren", 1), ("pip", 3)):
            plate, finds = looked_at(sitter, seed)
            claims = [f for f in finds if f.kind in BLEMISHES]
            flaws = [f for f in plate.flaws if f.kind in BLEMISHES and f.size_px >= 5 and f.contrast_de >= 4]
            near = np.array([[np.hypot(c.x - f.x, c.y - f.y) < max(4, 0.5 * f.size_px) for f in flaws] for c in claims])
            hit, wanted = hit + near.any(0).sum(), wanted + len(flaws)
            right, said = right + near.any(1).sum(), said + len(claims)
            for mole in (f for f in plate.flaws if f.kind == "mole"):
                self.assertFalse(any(np.hypot(c.x - mole.x, c.y - mole.y) < mole.size_px / 2 for c in claims))
        self.assertGreaterEqual(hit / wanted, 0.8)
        self.assertGreaterEqual(right / said, 0.9)

    def test_moles_are_proposed_as_keepers_and_sizes_are_near_the_truth(self):
        plate, finds = looked_at("pip", 3)
        moles = [f for f in finds if f.kind == "mole"]
        self.assertGreaterEqual(len(moles), 2)
        self.assertTrue(all(f.keeper for f in moles))
        ratios = [find.size_px / flaw.size_px for flaw in plate.flaws if flaw.kind in BLEMISHES for find in finds
                  if np.hypot(find.x - flaw.x, find.y - flaw.y) < 3]
        self.assertLess(abs(np.median(ratios) - 1), 0.15)

    def test_a_clean_plate_gives_next_to_nothing(self):
        for sitter in some(("tilda", "pip")):
            finds = [f for f in looked_at(sitter, 4, False)[1] if stage_of_kind(f.kind) not in ("even", "colour")]
            own = [f for f in finds if f.kind in ("stray_hair", "brow_hair")]  # the sitters have some of their own
            self.assertLessEqual(len(finds) - len(own), 2, sitter)
            self.assertLessEqual(len(own), 15 if sitter == "tilda" else 2, sitter)

    def test_a_hair_on_skin_is_a_line_with_path_and_width(self):
        plate, finds = looked_at("wren", 1)
        hairs = [f for f in finds if f.path is not None and f.kind == "hair_on_skin"]
        for flaw in (f for f in plate.flaws if f.kind == "hair_on_skin"):
            points = np.array([p for h in hairs for p in h.path])
            near = [np.hypot(*(points - p).T).min() < 10 for p in np.array(flaw.path)]
            self.assertGreater(np.mean(near), 0.7)

    def test_finding_is_repeatable_can_be_stopped_and_refuses_unknown_kinds(self):
        plate, _ = looked_at("pip", 3)
        photo = session_of(np.ascontiguousarray(plate.photo[300:900, 300:900])).photo
        told = []
        with nothing_remembered():
            finds, measures = find_all(photo, progress=lambda share, what: told.append((share, what)) or True)
            self.assertEqual(find_all(photo)[0], finds)
        shares = [share for share, _ in told]
        self.assertEqual(shares, sorted(shares))
        self.assertAlmostEqual(shares[-1], 1.0)
        self.assertLessEqual({label for label, _ in FINDERS}, {what for _, what in told})
        kind = finds[0].kind
        only, _ = find_all(photo, kinds=[kind], measures=measures)
        self.assertEqual({f.kind for f in only}, {kind})
        with self.assertRaises(Cancelled):
            find_all(photo, progress=lambda share, what: share < 0.2)
        with self.assertRaises(RequestError):
            find_all(photo, kinds=["wart"])

    def test_small_grey_and_plain_pictures_do_no_harm(self):
        for shape in ((1, 1), (5, 400), (64, 64)):
            self.assertEqual(find_all(session_of(np.full((*shape, 3), 20000, np.uint16)).photo)[0], ())


class StrapTest(unittest.TestCase):
    @for_release
    def test_the_mark_of_a_strap_is_one_band_of_its_width_led_to_its_ends_and_mended_whole(self):
        covered, errors = [], []
        for sitter, seed in (("tilda", 305), ("pip", 303)):
            plate = make_plate(sitter, seed, flaws={"strap_mark": 2, "blemish_red": 3})
            session = session_of(plate.photo)
            straps = [f for f in find_all(session.photo)[0] if f.kind == "strap_mark"]
            command, _ = mend_all(session.engine, session.job, straps, session.job.stage("mend").layers[0].id)
            session.history.do(command)
            after = srgb_to_lab(session.engine.pixels(session.job, session.photo.bounds))
            error = tone_error(after, srgb_to_lab(plate.truth.astype(np.float32) / 65535), plate.sitter.face_width_px)
            for mark in (f for f in plate.flaws if f.kind == "strap_mark"):
                path = np.array(mark.path)
                on_it = [f for f in straps if _away(np.array(f.path), path).mean() < 0.2 * mark.width_px]
                self.assertEqual(len(on_it), 1, (sitter, seed))
                self.assertAlmostEqual(on_it[0].width_px / mark.width_px, 1.0, delta=0.12)
                covered.append((_away(path, np.array(on_it[0].path)) < 0.5 * mark.width_px).mean())
                ys, xs = path.astype(int).T[::-1]
                errors.append(np.median(error[ys, xs]))
        self.assertGreater(np.mean(covered), 0.9, covered)
        self.assertLess(np.mean(errors), 1.0, errors)

    def test_two_creases_side_by_side_are_no_strap_nor_are_lines_with_pale_skin_between(self):
        lab = np.full((120, 200, 3), (65, 12, 16), np.float32)
        scene = SimpleNamespace(lab=lab, bare=np.ones((120, 200), np.float32), per_mm=6.0)
        along = np.arange(20, 180, dtype=np.float32)

        def edges(kind):
            lines = (MeasuredLine(np.stack([along, np.full(160, y, np.float32)], 1), 4.0, 5.0, ()) for y in (50, 70))
            return [[line, kind, 0.9] for line in lines]

        self.assertEqual(len(_whole_straps(scene, edges("strap_mark"))), 2)  # no redder between than beside
        lab[48:72, 20:180, 1] += 5
        self.assertEqual(len(_whole_straps(scene, edges("crease"))), 2)
        (band, kind, _), = _whole_straps(scene, edges("strap_mark"))
        self.assertEqual(kind, "strap_mark")
        self.assertTrue(20 < band.width < 25, band.width)
        self.assertLess(np.abs(band.points[:, 1] - 60).max(), 1)
        self.assertEqual(len(_whole_straps(scene, [*edges("strap_mark"), *edges("vein_nose")])), 1)  # its own weave
        lab[48:72, 5:195, 1] = 17  # it goes on where its edges were no longer seen
        (band, *_), = _whole_straps(scene, edges("strap_mark"))
        self.assertTrue(band.points[:, 0].min() < 12 and band.points[:, 0].max() > 188, band.points[[0, -1]])


class BroadLinesTest(unittest.TestCase):
    @for_release
    def test_scars_are_found_whole_each_once(self):
        whole, made, odd = 0, 0, []
        for sitter in ("tilda", "pip"):
            plate = make_plate(sitter, 901, flaws={"scar": 3, "blemish_dark": 4})
            scars = [f for f in find_all(session_of(plate.photo).photo)[0] if f.kind == "scar"]
            for scar in (f for f in plate.flaws if f.kind == "scar"):
                ends = np.array(scar.path)
                path = np.concatenate([ends[:-1] + (ends[1:] - ends[:-1]) * t for t in np.linspace(0, 1, 20)])
                on_it = [f for f in scars if np.median(_away(np.array(f.path), path)) < scar.width_px]
                odd += on_it[1:]
                made += 1
                whole += any((_away(path, np.array(f.path)) < scar.width_px).mean() > 0.7
                             and np.median(_away(np.array(f.path), path)) < 0.55 * scar.width_px for f in on_it)
        self.assertGreaterEqual(whole / made, 0.85)
        self.assertEqual(odd, [])

    def test_the_rim_of_a_broad_line_is_no_line_of_its_own(self):
        def line(kind, y, length):
            path = tuple((100.0 + x, float(y)) for x in range(0, length, 4))
            return Find(f"{kind}-{y}", kind, 100.0 + length / 2, y, length, 4, 0.9, path=path, width_px=14.0)

        for kind, left in (("makeup_fold", 1), ("hair_on_skin", 2)):
            finds = [line(kind, 104, 60), line(kind, 100, 80)]
            self.assertEqual([f.y for f in without_rims(finds)], [100, 104][:left])
        self.assertEqual(len(without_rims([line("scar", 104, 60), line("makeup_fold", 100, 80)])), 2)
        self.assertEqual(len(without_rims([line("scar", 110, 60), line("scar", 100, 80)])), 2)


def _away(points, path):
    """Distance of each of `points` (n, 2) from the nearest of `path`."""
    return np.hypot(*(points[:, None] - path).transpose(2, 0, 1)).min(1)


class BrowHairsTest(unittest.TestCase):
    def look(self, count):
        plate = make_plate(load_sitter("wren"), 901, flaws={"brow_hair": count} if count else {})
        return plate, find_brow_hairs(FindScene(PhotoMeasures(session_of(plate.photo).photo)))

    def test_hairs_off_the_brow_are_found_with_their_path_and_the_brow_itself_is_left(self):
        plate, finds = self.look(8)
        near = []
        for flaw in plate.flaws:
            away = [np.hypot(*(np.array(f.path)[:, None] - np.array(flaw.path)).transpose(2, 0, 1)).min(1)
                    for f in finds]
            near.append([float(np.median(a)) < 3 for a in away])
        near = np.array(near)
        self.assertGreaterEqual(near.any(1).mean(), 0.6)
        self.assertLessEqual((~near.any(0)).sum(), 2)  # hairs of the sitter's own stand off too
        self.assertEqual({f.zone.partition(",")[0] for f in finds}, {"brow"})
        self.assertTrue(all(listed_in(f.kind, "strands") and listed_in(f.kind, "mend") for f in finds))

    def test_a_brow_without_stray_hairs_gives_next_to_nothing(self):
        self.assertLessEqual(len(self.look(0)[1]), 2)

    def test_a_hair_beside_a_brow_is_listed_once(self):
        path = tuple((100.0 + 2 * k, 50.0) for k in range(20))
        gloss = tuple((x, y + 2) for x, y in path)
        found = [Find("g", "brow_hair", 120, 53, 38, 12, 0.5, "brow, left", path=gloss, width_px=2),
                 Find("a", "hair_on_skin", 120, 50, 38, 20, 0.9, "forehead", path=path, width_px=2),
                 Find("b", "brow_hair", 120, 51, 38, 20, 0.6, "brow, left", path=path, width_px=2),
                 Find("c", "hair_on_skin", 120, 90, 38, 20, 0.9, "forehead", path=tuple((x, 90.0) for x, _ in path),
                      width_px=2)]
        self.assertEqual({f.id for f in one_for_one_place(found)}, {"b", "c"})

    def test_a_spot_beyond_doubt_is_not_hidden_by_a_line(self):
        def listed(spot_sure, line_sure, length):
            path = tuple((100.0 + t, 100.0) for t in np.linspace(-length / 2, length / 2, 9))
            spot = Find("spot", "blemish_red", 101, 101, 20, 8, spot_sure)
            line = Find("line", "vein_nose", 100, 100, length, 8, line_sure, path=path, width_px=8.0)
            return {f.id for f in one_for_one_place([line, spot])}

        self.assertEqual(listed(0.9, 1.0, 150), {"line"})  # a dark part of it
        self.assertEqual(listed(0.995, 1.0, 150), {"line", "spot"})
        self.assertEqual(listed(0.995, 0.6, 50), {"spot"})  # the line is what the tracer made of the spot
        self.assertEqual(listed(0.995, 0.6, 150), {"line", "spot"})

    def test_lip_colour_is_no_red_spot_and_a_mole_is_no_lip_colour(self):
        smear = Find("smear", "smeared_lip", 100, 100, 12, 8, 0.7)
        for kind, left in (("blemish_red", "smear"), ("mole", "other")):
            other = Find("other", kind, 102, 101, 14, 9, 0.9, keeper=kind == "mole")
            self.assertEqual([f.id for f in one_for_one_place([smear, other])], [left])


class LookTest(unittest.TestCase):
    def layers(self):
        ys, xs = np.mgrid[:120, :160]
        values = np.full((120, 160, 4), (60, 14, 18, 80), np.float32)
        values[..., 0] += 0.02 * xs - 12 * (np.hypot(xs + 0.5 - 80, ys + 0.5 - 60) < 6)
        skin = (xs < 100).astype(np.float32)
        return [(values, skin), (np.ascontiguousarray(values[::2, ::2]), np.ascontiguousarray(skin[::2, ::2]))]

    def test_a_patch_shows_the_blob_at_its_own_size_less_the_skin_around(self):
        small, large = patch_net.patches(self.layers(), np.array([(80, 60, 12.0), (80, 60, 24.0)]))
        self.assertEqual(small.shape, (patch_net.PLANES, patch_net.SIDE, patch_net.SIDE))
        for patch, radius in ((small, 3.0), (large, 1.5)):  # in pixels of the patch: half, a quarter of its reach
            self.assertLess(patch[0, 13:15, 13:15].max(), -1.5)
            dark = (patch[0] < -1).sum()
            self.assertAlmostEqual(np.sqrt(dark / np.pi), radius * patch_net.SIDE / 24, delta=0.8)
            self.assertLess(np.abs(patch[1:4]).max(), 0.01)
        self.assertEqual(float(np.abs(small[:4, :, -1]).max()), 0.0)  # off skin nothing is told
        self.assertEqual((float(small[4, 14, 14]), float(small[4, 14, -1])), (1.0, 0.0))
        none = np.zeros((0, patch_net.PLANES, patch_net.SIDE, patch_net.SIDE))
        self.assertEqual(len(patch_net.log_odds(np.zeros((0, 44)), none)), 0)

    def test_a_place_at_the_rim_of_the_picture_has_a_patch_too(self):
        patch = patch_net.patches(self.layers(), np.array([(1.0, 1.0, 30.0)]))[0]
        self.assertTrue(np.isfinite(patch).all())

    def test_on_skin_unlike_any_of_the_fit_only_plain_spots_are_listed(self):
        plain, doubtful = np.full(30, 0.9), np.full(6, 0.4)
        self.assertEqual(spots.listed_from(np.concatenate([plain, doubtful, np.full(400, 0.02)])), 0.2)
        self.assertEqual(spots.listed_from(np.concatenate([plain, doubtful, doubtful])), 0.6)
        self.assertEqual(spots.listed_from(doubtful), 0.6)
        self.assertEqual(spots.listed_from(np.zeros(0)), 0.2)


class ProposalTest(unittest.TestCase):
    def scene_with(self, *spots):
        """Skin with pores and a dark spot at each (x, y, size, depth in L*); its layers."""
        rng = np.random.default_rng(7)
        values = np.empty((420, 560, 4), np.float32)
        values[:] = (62, 15, 19, 70)
        values[..., 0] += 7 * cv2.GaussianBlur(rng.standard_normal((420, 560)).astype(np.float32), (0, 0), 1.4)
        ys, xs = np.mgrid[:420, :560] + 0.5
        for x, y, size, depth in spots:
            values[..., 0] -= depth * np.exp(-0.5 * (np.hypot(xs - x, ys - y) / (0.3 * size)) ** 4)
        layers = [(values, np.ones((420, 560), np.float32))]
        while len(layers) < 4:
            layers.append(tuple(cv2.pyrDown(part) for part in layers[-1]))
        return layers

    def test_spots_small_and_large_come_before_pores_each_with_its_size(self):
        wanted = ((120.0, 140.0, 9.0, 16.0), (300.0, 260.0, 22.0, 12.0), (450.0, 120.0, 40.0, 10.0))
        found = proposals.propose(self.scene_with(*wanted), 100)
        for x, y, size, _ in wanted:
            rank = int(np.argmin(np.hypot(found[:, 0] - x, found[:, 1] - y)))
            self.assertLess(rank, 6, (x, y))
            self.assertLess(np.hypot(found[rank, 0] - x, found[rank, 1] - y), 0.25 * size)
            self.assertLess(abs(np.log2(found[rank, 2] / size)), 0.8)
        self.assertTrue((np.diff(found[:, 3]) <= 0).all())

    def test_the_answer_does_not_depend_on_where_the_tiles_lie(self):
        planes = proposals.planes(*self.scene_with((230.0, 215.0, 12.0, 12.0))[0])
        whole = proposals.heat(planes)[0]
        moved = proposals.heat(np.ascontiguousarray(planes[:, 36:, 52:]))[0]
        inner = np.s_[20:-20, 20:-20]
        self.assertLess(np.abs(whole[18:, 26:] - moved)[inner].max(), 1e-3)

    def test_what_is_off_skin_is_not_proposed(self):
        layers = self.scene_with((120.0, 140.0, 12.0, 16.0), (420.0, 140.0, 12.0, 16.0))
        for _, skin in layers:
            skin[:, : skin.shape[1] // 2] = 0
        found = proposals.propose(layers, 100)
        self.assertGreater(found[:, 0].min(), 270)
        self.assertLess(np.hypot(found[0, 0] - 420, found[0, 1] - 140), 4)
        self.assertEqual(len(proposals.propose([(values, 0 * skin) for values, skin in layers], 100)), 0)

    def test_a_flaw_with_a_glint_in_its_middle_is_measured_whole(self):
        values, skin = self.scene_with((200.0, 200.0, 30.0, 12.0))[0]
        values[196:205, 196:205, 0] += 40
        seed, usual = np.array([[200.0, 200.0, 30.0]]), np.ones((1, 4))
        sizes, depths = [], []
        for trusted in (False, True):
            row, features = np.zeros((1, blob_fit.COLUMNS)), np.zeros((1, len(blob_fit.LOCAL_FEATURES)))
            rim = np.zeros((1, blob_fit.RIM_POINTS, 2))
            blob_fit.fit_blobs(values, skin, seed, usual, 8.0, trusted, row, features, rim)
            sizes.append(row[0, 2])
            depths.append(features[0, blob_fit.LOCAL_FEATURES.index("d_l")])
        self.assertLess(sizes[0], 11)
        self.assertAlmostEqual(sizes[1], 21, delta=1)
        self.assertLess(depths[1], depths[0] - 15)


class AreaTest(unittest.TestCase):
    def test_redness_and_shine_are_listed_for_colour_where_they_are_mended_by_key(self):
        hit = wanted = 0
        for sitter in some(("pip", "tilda")):
            plate = make_plate(sitter, 8, flaws={"redness": 3, "shine": 2, "vein_eye": 2})
            scene = FindScene(PhotoMeasures(session_of(plate.photo).photo))
            found, flaws = find_areas(scene), [f for f in plate.flaws if f.path is None]
            near = np.array([[np.hypot(c.x - f.x, c.y - f.y) < 0.6 * f.size_px for f in flaws] for c in found])
            self.assertTrue(near.any(1).all(), sitter)
            hit, wanted = hit + near.any(0).sum(), wanted + len(flaws)
            self.assertLessEqual({f.kind for f in found}, {"redness", "shine"})
            self.assertTrue(all(can_mend(f) and stage_of_kind(f.kind) == "colour" for f in found))
            veins = [f for f in plate.flaws if f.kind == "vein_eye"]
            for find in find_eye_veins(scene):
                away = [np.hypot(*(np.array(v.path) - p).T).min() for v in veins for p in find.path]
                self.assertLess(min(away), 4, sitter)
        self.assertGreaterEqual(hit / wanted, 0.6)

    def test_clean_skin_has_neither(self):
        finds = looked_at("tilda", 4, False)[1]
        self.assertEqual([f for f in finds if f.kind in ("redness", "shine")], [])


class LipsTest(unittest.TestCase):
    @for_release
    def test_smeared_lip_colour_is_told_from_red_spots(self):
        plate = make_plate("wren", 66, flaws={"smeared_lip": 2, "blemish_red": 4}, edge_margin_px=14)
        finds = find_all(session_of(plate.photo).photo)[0]
        smears = [f for f in finds if f.kind == "smeared_lip"]
        flaws = [f for f in plate.flaws if f.kind == "smeared_lip"]
        self.assertEqual((len(flaws), len(smears)), (2, 2))  # in one of them two blobs were measured
        for flaw in flaws:
            near = [f for f in finds if np.hypot(f.x - flaw.x, f.y - flaw.y) < 0.5 * flaw.size_px]
            self.assertEqual({f.kind for f in near}, {"smeared_lip"})
        self.assertNotIn("smeared_lip", {f.kind for f in looked_at("wren", 1)[1]})

    def test_what_tells_a_smear_is_how_far_it_goes_from_skin_to_lips(self):
        lab = np.full((400, 400, 3), (60, 14, 18), np.float32)
        cv2.ellipse(lab, (200, 200), (70, 22), 0, 0, 360, (42, 32, 12), -1)
        for x, colour in ((110, (51, 23, 15)), (290, (51, 14, 18))):  # half-way to the lips; only darker
            cv2.circle(lab, (x, 230), 8, colour, -1)
        face = SimpleNamespace(points={"mouth_left": (130, 200), "mouth_right": (270, 200)}, eye_distance_px=170.0)
        scene = SimpleNamespace(measures=SimpleNamespace(face=face), lab=lab, step=1, per_mm=2.0,
                                to_here=lambda x, y: (x, y))
        places = np.array([(110.5, 230.5, 16.0), (290.5, 230.5, 16.0), (40.0, 40.0, 16.0)])
        near, (smear, dark) = lip_colour.lip_features(scene, places)
        self.assertEqual(near.tolist(), [0, 1])
        likeness, along, beside = (lip_colour.FEATURES.index(k) for k in ("likeness", "along", "beside"))
        self.assertGreater(smear[likeness], 0.99)
        half_of_it = 0.5 * np.linalg.norm((18, 18, 6)) / np.hypot(18, 6)
        self.assertAlmostEqual(smear[along], half_of_it, delta=0.05)
        self.assertLess(abs(smear[beside]), 0.05)
        self.assertLess(dark[likeness], 0.8)
        scene.measures.face = None
        self.assertEqual([len(part) for part in lip_colour.lip_features(scene, places)], [0, 0])


class ThreadsTest(unittest.TestCase):
    @unittest.skipUnless(sys.platform == "linux", "threads have priorities of their own on Linux only")
    def test_finding_gives_way_to_what_the_person_waits_for(self):
        def priority() -> int:
            return os.getpriority(os.PRIO_PROCESS, threading.get_native_id())

        self.assertEqual(ARITHMETIC.submit(priority).result(), priority())
        self.assertGreater(BACKGROUND.submit(priority).result(), priority())
        of_finders = []
        watching = (("none", lambda scene: of_finders.append(priority()) or []),)
        with mock.patch("lather.core.find.finder.FINDERS", watching):
            find_all(session_of(skin_like(200, 200)).photo)
        self.assertGreater(of_finders[0], priority())

    def test_opencv_gets_its_threads_back_when_the_last_one_leaves_even_by_an_error(self):
        usual = cv2.getNumThreads()
        cv2.setNumThreads(2)
        try:
            with self.assertRaises(RuntimeError), one_thread_in_opencv():
                with one_thread_in_opencv():
                    self.assertEqual(cv2.getNumThreads(), 1)
                self.assertEqual(cv2.getNumThreads(), 1)
                raise RuntimeError
            self.assertEqual(cv2.getNumThreads(), 2)
        finally:
            cv2.setNumThreads(usual)


class RidgeTest(unittest.TestCase):
    def test_a_line_is_traced_whole_with_its_width_across_a_gap(self):
        values = np.full((120, 200), 60, np.float32)
        values[58:62, 20:180] = 50
        values[58:62, 99:101] = 60
        response, angle, scale = ridge_response(values, (1.5, 2.0, 3.0), dark=True)
        lines = trace_lines(response, angle, scale, low=0.5, high=2.0, least_length=40)
        self.assertEqual(len(lines), 1)
        self.assertGreater(lines[0].length, 150)
        self.assertLess(np.abs(lines[0].points[:, 1] - 60).max(), 2)
        self.assertTrue(3 <= lines[0].width <= 6.5)
        for dark, (one, *_) in zip((True, False), ridge_responses(values, (1.5, 2.0, 3.0), (True, False))):
            np.testing.assert_array_equal(one, ridge_response(values, (1.5, 2.0, 3.0), dark=dark)[0])
        bright, *_ = ridge_response(values, (2.0,), dark=False)
        self.assertLess(bright[60, 100 - 30], 0.1)


class WorthTest(unittest.TestCase):
    def find(self, size, contrast, **more):
        return Find("f", "blemish_red", 10, 10, size, contrast, 0.9, **more)

    def test_what_is_smaller_than_the_eye_sees_will_not_show(self):
        full, small = Delivery(), Delivery(long_edge_px=800)
        self.assertTrue(will_show(self.find(6, 5), full, 4000))
        self.assertFalse(will_show(self.find(6, 5), small, 4000))  # 1.2 px delivered
        self.assertTrue(will_show(self.find(40, 5), small, 4000))
        self.assertFalse(will_show(self.find(40, 0.8), small, 4000))

    def test_print_goes_by_the_angle_it_is_seen_under(self):
        close, far = (Delivery("print", long_edge_mm=300, distance_mm=d) for d in (300, 3000))
        self.assertAlmostEqual(close.least_px(4000), np.tan(np.radians(1 / 60)) * 300 / 300 * 4000, places=2)
        self.assertTrue(will_show(self.find(8, 5), close, 4000))
        self.assertFalse(will_show(self.find(8, 5), far, 4000))
        self.assertGreater(threshold_de(1), threshold_de(4))
        with self.assertRaises(RequestError):
            Delivery("print", distance_mm=0)

    def test_the_most_visible_comes_first_and_the_rest_is_listed_below(self):
        finds = judged([self.find(4, 3), self.find(30, 6), self.find(1, 9)], Delivery(), 1000)
        self.assertEqual([f.size_px for f in finds], [30, 4, 1])
        self.assertEqual([f.worth for f in finds], [True, True, False])
        self.assertEqual(Delivery.from_json(Delivery("print", None, 420, 900).to_json()).distance_mm, 900)


class MendTest(unittest.TestCase):
    def test_what_belongs_to_the_person_is_softened_on_one_layer_for_its_place(self):
        session = session_of(skin_like())
        path = tuple((float(x), 150.0) for x in range(100, 200, 10))
        crease = Find("c", "crease", 150, 150, 100, 6, 0.9, "forehead", path=path, width_px=4.0)
        default = session.job.stage("mend").layers[0].id
        command = mend_command(session.engine, session.job, crease, default)
        self.assertIsInstance(command, Together)
        session.history.do(command)
        layer = session.job.stage("mend").layers[-1]
        self.assertEqual((layer.name, layer.strength, len(layer.edits)), ("Creases, forehead", SOFTEN_STRENGTH, 1))
        self.assertEqual(layer_for(session.job, crease, default).layer_id, layer.id)  # the next one joins it
        self.assertEqual(layer.edits[0].find, "c")
        self.assertEqual(len(layer.edits[0].points), len(path))

    def test_no_less_is_left_than_this_kind_of_job_allows(self):
        pixels = skin_like(300, 300)
        pixels[148:153, 90:210] = pixels[148:153, 90:210] * 0.8
        pixels[218:223, 90:210] = pixels[218:223, 90:210] * 0.8
        session = session_of(pixels)
        default = session.job.stage("mend").layers[0].id
        session.history.do(SetBrief("kind", "identity-true"))
        first, second = (
            Find(f"c{y}", "crease", 150, y, 120, 6, 0.9, "forehead", width_px=6.0,
                 path=tuple((float(x), y + 0.5) for x in range(95, 206, 10))) for y in (150, 220)
        )

        def left(find):
            contrast = (find_contrast(find, read, session.photo.bounds, None)
                        for read in (session.photo.read, lambda r: session.engine.pixels(session.job, r)))
            return residual_share(*contrast)

        session.history.do(mend_command(session.engine, session.job, first, default))
        layer = session.job.stage("mend").layers[-1]
        self.assertLess(layer.strength, 0.6 * SOFTEN_STRENGTH)
        self.assertTrue(0.75 <= left(first) < 0.8, left(first))
        session.history.do(SetLayer("mend", layer.id, "strength", 0.8))  # the person's choice, for what is there
        session.history.do(mend_command(session.engine, session.job, second, default))
        self.assertEqual(session.job.stage("mend").layers[-1].strength, 0.8)
        self.assertTrue(0.75 <= left(second) < 0.8, left(second))

    def test_sizes_cover_the_find_and_no_more_than_need_be(self):
        red, dark, flake = (proposed_size(Find("s", kind, 50, 50, 20, 6, 0.9))
                            for kind in ("blemish_red", "blemish_dark", "flake"))
        self.assertTrue(20 < flake < dark < red < 40, (flake, dark, red))  # red ones for their halo
        path = ((10.0, 50.0), (90.0, 50.0))
        marks = ("strap_mark", "jewellery_mark", "vein_nose", "makeup_fold", "scar")
        wide = {k: proposed_size(Find("m", k, 50, 50, 80, 6, 0.9, path=path, width_px=10)) for k in (*marks, "crease")}
        self.assertTrue(all(12 < size < 28 for size in wide.values()), wide)
        self.assertLess(max(wide[k] for k in marks), wide["crease"])
        self.assertFalse(can_mend(Find("i", "intruder", 5, 5, 200, 20, 0.9)))

    def test_all_at_once_is_one_step_each_sees_the_others_and_stopping_changes_nothing(self):
        pixels = skin_like(300, 340)
        places = [(60, 60), (90, 60), (200, 200)]
        for x, y in places:
            pixels[y - 5 : y + 5, x - 5 : x + 5] = 20000
        session = session_of(pixels)
        finds = tuple(Find(f"s{x}", "blemish_dark", float(x), float(y), 10, 9, 0.9) for x, y in places)
        session.history.amend(SetFinds(finds, None))
        default = session.job.stage("mend").layers[0].id
        with self.assertRaises(Cancelled):
            mend_all(session.engine, session.job, finds, default, lambda share: share < 0.5)
        command, count = mend_all(session.engine, session.job, finds, default)
        session.history.do(command)
        self.assertEqual((count, session.history.position), (3, 1))
        clean = skin_like(300, 340) / 65535
        out = session.engine.pixels(session.job, session.photo.bounds)
        for x, y in places:
            self.assertLess(np.abs(out - clean)[y - 4 : y + 4, x - 4 : x + 4].mean(), 0.03)
        for edit in session.job.edits():  # no skin is taken from a known spot
            taken = edit.source_rect(edit.bounds)
            for x, y in places:
                self.assertFalse(taken.x0 < x - 3 and taken.x1 > x + 3 and taken.y0 < y - 3 and taken.y1 > y + 3)

    def test_the_brush_is_measured_under_the_pointer(self):
        pixels = skin_like(300, 340)
        ys, xs = np.mgrid[:300, :340]
        for radius in (6, 14):
            spotted = pixels.copy()
            spotted[np.hypot(xs - 150, ys - 150) < radius] = 24000
            found = look_under(session_of(spotted).photo, 150, 150)
            self.assertTrue(1.2 * 2 * radius < found.size_px < 2.6 * 2 * radius + 6, (radius, found))
        self.assertIsNone(look_under(session_of(np.full((300, 340, 3), 30000, np.uint16)).photo, 150, 150))


class CommandTest(unittest.TestCase):
    def lather(self, *arguments):
        command = [sys.executable, "-m", "lather", *map(str, arguments)]
        env = dict(os.environ, PYTHONPATH=str(ROOT / "src"))
        return subprocess.run(command, capture_output=True, text=True, env=env)

    def made(self, folder: Path) -> Path:
        """A folder of the practice room, by the command."""
        code, _ = run_here("practice", "make", "--sitter", "pip", "--seed", 8, "--out", folder / "p",
                           "--flaw", "blemish_red=6", "--flaw", "blemish_dark=6", "--flaw", "mole=1")
        self.assertEqual(code, 0)
        return folder / "p"

    def test_a_part_of_a_plate_is_looked_at_and_the_truth_is_scored_as_such(self):
        with tempfile.TemporaryDirectory() as folder:
            made = self.made(Path(folder))
            part = Path(folder) / "part.png"
            write_picture(part, read_picture(made / "photo.png").pixels[500:1300, 400:1200], profile=srgb_profile())
            data = json.loads(run_here("find", part, "--json")[1])
            self.assertEqual((data["width"], data["height"]), (800, 800))
            self.assertGreaterEqual(len(data["finds"]), 3)
            self.assertLessEqual({"kind", "x", "y", "size_px", "contrast_de", "confidence", "zone", "keeper", "worth",
                                  "outline"}, set(data["finds"][0]))
            ideal = json.loads(run_here("practice", "score", made, made / "truth.png", "--json")[1])
            self.assertEqual((ideal["removed"], ideal["identity"]), (1, 1))

    @for_release
    def test_practice_find_auto_and_score_work_together(self):
        with tempfile.TemporaryDirectory() as folder:
            folder = Path(folder)
            self.made(folder)
            data = json.loads(run_here("find", folder / "p" / "photo.png", "--json")[1])
            self.assertEqual((data["width"], data["height"]), (1600, 2000))
            self.assertGreaterEqual(len(data["finds"]), 10)
            self.assertLessEqual({"kind", "x", "y", "size_px", "contrast_de", "confidence", "zone", "keeper", "worth",
                                  "outline"}, set(data["finds"][0]))
            photo = folder / "p" / "photo.png"
            self.assertEqual(run_here("auto", photo, "--out", folder / "out.tif", "--job", folder / "j.lather")[0], 0)
            score = json.loads(run_here("practice", "score", folder / "p", folder / "out.tif", "--json")[1])
            self.assertGreaterEqual(score["removed"], 0.8)
            self.assertGreaterEqual(score["spared"], 0.98)
            untouched = json.loads(run_here("practice", "score", folder / "p", photo, "--json")[1])
            self.assertLess(untouched["removed"], 0.4)
            self.assertLess(untouched["score"], score["score"] - 20)
            ideal = json.loads(run_here("practice", "score", folder / "p", folder / "p" / "truth.png", "--json")[1])
            self.assertEqual((untouched["identity"], ideal["identity"]), (1, 1))  # a spot mended or left is no move
            facts = json.loads(run_here("info", folder / "p" / "photo.png", "--json")[1])
            self.assertLessEqual({"grain", "texture_scale_px", "face", "skin_share"}, set(facts))
            self.assertAlmostEqual(facts["face"]["width_px"], 686, delta=120)

    def test_bad_input_is_one_sentence(self):
        with tempfile.TemporaryDirectory() as folder:
            for arguments in (("find", "nothing.png"), ("find", ROOT / "README.md"),
                              ("practice", "score", folder, "x.png"), ("auto", ROOT / "README.md", "--out", "x.png")):
                done = self.lather(*arguments)
                self.assertEqual(done.returncode, 2, arguments)
                self.assertEqual(done.stderr.count("\n"), 1, done.stderr)
                self.assertNotIn("Traceback", done.stderr)
