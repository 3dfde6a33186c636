"""Adjustments: neutral is the photo itself, nothing new clips, masks, and what each kind promises, on made pictures."""

import unittest
from dataclasses import dataclass, replace

import numpy as np

from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.errors import RequestError
from lather.core.job.document import layer_from_json, layer_to_json
from lather.core.job.face_map import FaceMap
from lather.core.job.model import Layer, new_id, new_job
from lather.core.parameters import Number
from lather.core.stages.adjust.curve import STRAIGHT, held, read_curve, through
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.mask import by_zones, everywhere
from lather.core.stages.adjust.zones import read_zones
from lather.core.stages.colour.calm import direction
from lather.core.stages.crisp.kind import HALO
from lather.core.stages.example import edit
from lather.core.stages.finish.pool import head_shape, pool_share, pulled
from lather.core.stages.finish.tints import tone_ranges
from lather.core.stages.finish.tone import ToneKind
from lather.core.stages.registry import STAGES
from lather.core.types import Rect
from tests.support.pictures import engine_of, skin_like

SKIN = [66.8, 13.4, 24.0]  # of `skin_like`
SPREAD = {"mean": SKIN, "spread": [2.0, 1.0, 1.0]}
NEUTRAL = {
    "calm": {"toward": SKIN, "leave": 1.0},
    "match": {"measured_from": SPREAD, "measured_to": SPREAD | {"mean": [60, 9, 20]}, "light": False, "colour": False},
    "whiten": {"measured": SKIN, "lighter": 0.0, "yellow_out": 0.0},
    "iris": {"measured": SKIN, "saturation": 0.0, "lower_light": 0.0, "contrast": 0.0},
    "shine": {"skin": SKIN, "half": SKIN, "amount": 0.0},
    "area_curve": {"curve": [[0.0, 0.0], [0.4, 0.4], [1.0, 1.0]]},
    "red_eye": {"red_out": 0.0}, "hues": {}, "tone": {}, "tints": {}, "crisp": {"amount": 0.0},
    "pool": {"shape": head_shape(None, 340, 300), "inside": 0.0, "outside": 0.0},
    "background": {"usual": SKIN, "evened": 0.0}, "mono": {"amount": 0.0},
}
STRONG = {
    "calm": {"toward": [60.0, 2.0, 8.0], "leave": 0.0},
    "match": {"measured_from": SPREAD, "measured_to": {"mean": [90, 30, 40], "spread": [4, 3, 3]}},
    "whiten": {"measured": SKIN, "lighter": 1.0, "yellow_out": 1.0, "most_light": 98.0},
    "iris": {"measured": [95.0, 0, 0], "saturation": 1.0, "contrast": 1.0},
    "shine": {"skin": SKIN, "half": SKIN, "amount": 1.0, "width_px": 2.0, "spot_px": 20.0},
    "area_curve": {"curve": [[0.0, 0.0], [0.3, 0.9], [1.0, 1.0]]},
    "red_eye": {"red_out": 1.0, "dark": 1.0},
    "hues": {"hue": 60.0, "hue_width": 180.0, "chroma": 1.0, "lightness": 20.0},
    "crisp": {"amount": 3.0, "wide_amount": 3.0},
    "tone": {"exposure": 3.0, "contrast": 1.0, "warmth": 30.0, "tint": 30.0},
    "tints": {"shadows_chroma": 20.0, "middle_chroma": 20.0, "lights_chroma": 20.0},
    "pool": {"shape": head_shape(None, 340, 300), "inside": 2.0, "outside": -2.0, "warmth_out": 20.0},
    "background": {"usual": [99.0, 0, 0], "light": 3.0}, "mono": {"amount": 1.0, "red": 2.0, "green": 0.0, "blue": 0.0},
}


@dataclass(frozen=True)
class MadeZones:
    """Each zone is a rectangle; it follows the first face's tip of the nose, where there is one."""

    places: dict
    digest = b""

    def corrected(self, part_strokes):
        return self

    def mask(self, zone, faces, rect: Rect, level: int):
        x0, y0, x1, y1 = self.places.get(zone, (0, 0, 0, 0))
        dx = faces[0].points["nose_tip"][0] if faces else 0.0
        step = 1 << level
        ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] * step + 0.5 * step
        return ((xs >= x0 + dx) & (xs < x1 + dx) & (ys >= y0) & (ys < y1)).astype(np.float32)


class AllBut(MadeZones):
    """Each zone is all but its rectangle."""

    def mask(self, zone, faces, rect, level):
        return 1 - super().mask(zone, faces, rect, level)


def kinds() -> dict[str, tuple[str, type[AdjustmentKind]]]:
    """{kind: (stage, class)}."""
    return {kind.id: (info.id, kind) for info in STAGES for kind in info.kinds.values()
            if issubclass(kind, AdjustmentKind)}


class AdjustCase(unittest.TestCase):
    def made(self, pixels=None, zones=None, faces=()):
        self.engine = engine_of(skin_like() if pixels is None else pixels)
        self.engine.zones = zones
        self.bounds = self.engine.photo.bounds
        self.photo = self.engine.photo.read(self.bounds)
        self.job = new_job(self.engine.photo.source)
        if faces:
            self.job = replace(self.job, face_map=faces[0])

    def layer(self, kind: str, edits=(), strength: float = 1.0, **settings) -> Layer:
        _, cls = kinds()[kind]
        return Layer(new_id(), cls.label, kind, strength=strength, edits=tuple(edits),
                     settings=cls.new_settings() | settings)

    def with_layer(self, layer: Layer, *more: Layer):
        stage = self.job.stage(kinds()[layer.kind][0])
        return self.job.with_stage(replace(stage, layers=(layer, *more)))

    def result(self, layer: Layer, *more: Layer, rect: Rect | None = None):
        return self.engine.pixels(self.with_layer(layer, *more), rect or self.bounds)


class NeutralTest(AdjustCase):
    def test_every_kind_is_there_with_neutral_values_and_gives_the_photo_to_the_last_bit(self):
        self.assertEqual(set(NEUTRAL), set(kinds()))
        self.made(zones=MadeZones({"ground": (0, 0, 400, 400)}))
        for kind, settings in NEUTRAL.items():
            layer = self.layer(kind, **settings | everywhere())
            self.assertTrue(self.engine.kinds[kind].neutral(layer), kind)
            np.testing.assert_array_equal(self.result(layer), self.photo, err_msg=kind)

    def test_each_number_moved_alone_changes_something_and_stays_in_its_range(self):
        values = np.random.default_rng(8).uniform(0.05, 0.95, (60, 80, 3))
        self.made(np.round(65535 * values).astype(np.uint16), zones=MadeZones({"ground": (0, 0, 400, 400)}))
        for kind in ("tone", "hues", "mono", "pool", "background", "tints"):
            for one in kinds()[kind][1].own:
                if not isinstance(one, Number) or one.id in ("size_px", "meet_low", "meet_high") or "hue" in one.id:
                    continue
                base = NEUTRAL[kind] | ({"amount": 1.0} if kind == "mono" else {})
                base |= {"shape": head_shape(None, 80, 60)} if kind == "pool" else {}
                layer = self.layer(kind, **base | everywhere() | {one.id: one.range.low if one.id == "white_at"
                                                                  else one.range.high})
                changed = np.abs(self.result(layer) - self.photo).max()
                self.assertGreater(changed, 0.004, f"{kind} {one.id}")
                with self.assertRaises(RequestError):
                    one.check(one.range.high + 1)

    def test_nothing_clips_that_did_not_unless_black_or_white_point_ask_for_it(self):
        rng = np.random.default_rng(2)
        pixels = np.round(65535 * rng.uniform(0.006, 0.994, (120, 160, 3))).astype(np.uint16)
        pixels[:20] = 65535  # burnt, and black: they may stay so
        pixels[20:40] = 0
        self.made(pixels, zones=MadeZones({"ground": (0, 0, 400, 400)}))
        was = (self.photo <= 0.5 / 255) | (self.photo >= 254.5 / 255)
        for kind, settings in STRONG.items():
            out = self.result(self.layer(kind, **settings | everywhere()))
            now = (out <= 0.5 / 255) | (out >= 254.5 / 255)
            self.assertEqual(int((now & ~was).sum()), 0, kind)
            self.assertGreaterEqual(float(out.min()), 0.0)
            self.assertLessEqual(float(out.max()), 1.0)
        out = self.result(self.layer("tone", white_at=70.0, black_at=20.0, **everywhere()))
        now = (out <= 0.5 / 255) | (out >= 254.5 / 255)
        self.assertGreater(int((now & ~was).sum()), 1000)


class MaskTest(AdjustCase):
    def mono(self, **settings) -> Layer:
        return self.layer("mono", everywhere=False, **settings)

    def test_painted_it_acts_there_alone_and_turned_round_everywhere_else(self):
        self.made()
        stroke = edit("mask", [(100, 100), (140, 100)], size=60, edge=0.5, flow=1.0)
        cover = self.engine.kinds["mono"].coverage_of(
            self.engine.stack(self.with_layer(self.mono(edits=[stroke]))).around(0), self.mono(edits=[stroke]),
            self.bounds, 0)
        plain, turned = self.result(self.mono(edits=[stroke])), self.result(self.mono(edits=[stroke], turned=True))
        np.testing.assert_array_equal(plain[cover == 0], self.photo[cover == 0])
        np.testing.assert_array_equal(turned[cover == 1], self.photo[cover == 1])
        self.assertLess(float(np.ptp(plain[cover == 1], axis=-1).max()), 1e-3)
        self.assertLess(float(np.ptp(turned[cover == 0], axis=-1).max()), 1e-3)

    def test_added_to_and_taken_from_by_brush_outline_and_what_was_grown(self):
        self.made()
        area = edit("mask_area", [(40, 40), (200, 40), (200, 160), (40, 160)], feather=10.0)
        away = edit("unmask", [(120, 100)], size=60, edge=0.0, flow=1.0)
        both = self.result(self.mono(edits=[area, away]))
        self.assertGreater(np.abs(both - self.photo)[100, 60].max(), 0.02)
        self.assertLess(np.abs(both - self.photo)[100, 120].max(), 1e-6)
        np.testing.assert_array_equal(both[:, 220:], self.photo[:, 220:])
        rim = np.abs(both - self.photo)[100, 40:60].max(-1)
        self.assertTrue((np.diff(rim[:9]) >= -0.02).all())  # it fades in

    def test_by_zone_it_follows_the_faces_points_and_a_feather_softens_its_rim(self):
        points = dict.fromkeys(("eye_left", "eye_right", "nose_tip", "mouth_left", "mouth_right", "chin", "jaw_left",
                                "jaw_right", "hairline"), (0.0, 0.0))
        face = FaceMap(points | {"eye_right": (60.0, 0.0), "nose_tip": (20.0, 30.0)})
        for at in (20.0, 70.0):
            moved = replace(face, points=dict(face.points) | {"nose_tip": (at, 30.0)})
            self.made(zones=MadeZones({"lips": (50, 50, 120, 120)}), faces=(moved,))
            sharp = np.abs(self.result(self.layer("mono", **by_zones("lips"))) - self.photo).max(-1)
            xs = np.flatnonzero(sharp[80] > 0.01)
            self.assertEqual((xs[0], xs[-1]), (50 + at, 119 + at))
            soft = np.abs(self.result(self.layer("mono", **by_zones("lips", feather_px=20.0))) - self.photo).max(-1)
            self.assertGreater(soft[80, int(45 + at)], 0.001)
            self.assertLess(soft[80, int(52 + at)], 0.9 * sharp[80, int(52 + at)])

    def test_a_face_point_that_moves_makes_tiles_anew_where_a_layer_goes_by_the_face(self):
        names = ("eye_left", "nose_tip", "mouth_left", "mouth_right", "chin", "jaw_left", "jaw_right", "hairline")
        face = FaceMap(dict.fromkeys(names, (10.0, 10.0)) | {"eye_right": (60.0, 10.0)})
        for kind, differs in (("calm", True), ("iris", True), ("background", True), ("mono", False)):
            keys = []
            for moved in (face, face.moved("chin", 30.0, 90.0)):
                self.made(zones=MadeZones({}), faces=(moved,))
                job = self.with_layer(self.layer(kind, **STRONG[kind] | everywhere()))
                keys.append(self.engine.tile_key(job, None, 0, 0, 0))
            self.assertEqual(keys[0] != keys[1], differs, kind)

    def test_zones_that_are_none_are_left_out_on_reading_and_the_rest_survives(self):
        self.assertEqual(read_zones(["skin", "lips"]), ("skin", "lips"))
        with self.assertRaisesRegex(RequestError, "no zone “tail”"):
            read_zones(["tail"])
        layer = self.layer("calm", **by_zones("skin") | {"toward": SKIN})
        back = layer_from_json(layer_to_json(layer), {})
        self.assertEqual(back.settings, layer.settings)
        for name, bad in (("zones", ["tail"]), ("toward", [1, 2]), ("leave", 7.0)):
            with self.assertRaises((RequestError, ValueError)):
                next(one for one in kinds()["calm"][1].parameters if one.id == name).check(bad)


class CurveTest(unittest.TestCase):
    def test_curves_are_monotone_whatever_their_points_and_go_through_them(self):
        rng = np.random.default_rng(4)
        at = np.linspace(-0.2, 1.2, 400).astype(np.float32)
        for _ in range(60):
            n = int(rng.integers(2, 9))
            xs, ys = np.sort(rng.uniform(0, 1, n)), np.sort(rng.uniform(0, 1, n))
            if (np.diff(xs) < 0.02).any():
                continue
            points = read_curve(list(zip(xs, ys)))
            self.assertGreaterEqual(np.diff(through(points, at)).min(), -1e-6)
            np.testing.assert_allclose(through(points, xs.astype(np.float32)), ys, atol=0.02)
        np.testing.assert_allclose(through(STRAIGHT, at), at, atol=1e-6)

    def test_a_point_is_moved_only_as_far_as_the_curve_still_rises(self):
        points = [(0.0, 0.0), (0.4, 0.5), (0.7, 0.8), (1.0, 1.0)]
        moved = held(points, 1, 0.9, 0.95)
        self.assertLess(moved[1][0], 0.7)
        self.assertEqual(moved[1][1], 0.8)
        read_curve(moved)
        for bad in ([(0, 0)], [(0, 0.5), (1, 0.2)], [(0.5, 0), (0.5, 1)], [(0, 0), (1, 2)]):
            with self.assertRaises(RequestError):
                read_curve(bad)

    def test_exposure_contrast_and_points_never_fold_and_white_stays_white(self):
        light = np.linspace(0, 1, 500, dtype=np.float32)
        kind, rng = ToneKind(), np.random.default_rng(6)
        for _ in range(80):
            settings = {"exposure": rng.uniform(-3, 3), "contrast": rng.uniform(-1, 1)}
            out = kind.lightness(Layer("x", "x", "tone", settings=settings), light)
            self.assertGreaterEqual(np.diff(out).min(), -1e-5, settings)
            if settings["exposure"] > 0:
                self.assertLessEqual(float(out.max()), 1.0 + 1e-5)
                self.assertAlmostEqual(float(out[-1]), 1.0, 4)
        one = kind.lightness(Layer("x", "x", "tone", settings={"exposure": 1.0}), np.float32([0.3]))
        self.assertAlmostEqual(float(one[0]), 0.4195, 3)  # L* 30 in twice the light


class KindsTest(AdjustCase):
    """What each kind promises."""

    def lab(self, pixels):
        return srgb_to_lab(pixels)

    def test_calm_takes_back_red_only_leaves_a_share_and_spares_lips(self):
        pixels = skin_like().astype(np.float64) / 65535
        linear = np.where(pixels <= 0.04045, pixels / 12.92, ((pixels + 0.055) / 1.055) ** 2.4)
        linear[60:140, 60:140] *= np.exp(-0.12 * np.array([0.16, 1.0, 0.8]))
        linear[160:240, 60:140] *= np.exp(-0.12 * np.array([1.0, 0.55, 0.18]))
        red = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)
        self.made(np.round(65535 * red).astype(np.uint16), zones=MadeZones({"lips": (60, 60, 100, 140)}))
        clean, photo = self.lab(np.float32(pixels)), self.lab(self.photo)
        for leave in (0.4, 0.7):
            out = self.lab(self.result(self.layer("calm", toward=np.median(clean[80:120, 112:130], (0, 1)).tolist(),
                                                  leave=leave, width_px=3.0, **everywhere())))
            off = [float((x - clean)[80:120, 112:130, 1].mean()) for x in (photo, out)]
            self.assertAlmostEqual(off[1] / off[0], leave, delta=0.08)
            np.testing.assert_allclose(out[70:130, 66:90], photo[70:130, 66:90], atol=1e-3)  # lips
            np.testing.assert_allclose(out[180:220, 80:120, 1:].mean((0, 1)), photo[180:220, 80:120, 1:].mean((0, 1)),
                                       atol=0.25)  # what is blue is not red
        self.assertLess(direction("red", tuple(SKIN))[0], 0)  # blood takes light
        self.assertGreater(direction("yellow", tuple(SKIN))[2], 0.9)
        self.assertLess(direction("blue", tuple(SKIN))[1], 0)

    def test_match_carries_mean_and_spread_over_and_keeps_pores(self):
        pixels = skin_like()
        self.made(pixels)
        lab = self.lab(self.photo)
        mean = lab[150:250, 200:300].mean((0, 1))
        other = {"mean": [float(a + b) for a, b in zip(mean, (4, -4, 5))], "spread": [2.0, 1.5, 1.5]}
        own = {"mean": mean.tolist(), "spread": lab[150:250, 200:300].std((0, 1)).tolist()}
        area = edit("target", [(200, 150), (300, 150), (300, 250), (200, 250)], feather=1.0)
        layer = self.layer("match", edits=[area], measured_from=own, measured_to=other, width_px=3.0, spread=False,
                           light=True)  # form stays unless it is asked for
        out = self.lab(self.result(layer))
        inside = np.s_[160:240, 210:290]
        before, after = (float(delta_e2000(x[inside].mean((0, 1))[None], np.array(other["mean"])[None])[0])
                         for x in (lab, out))
        self.assertLess(after, 0.2 * before)
        fine = [x[inside][..., 0] - x[inside][..., 0].mean() for x in (lab, out)]
        self.assertAlmostEqual(float(fine[1].std() / fine[0].std()), 1.0, delta=0.05)
        np.testing.assert_array_equal(self.result(layer)[:140], self.photo[:140])
        colour_only = self.lab(self.result(replace(layer, settings=layer.settings | {"light": False})))
        self.assertAlmostEqual(float((colour_only - lab)[inside][..., 0].mean()), 0.0, delta=0.05)

    def test_whitening_stops_at_its_ceilings_and_keeps_the_shade_of_a_tooth(self):
        for start in (60.0, 76.0):
            light = np.linspace(start - 14, start + 4, 120, dtype=np.float32)
            grey = np.clip((light / 100) ** 1.1, 0, 1)
            pixels = np.stack([grey, grey * 0.97, grey * 0.72], -1)[None].repeat(60, 0)
            self.made(np.round(65535 * pixels).astype(np.uint16))
            lab = self.lab(self.photo)
            usual = np.median(lab.reshape(-1, 3), axis=0)
            out = self.lab(self.result(self.layer(
                "whiten", measured=usual.tolist(), lighter=1.0, yellow_out=1.0, most_light=78.0, least_yellow=0.1,
                **everywhere())))
            now = np.median(out.reshape(-1, 3), axis=0)
            self.assertLessEqual(now[0], max(78.0, usual[0]) + 0.3)
            self.assertGreaterEqual(now[2], 0.25 * usual[2] - 0.3)  # a quarter of the warmth stays, whatever was set
            self.assertLess(now[2], 0.4 * usual[2])
            self.assertGreaterEqual(np.diff(out[30, :, 0]).min(), -0.05)  # form and shade rise as they did
            self.assertGreater(np.ptp(out[30, :, 0]), 0.7 * np.ptp(lab[30, :, 0]))

    def test_an_iris_gets_colour_and_its_catchlight_stays(self):
        pixels = np.full((80, 80, 3), (0.35, 0.28, 0.20), np.float32)
        pixels += np.random.default_rng(1).normal(0, 0.01, pixels.shape).astype(np.float32)
        pixels[20:28, 20:28] = 0.97
        self.made(np.round(65535 * np.clip(pixels, 0, 1)).astype(np.uint16))
        lab = self.lab(self.photo)
        out = self.lab(self.result(self.layer("iris", measured=np.median(lab.reshape(-1, 3), 0).tolist(),
                                              saturation=0.3, radius_px=30.0, **everywhere())))
        chroma = [np.hypot(x[50:, 50:, 1], x[50:, 50:, 2]).mean() for x in (lab, out)]
        self.assertAlmostEqual(chroma[1] / chroma[0], 1.3, delta=0.05)
        np.testing.assert_allclose(out[22:26, 22:26], lab[22:26, 22:26], atol=0.01)

    def test_shine_comes_down_by_its_share_never_below_the_skin_around_and_hairs_stay(self):
        rng = np.random.default_rng(3)
        ys, xs = np.mgrid[:300, :340].astype(np.float32)
        spot = np.exp(-(((xs - 170) ** 2 + (ys - 150) ** 2) / (2 * 16**2)))[..., None]
        skin = np.array([0.66, 0.5, 0.42], np.float32) * (1 + rng.normal(0, 0.015, (300, 340, 1)).astype(np.float32))
        clean = skin.copy()
        pixels = skin + 0.28 * spot
        hair = (np.abs(xs - 165 - 0.3 * (ys - 150)) < 1.2) & (np.abs(ys - 150) < 20)
        pixels[hair] = clean[hair] = 0.16
        self.made(np.round(65535 * np.clip(pixels, 0, 1)).astype(np.uint16))
        lab = self.lab(np.float32(clean))
        usual = np.median(lab.reshape(-1, 3), axis=0)
        turns = np.linspace(0, 2 * np.pi, 24, endpoint=False)
        area = edit("mask_area", [(170 + 44 * np.cos(t), 150 + 44 * np.sin(t)) for t in turns], feather=12.0)
        half = [usual[0] + 7, usual[1] - 0.3, usual[2] - 0.6]
        layer = self.layer("shine", edits=[area], skin=usual.tolist(), half=half, spot_px=50.0, width_px=3.0)
        photo, out = self.lab(self.photo), self.lab(self.result(layer))
        core = (spot[..., 0] > 0.5) & ~hair
        excess = [float((x - lab)[core][..., 0].mean()) for x in (photo, out)]
        self.assertTrue(0.25 <= excess[1] / excess[0] <= 0.5, excess)
        self.assertGreater(float((out - lab)[core][..., 0].min()), -4.0)
        redder = [float((x - lab)[core][..., 1].mean()) for x in (photo, out)]
        self.assertGreater(redder[1], redder[0] + 0.2)  # the colour that the light bleached comes back
        np.testing.assert_allclose(out[hair], photo[hair], atol=0.6)

    def test_detail_has_no_halo_beside_an_edge_and_leaves_grain(self):
        rng = np.random.default_rng(5)
        pixels = np.full((120, 200, 3), 0.35, np.float32)
        pixels[:, 100:] = 0.7
        pixels += rng.normal(0, 0.006, (120, 200, 1)).astype(np.float32)
        self.made(np.round(65535 * pixels).astype(np.uint16))
        noise = float(self.lab(self.photo)[:, :60, 0].std())
        out = self.lab(self.result(self.layer("crisp", amount=3.0, fine_px=2.0, wide_amount=2.0, wide_px=5.0,
                                              noise=noise, **everywhere())))[..., 0]
        photo = self.lab(self.photo)[..., 0]
        for side in (np.s_[:, 70:100], np.s_[:, 100:130]):
            low, high = photo[side].min(), photo[side].max()
            self.assertGreaterEqual(out[side].min(), low - HALO - 0.1)
            self.assertLessEqual(out[side].max(), high + HALO + 0.1)
        self.assertAlmostEqual(float(out[:, 10:60].std() / photo[:, 10:60].std()), 1.0, delta=0.1)

    def test_soft_detail_gets_stronger_and_passes_build_it_up(self):
        _, xs = np.mgrid[:120, :160].astype(np.float32)
        pixels = (0.5 + 0.06 * np.sin(xs / 2.2))[..., None].repeat(3, -1)
        self.made(np.round(65535 * pixels).astype(np.uint16))
        stroke = edit("mask", [(20, 60), (140, 60)], size=80, edge=0.2, flow=0.03)
        spreads = []
        for passes in (0, 1, 3):
            edits = [replace(stroke, id=new_id()) for _ in range(passes)]
            layer = self.layer("crisp", edits=edits, amount=0.4, fine_px=2.0, everywhere=False)
            spreads.append(float(self.result(layer)[60, 40:120].std()))
        self.assertGreater(spreads[1], 1.02 * spreads[0])
        self.assertGreater(spreads[2], 1.02 * spreads[1])

    def test_a_light_pool_is_full_inside_its_inner_rim_and_gone_beyond_the_outer(self):
        self.made()
        shape = head_shape(None, 340, 300)
        around = self.engine.stack(self.job).above()
        share = pool_share(shape, around, self.bounds, 0)
        self.assertGreater(share[150, 170], 0.999)
        self.assertLess(share[2, 2], 1e-3)
        self.assertTrue((np.diff(share[150, 170:]) <= 1e-4).all())
        x, y = shape["outer"][0]
        wider = pulled(shape, "outer", x, y, x + 40, y)
        self.assertGreater(np.hypot(*(np.array(wider["outer"][0]) - shape["outer"][0])), 35)
        self.assertLess(np.hypot(*(np.array(wider["outer"][8]) - shape["outer"][8])), 1)
        self.assertEqual(wider["inner"], shape["inner"])
        out = self.result(self.layer("pool", shape=shape, inside=0.3, outside=-0.5))
        self.assertGreater(out[150, 170].mean(), self.photo[150, 170].mean() + 0.03)
        self.assertLess(out[4, 4].mean(), self.photo[4, 4].mean() - 0.05)

    def test_an_uneven_ground_is_evened_and_the_person_stays(self):
        _, xs = np.mgrid[:300, :340].astype(np.float32)
        pixels = (0.35 + 0.25 * xs / 340)[..., None].repeat(3, -1)
        pixels[100:, 120:220] = (0.7, 0.5, 0.4)
        self.made(np.round(65535 * pixels).astype(np.uint16))

        self.engine.zones = AllBut({"ground": (120, 100, 220, 300)})
        usual = np.median(self.lab(self.photo)[:90].reshape(-1, 3), axis=0)
        out = self.result(self.layer("background", usual=usual.tolist(), evened=0.8, size_px=40.0))
        np.testing.assert_array_equal(out[101:, 121:219], self.photo[101:, 121:219])
        spread = [float(self.lab(x)[:90, :, 0].std()) for x in (self.photo, out)]
        self.assertLess(spread[1], 0.35 * spread[0])
        self.assertLess(float(np.abs(self.lab(out)[150:, 105:119, 1:] - self.lab(out)[150:, 40:54, 1:]).max()), 1.5)

    def test_a_blurred_ground_takes_nothing_of_the_person_and_leaves_them_sharp(self):
        ys, xs = np.mgrid[:300, :340].astype(np.float32)
        ground = 0.4 + 0.12 * np.sin(xs / 3) * np.sin(ys / 4) + 0.15 * xs / 340
        pixels = ground[..., None] * np.array([1.0, 0.95, 0.9], np.float32)
        alone = pixels.copy()
        pixels[100:, 120:220] = (0.75, 0.35, 0.3)
        self.made(np.round(65535 * pixels).astype(np.uint16), zones=AllBut({"ground": (120, 100, 220, 300)}))
        out = self.result(self.layer("background", evened=0.0, blur_px=12.0))
        np.testing.assert_array_equal(out[101:, 121:219], self.photo[101:, 121:219])
        self.made(np.round(65535 * alone).astype(np.uint16), zones=AllBut({}))
        wanted = self.lab(self.result(self.layer("background", evened=0.0, blur_px=12.0)))
        rim = np.s_[120:290, 222:232]  # the outer ten pixels beside the person
        off = self.lab(out)[rim] - wanted[rim]
        self.assertLess(float(np.abs(off[..., 1:]).max()), 1.5, "no colour of the person in the ground")
        self.assertLess(float(np.abs(off[..., 0]).mean()), 1.5)
        rough = [float(self.lab(one)[10:80, 10:330, 0].std(0).mean()) for one in (self.photo, out)]
        self.assertLess(rough[1], 0.25 * rough[0], "far from the person it is blurred")

    def test_folds_of_the_ground_go_and_its_gradient_stays(self):
        _, xs = np.mgrid[:300, :340].astype(np.float32)
        slope = 0.3 + 0.3 * xs / 340
        folds = 0.04 * np.exp(-(((xs - 60) / 6) ** 2)) - 0.05 * np.exp(-(((xs - 250) / 8) ** 2))
        pixels = (slope + folds)[..., None].repeat(3, -1)
        self.made(np.round(65535 * pixels).astype(np.uint16), zones=AllBut({"ground": (150, 150, 200, 300)}))
        out = self.result(self.layer("background", evened=0.0, folds=1.0, size_px=36.0)).mean(-1)[40]
        for middle in (60, 250):
            left = abs(out[middle] - slope[40, middle]) / abs(folds[40, middle])
            self.assertLess(left, 0.45)
        plain = np.r_[110:205]  # off the folds
        steep = [np.polyfit(plain, line[plain], 1)[0] for line in (out, slope[40])]
        self.assertAlmostEqual(steep[0] / steep[1], 1.0, delta=0.1)

    def test_hues_tints_and_black_and_white(self):
        pixels = np.zeros((60, 90, 3), np.float32)
        pixels[:, :30], pixels[:, 30:60], pixels[:, 60:] = (0.7, 0.3, 0.3), (0.3, 0.6, 0.35), (0.5, 0.5, 0.5)
        self.made(np.round(65535 * pixels).astype(np.uint16))
        lab = self.lab(self.photo)
        hue = float(np.degrees(np.arctan2(lab[5, 5, 2], lab[5, 5, 1])) % 360)
        out = self.lab(self.result(self.layer("hues", hue=hue, hue_width=40.0, chroma=-0.5, lightness=4.0)))
        self.assertAlmostEqual(np.hypot(*out[5, 5, 1:]) / np.hypot(*lab[5, 5, 1:]), 0.5, delta=0.03)
        self.assertAlmostEqual(out[5, 5, 0] - lab[5, 5, 0], 4.0, delta=0.3)
        np.testing.assert_array_equal(out[:, 30:], lab[:, 30:])
        mono = self.result(self.layer("mono", red=1.0, green=0.0, blue=0.0))
        self.assertLess(float(np.ptp(mono, axis=-1).max()), 2e-3)
        np.testing.assert_allclose(mono[5, 5], 0.7, atol=2e-3)  # what red light sees
        tinted = self.lab(self.result(self.layer("tints", middle_hue=90.0, middle_chroma=6.0)))
        self.assertAlmostEqual(float(tinted[5, 70, 2] - lab[5, 70, 2]), 6.0, delta=0.6)
        shares = tone_ranges(np.linspace(0, 100, 50), 35.0, 65.0)
        np.testing.assert_allclose(np.sum(shares, axis=0), 1.0, atol=1e-5)


if __name__ == "__main__":
    unittest.main()
