"""Colour on made people: zones found, finds mended, what is measured, the first pass and the command line."""

import functools
import json
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np

from lather.cli import adjust, auto, measure
from lather.core.colour.lab import srgb_to_lab
from lather.core.colour.profiles import srgb_profile
from lather.core.engine.engine import faces_of
from lather.core.errors import RequestError
from lather.core.imageio.write import write_picture
from lather.core.job.commands import SetBrief, SetFinds, SetLayer
from lather.core.job.finds import Find
from lather.core.job.limits import band
from lather.core.job.model import Layer
from lather.core.measure.adjust_readout import MatchSeen, WhiteSeen, readout_of
from lather.core.mending.adjustment_start import CRISP_PARTS, crisp_proposal, measured_settings
from lather.core.mending.colour_settings import (
    automatic_whitening,
    colour_command,
    match_command,
    measured_again,
    whiten_commands,
    within_limits,
)
from lather.core.mending.edit_for_find import can_mend, mend_command
from lather.core.practice.make import make_plate
from lather.core.practice.score import PracticeFolder, score_picture
from lather.core.session import Session
from lather.core.stages.registry import stage_info
from tests.support.faces import made_face
from tests.support.pictures import WIDE, session_of
from tests.support.sets import for_release, some

LABELS = {"skin": 1, "lips": 2, "hair": 6, "cloth": 8, "ground": 0}


def finds_of(face, kinds=("redness", "shine")) -> tuple[Find, ...]:
    return tuple(Find(str(flaw.id), flaw.kind, flaw.x, flaw.y, flaw.size_px, flaw.contrast_de, 1.0,
                      zone=flaw.zone, outline=tuple(flaw.outline)) for flaw in face.flaws if flaw.kind in kinds)


def smooth_lab(pixels, sigma: float = 2.0):
    return cv2.GaussianBlur(srgb_to_lab(np.float32(pixels)), (0, 0), sigma)


def inside(find: Find, shape) -> np.ndarray:
    mask = np.zeros(shape, np.uint8)
    cv2.fillPoly(mask, [np.round(np.array(find.outline)).astype(np.int32)], 1)
    return mask > 0


@functools.cache
def tilda():
    return made_face("tilda", 4, 0.45, redness=2, shine=3, yellow_teeth=1, dull_eyes=1)


class ZonesTest(unittest.TestCase):
    def test_zones_lie_where_they_are_on_light_and_dark_skin_at_any_level(self):
        for name, least in (("tilda", {"skin": .85, "lips": .65, "hair": .7, "cloth": .85, "ground": .95}),
                            ("wren", {"skin": .75, "lips": .8, "hair": .65, "cloth": .4, "ground": .95})):
            face = made_face(name, scale=0.4)
            session = face.session()
            bounds = session.photo.bounds
            for zone, wanted in least.items():
                got = session.engine.zones.mask(zone, faces_of(session.job), bounds, 0)
                truth = face.zones == LABELS[zone]
                share = ((got > 0.5) & truth).sum() / ((got > 0.5) | truth).sum()
                self.assertGreater(share, wanted, f"{name} {zone}")
                half = session.engine.zones.mask(zone, faces_of(session.job), session.photo.level_bounds(1), 1)
                wide = cv2.resize(got, half.shape[::-1], interpolation=cv2.INTER_AREA)
                self.assertLess(float(np.abs(half - wide).mean()), 0.02, zone)
            skin = session.engine.zones.mask("skin", faces_of(session.job), bounds, 0)
            lips = session.engine.zones.mask("lips", faces_of(session.job), bounds, 0)
            self.assertLess(float((skin * lips).max()), 0.6)
            steep = np.abs(np.diff(lips, axis=1)).max()
            self.assertLess(float(steep), 0.6)  # no hard rim

    def test_parts_of_the_skin_and_no_face_no_zone_of_it(self):
        session = made_face("tilda", scale=0.4).session()
        zones, bounds = session.engine.zones, session.photo.bounds
        neck = zones.mask("neck", faces_of(session.job), bounds, 0)
        chin = session.job.face_map.points["chin"][1]
        ys = np.nonzero(neck > 0.5)[0]
        self.assertGreater(len(ys), 2000)
        self.assertGreater(float(np.median(ys)), chin)
        self.assertEqual(float(zones.mask("lips", (), bounds, 0).max()), 0.0)


class FindsTest(unittest.TestCase):
    def test_redness_is_calmed_and_shine_comes_down_by_one_key_and_nothing_outside_changes(self):
        face = tilda()
        session = face.session()
        finds = finds_of(face)
        session.history.amend(SetFinds(finds, session.job.face_map, session.job.other_faces))
        self.assertTrue(all(can_mend(find) for find in finds))
        truth, photo = (smooth_lab(p / 65535) for p in (face.truth, face.photo))
        for find in finds:
            command = mend_command(session.engine, session.job, find, "")
            session.history.do(command)
            self.assertEqual(session.job.find_state(find), "mended")
        out = session.engine.pixels(session.job, session.photo.bounds)
        after, reached = smooth_lab(out), np.zeros(face.zones.shape, bool)
        left = {"redness": [], "shine": []}
        for find in finds:
            mask = inside(find, face.zones.shape) & (face.zones == 1)
            channel = 1 if find.kind == "redness" else 0
            was, now = (float((x - truth)[mask][:, channel].mean()) for x in (photo, after))
            left[find.kind].append(now / was)
        self.assertTrue(all(0.1 < share < 0.75 for share in left["redness"]), left)
        self.assertTrue(all(0.2 < share < 0.65 for share in left["shine"]), left)
        for layer in session.job.stage("colour").layers:
            for edit in layer.edits:
                reached[edit.bounds.expand(1).intersect(session.photo.bounds).slices(session.photo.bounds)] = True
        before = session.photo.read(session.photo.bounds)
        self.assertEqual(float(np.abs(out - before)[~reached].max()), 0.0)

    def test_a_child_keeps_its_pink_and_an_identity_photo_its_colour(self):
        face = tilda()
        find = finds_of(face, ("redness",))[0]
        leaves = {}
        for kind in ("beauty", "natural portrait", "newborn/child", "identity-true"):
            session = face.session()
            session.history.do(SetBrief("kind", kind))
            layer = colour_command(session.engine, session.job, find).commands[0].layer
            leaves[kind] = layer.settings["leave"]
            self.assertGreaterEqual(layer.settings["leave"], band(kind, "calm_leave").low)
        self.assertLess(leaves["beauty"], leaves["natural portrait"])
        self.assertLess(leaves["natural portrait"], leaves["newborn/child"])
        self.assertLess(leaves["newborn/child"], leaves["identity-true"])

    def test_by_hand_nothing_goes_beyond_the_kind_of_job_either(self):
        session = tilda().session()
        session.history.do(SetBrief("kind", "newborn/child"))
        for kind, part, wanted, held in (
            ("calm", "", {"leave": 0.0}, {"leave": 0.65}), ("shine", "", {"amount": 1.0}, {"amount": 0.5}),
            ("whiten", "teeth", {"most_light": 98.0, "least_yellow": 0.25}, {"most_light": 80.0, "least_yellow": 0.25}),
            ("whiten", "eye_whites", {"most_light": 98.0, "least_yellow": 0.25},
             {"most_light": 84.0, "least_yellow": 0.4}),
        ):
            layer = Layer("x", kind, kind, settings={"part": part} if part else {})
            got, why = within_limits(session.job, layer, wanted)
            self.assertEqual(got, held, kind)
            self.assertIn("newborn/child", why)
            self.assertEqual(within_limits(session.job, layer, held), (held, ""))
        self.assertEqual(within_limits(session.job, Layer("x", "tone", "tone"), {"contrast": 1.0}),
                         ({"contrast": 1.0}, ""))

    def test_a_redness_goes_as_far_whatever_the_profile_of_the_photo(self):
        values = np.full((240, 240, 3), (0.72, 0.55, 0.47))
        y, x = np.mgrid[:240, :240]
        spot = np.exp(-((x - 120) ** 2 + (y - 120) ** 2) / (2 * 14**2))
        values -= spot[..., None] * (0.0, 0.07, 0.05)
        find, left = Find("1", "redness", 120.0, 120.0, 40.0, 5.0, 1.0, zone="cheek"), []
        for profile in (srgb_profile(), WIDE):
            session = session_of(np.round(65535 * values).astype(np.uint16), profile=profile)
            session.history.do(colour_command(session.engine, session.job, find))
            out = session.engine.pixels(session.job, session.photo.bounds)
            left.append(float((0.55 - out[120, 120, 1]) / 0.07))
        self.assertLess(max(left), 0.65)
        self.assertGreater(min(left), 0.2)
        self.assertAlmostEqual(left[0], left[1], delta=0.02)


class MeasuredTest(unittest.TestCase):
    def test_teeth_and_eyes_are_whitened_to_their_ceilings_lips_and_catchlights_stay(self):
        face = tilda()
        session = face.session()
        for command in whiten_commands(session.engine, session.job, ("eye_whites", "teeth")):
            session.history.do(command)
        layers = session.job.stage("colour").layers
        self.assertEqual([layer.settings["part"] for layer in layers], ["eye_whites", "teeth"])
        self.assertEqual(whiten_commands(session.engine, session.job), [])
        seen = {layer.settings["part"]: readout_of(session.engine, session.job, "colour", layer) for layer in layers}
        for part, one in seen.items():
            self.assertIsInstance(one, WhiteSeen)
            self.assertGreaterEqual(one.now[0], one.before[0] - 0.2, part)
            self.assertLessEqual(one.now[0], one.most_light + 0.5, part)
            self.assertLess(one.now[2], 0.8 * one.before[2], part)
            self.assertGreaterEqual(one.now[2], 0.25 * one.before[2] - 0.3, part)
        self.assertLess(seen["teeth"].now[0], seen["eye_whites"].now[0])
        self.assertIn("teeth stay darker", seen["teeth"].note)
        teeth = layers[1]
        session.history.do(SetLayer("colour", teeth.id, "settings", {"lighter": 1.0, "most_light": 98.0}))
        forced = readout_of(session.engine, session.job, "colour", session.job.stage("colour").layers[1])
        self.assertLess(forced.now[0], seen["eye_whites"].now[0])  # the eye white holds what the ceiling does not
        self.assertGreater(forced.now[0], seen["teeth"].before[0])
        again = measured_again(session.engine, session.job, session.job.stage("colour").layers[1])
        self.assertEqual(set(again.value), {"measured", "below_light"})  # what the person set stays theirs
        before = session.photo.read(session.photo.bounds)
        out = session.engine.pixels(session.job, session.photo.bounds)
        lips = cv2.erode((face.zones == 2).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        self.assertLess(float(np.abs(out - before)[lips].mean()), 2e-4)

    def test_match_measures_both_areas_shows_them_and_is_measured_again(self):
        face = made_face("tilda", 3, 0.45, red_neck=1)
        session = face.session()
        neck = next(flaw for flaw in face.flaws if flaw.kind == "red_neck")
        command = match_command(session.engine, session.job, {"zone": "chin"}, {"outline": neck.outline})
        session.history.do(command)
        layer = session.job.stage("colour").layers[-1]
        seen = readout_of(session.engine, session.job, "colour", layer)
        self.assertIsInstance(seen, MatchSeen)
        self.assertLess(seen.now, 0.2 * seen.before)
        self.assertEqual(set(seen.crops), {"reference", "before", "after"})
        again = measured_again(session.engine, session.job, layer)
        self.assertEqual(again.value["measured_to"], layer.settings["measured_to"])
        self.assertIsNone(match_command(session.engine, session.job, {"zone": "cheek, left"}, {"zone": "hands"}))

    def test_every_kind_starts_from_what_is_seen_here(self):
        session = tilda().session()
        for stage in ("colour", "crisp", "finish"):
            for kind_id, kind in stage_info(stage).kinds.items():
                settings = measured_settings(session.engine, session.job, stage, kind_id)
                for one in kind.parameters:
                    if one.id in settings:
                        one.check(settings[one.id])
        self.assertIsNone(measured_settings(made_face("wren", scale=0.4).session().engine, made_face(
            "wren", scale=0.4).session().job, "colour", "whiten", part="teeth"))
        names = [crisp_proposal(session.engine, session.job, part, None).layer for part in CRISP_PARTS]
        self.assertTrue(all(layer.strength == 0.5 and layer.settings["zones"] for layer in names))


class PlatesTest(unittest.TestCase):
    def test_each_flaw_of_colour_is_made_where_it_belongs_with_its_contrast(self):
        for sitter, labels in some((
            ("tilda", {"yellow_teeth": 3, "red_ears": 1, "red_neck": 1, "dull_eyes": 4, "uneven_ground": 0,
                       "blue_forehead": 1, "shine_beard": None}),
            ("marlow", {"red_hands": 1}), ("ambrose", {"shine_beard": 1}),
        )):
            made = make_plate(sitter, 3, flaws=dict.fromkeys(labels, 1))
            drawn = {kind for kind, label in labels.items() if label is not None}  # no beard, no shine in it
            self.assertEqual({flaw.kind for flaw in made.flaws}, drawn)
            changed = np.abs(made.photo.astype(int) - made.truth).max(-1) > 600
            self.assertGreater(float(np.isin(made.zones[changed], [labels[kind] for kind in drawn]).mean()), 0.85)
            self.assertGreater(min(flaw.contrast_de for flaw in made.flaws), 2.5)
            for flaw in made.flaws:
                x, y = np.mean(flaw.outline, axis=0)
                self.assertTrue(0 <= x < made.zones.shape[1] and 0 <= y < made.zones.shape[0])

    def test_a_flaw_over_a_zone_is_scored_there(self):
        zones = np.ones((160, 200), np.uint8)
        zones[60:80, 60:120] = 4
        truth = np.full((160, 200, 3), (70.0, 10.0, 12.0), np.float32)
        photo = truth.copy()
        photo[zones == 4] += (-6.0, 0.0, 9.0)
        flaw = {"kind": "dull_eyes", "x": 5.0, "y": 5.0, "size_px": 30.0, "contrast_de": 7.0, "label": 4,
                "outline": [[2, 2], [8, 2], [8, 8]]}  # judged over its zone, not in there
        folder = PracticeFolder(photo, truth, zones, [flaw], None, 120.0)
        self.assertEqual(score_picture(folder, photo).by_kind, {"dull_eyes": 0.0})
        self.assertEqual(score_picture(folder, truth).by_kind, {"dull_eyes": 1.0})


class CommandsTest(unittest.TestCase):
    def run_command(self, module, *arguments) -> str:
        import argparse
        import contextlib
        import io

        parser = argparse.ArgumentParser()
        module.add_arguments(parser)
        said = io.StringIO()
        with contextlib.redirect_stdout(said):
            self.assertEqual(module.run(parser.parse_args([str(one) for one in arguments])), 0)
        return said.getvalue()

    def test_adjust_sets_layers_and_measure_tells_teeth_eyes_and_colour(self):
        with tempfile.TemporaryDirectory() as folder:
            photo, out = Path(folder) / "p.png", Path(folder) / "out.png"
            write_picture(photo, tilda().photo, profile=srgb_profile())
            rows = json.loads(self.run_command(
                adjust, photo, "--add", "whiten:eye_whites", "--add", "whiten:teeth", "--add", "tone",
                "--set", "contrast=20", "--set", "strength=50", "--zones", "person", "--out", out, "--json",
                "--job", Path(folder) / "job.lather"))
            self.assertEqual([row["kind"] for row in rows], ["whiten", "whiten", "tone"])
            self.assertEqual((rows[2]["settings"]["contrast"], rows[2]["settings"]["zones"]), (0.2, ["person"]))
            back = Session.open(Path(folder) / "job.lather")
            self.assertEqual(back.job.stage("finish").layers[0].strength, 0.5)
            told = json.loads(self.run_command(measure, photo, out, "--json"))
            self.assertLess(told["teeth_white"]["value"], 75)
            self.assertGreater(told["teeth_light"]["value"], 40)
            self.assertGreater(told["eye_white_light"]["value"], 50)
            self.assertIsNotNone(told["colour_life"]["value"])
            self.assertLess(told["clipped_skin"]["value"], 0.1)
            for bad, says in (
                (("--add", "glow"), "no adjustment"), (("--add", "tone", "--set", "glow=3"), "no setting"),
                (("--add", "tone", "--set", "contrast=300"), "outside"), ((), "Say what to add"),
                (("--add", "match:nose>hands"), "not seen"),
            ):
                with self.assertRaisesRegex(RequestError, says):
                    self.run_command(adjust, photo, *bad)

    @for_release
    def test_the_first_pass_calms_and_whitens_as_far_as_the_kind_of_job_allows(self):
        face = made_face("tilda", 4, 0.8, redness=2, shine=3, yellow_teeth=1, dull_eyes=1)  # large enough to be sure
        with tempfile.TemporaryDirectory() as folder:
            photo = Path(folder) / "p.png"
            write_picture(photo, face.photo, profile=srgb_profile())
            said = auto.mend_photo(str(photo), str(Path(folder) / "out.png"), str(Path(folder) / "job.lather"), None,
                                   None, 0.0, "beauty")
            job = Session.open(Path(folder) / "job.lather").job
        self.assertEqual(said["whitened"], ["eye_whites", "teeth"])
        self.assertGreaterEqual(said["calmed"], 1)
        self.assertEqual({layer.kind for layer in job.stage("colour").layers} - {"calm", "shine", "whiten"}, set())
        session = face.session()
        for kind in ("identity-true", "newborn/child"):
            session.history.do(SetBrief("kind", kind))
            self.assertEqual(automatic_whitening(session.engine, session.job), [])


if __name__ == "__main__":
    unittest.main()
