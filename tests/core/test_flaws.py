"""Made flaws look as skin and light would have them: pigment by channel, lit and shaded sides, taper, soft rims."""

import functools
import unittest

import cv2
import numpy as np

from lather.core.colour import srgb
from lather.core.practice.grain import Grain
from lather.core.practice.make import light_direction, make_plate
from lather.core.practice.sitters import BROWS, EYE_WHITE, LIPS, SKIN, TEETH, load_sitter
from lather.core.types import as_float32

SITTERS = ("wren", "tilda")
SMALL = {
    "blemish_red": 3, "mole": 3, "blemish_bright": 3, "freckle": 3, "blemish_dark": 6, "hair_on_skin": 3, "crease": 2,
    "strap_mark": 1, "jewellery_mark": 1, "stray_hair": 4,
}


@functools.cache
def drawn(sitter: str, seed: int = 6, **flaws: int):
    """(plate without grain, log of linear light with the flaws over that without)."""
    made = make_plate(sitter, seed, flaws=flaws, grain=Grain(0.0, 0.5, 0.3))
    photo, truth = (srgb.decode(as_float32(p)) for p in (made.photo, made.truth))
    return made, np.log((photo + 1e-4) / (truth + 1e-4))


def of_kind(sitter: str, *kinds: str):
    """(flaws of some kinds, change) of a plate that holds all small ones."""
    made, change = drawn(sitter, **SMALL)
    return [f for f in made.flaws if f.kind in kinds], change


def core_of(flaw, change, share=0.5):
    """Mean change (3,) where a flaw is strongest."""
    mask = np.zeros(change.shape[:2], np.uint8)
    cv2.fillPoly(mask, [np.round(flaw.outline).astype(np.int32)], 1)
    own = change[mask > 0]
    strength = np.abs(own).sum(1)
    return own[strength >= share * strength.max()].mean(0)


def across(change, path, offsets):
    """Mean of |change| at distances (px) to the side of each point of a path: (points, offsets)."""
    points = np.array(path)
    heading = np.gradient(points, axis=0)
    heading /= np.hypot(*heading.T)[:, None]
    side = np.stack([-heading[:, 1], heading[:, 0]], 1)
    grid = (points[:, None] + side[:, None] * np.array(offsets)[None, :, None]).astype(np.float32)
    size = np.abs(change).mean(-1).astype(np.float32)
    return cv2.remap(size, grid[..., 0].copy(), grid[..., 1].copy(), cv2.INTER_LINEAR)


class PigmentTest(unittest.TestCase):
    def test_blood_takes_green_pigment_takes_blue_and_pale_spots_reflect_more(self):
        for sitter in SITTERS:
            flaws, change = of_kind(sitter, "blemish_red", "mole", "blemish_bright", "freckle")
            self.assertGreater(len(flaws), 9)
            for flaw in flaws:
                red, green, blue = core_of(flaw, change)
                if flaw.kind == "blemish_red":
                    self.assertTrue(green < red - 0.03 and green < 0, (sitter, flaw.kind, red, green, blue))
                elif flaw.kind in ("mole", "freckle"):
                    self.assertTrue(blue < green < red < 0.02, (sitter, flaw.kind, red, green, blue))
                else:
                    self.assertGreater(red + green + blue, 0, (sitter, flaw.kind))

    def test_moles_and_freckles_are_the_persons_own(self):
        made, _ = drawn("wren", **SMALL)
        self.assertEqual({f.kind for f in made.flaws if f.keeper}, {"mole", "freckle"})
        self.assertEqual({f.kind for f in made.flaws if not f.keeper}, set(SMALL) - {"mole", "freckle"})

    def test_redness_and_blotches_have_no_rim(self):
        made, change = drawn("pip", redness=2, blotch=2)
        for flaw in made.flaws:
            size = np.abs(change).sum(-1)
            x0, y0 = np.maximum(0, np.min(flaw.outline, 0).astype(int))
            x1, y1 = np.max(flaw.outline, 0).astype(int)
            part = cv2.GaussianBlur(size[y0:y1, x0:x1], (0, 0), 1.5)
            steep = max(np.abs(np.gradient(part)[i]).max() for i in (0, 1))
            self.assertLess(steep / part.max(), 6 / min(part.shape), flaw.kind)


class FormTest(unittest.TestCase):
    def test_a_raised_blemish_is_lighter_on_the_side_towards_the_light(self):
        leans = []
        for sitter in SITTERS:
            flaws, change = of_kind(sitter, "blemish_dark")
            light = np.array(light_direction(load_sitter(sitter)))
            for flaw in flaws:
                r = max(3, int(0.6 * flaw.size_px))
                x, y = round(flaw.x - 0.5), round(flaw.y - 0.5)
                part = change[y - r : y + r + 1, x - r : x + r + 1].mean(-1)
                ys, xs = np.mgrid[-r : r + 1, -r : r + 1] / r
                leans.append((part * (xs * light[0] + ys * light[1])).sum() / np.abs(part).sum())
        self.assertGreater(np.mean(leans), 0.012)  # 0.025 as it is drawn, -0.001 of its pigment alone

    def test_a_stray_hair_tapers_towards_its_tip_and_a_hair_on_skin_has_a_shadow(self):
        made, change = drawn("wren", **SMALL)
        offsets = np.linspace(-4, 4, 33)
        for flaw in (f for f in made.flaws if f.kind == "stray_hair"):
            path = flaw.path
            widths = (across(change, path, offsets) > 0.05).sum(1)
            quarter = max(2, len(path) // 4)
            ends = sorted((widths[2:quarter].mean(), widths[-quarter:-2].mean()))
            self.assertLess(ends[0], 0.9 * ends[1], flaw.id)
        def is_beside(other, flaw) -> bool:  # where its shadow is looked for
            places = np.array(other.path if other.path is not None else [(other.x, other.y)])
            away = np.hypot(*(np.array(flaw.path)[:, None] - places[None]).transpose(2, 0, 1)).min()
            return other is not flaw and away < 14 + (0 if other.path is not None else other.size_px / 2)

        hairs = [f for f in made.flaws if f.kind == "hair_on_skin"]
        alone = [hair for hair in hairs if not any(is_beside(other, hair) for other in made.flaws)]
        self.assertGreater(len(alone), 0)
        for flaw in alone:
            profile = across(change, flaw.path, np.linspace(-12, 12, 49)).mean(0)
            left, right = profile[:18].max(), profile[-18:].max()
            self.assertGreater(max(left, right), 1.3 * min(left, right) + 0.002, flaw.id)

    def test_a_strap_is_red_between_two_edges_pressed_deeper(self):
        for sitter in SITTERS:
            (flaw,), change = of_kind(sitter, "strap_mark")
            path = flaw.path[len(flaw.path) // 4 : -len(flaw.path) // 4]
            offsets = np.linspace(-1, 1, 81) * flaw.width_px
            profile = across(change, path, offsets).mean(0)
            middle, edge, outside = (profile[np.abs(np.abs(offsets) / flaw.width_px - at) < 0.06].mean()
                                     for at in (0.0, 0.45, 0.85))
            self.assertTrue(edge > middle > 4 * outside, (sitter, edge, middle, outside))

    def test_a_crease_and_a_chain_are_as_wide_as_they_say(self):
        for sitter in SITTERS:
            flaws, change = of_kind(sitter, "crease", "jewellery_mark")
            for flaw in flaws:
                offsets = np.linspace(-2, 2, 81) * flaw.width_px
                profile = across(change, flaw.path[3:-3], offsets).mean(0)
                wide = (profile > 0.25 * profile.max()).sum() * (offsets[1] - offsets[0])
                self.assertTrue(0.5 < wide / flaw.width_px < 2.0, (sitter, flaw.kind, wide, flaw.width_px))


class PlaceTest(unittest.TestCase):
    def test_each_lies_on_what_it_belongs_to_and_touches_nothing_else(self):
        for sitter in ("tilda",):
            for kind, zones in (("braces", {TEETH, LIPS}), ("vein_eye", {EYE_WHITE}), ("scar", {SKIN}),
                                ("smeared_lip", {SKIN, LIPS}), ("brow_hair", {SKIN, BROWS})):
                made, change = drawn(sitter, **{kind: 1})
                if not made.flaws:
                    continue
                touched = np.abs(change).max(-1) > 0.02
                self.assertTrue(touched.any(), (sitter, kind))
                inside = np.isin(made.zones[touched], list(zones)).mean()
                self.assertGreater(inside, 0.85, (sitter, kind))

    def test_an_intruder_comes_from_the_frame_and_is_out_of_focus(self):
        _, change = drawn("wren", intruder=1)
        size = np.abs(change).mean(-1)
        border = np.concatenate([size[0], size[-1], size[:, 0], size[:, -1]])
        self.assertGreater(border.max(), 0.05)
        steep = np.abs(np.gradient(cv2.GaussianBlur(size, (0, 0), 1.0))[0]).max()
        self.assertLess(steep, 0.2 * size.max())

    def test_flaws_keep_apart_and_off_the_rim_of_skin(self):
        made, _ = drawn("tilda", blemish_red=10, mole=6)
        places = np.array([(f.x, f.y) for f in made.flaws])
        gaps = np.hypot(*(places[:, None] - places).transpose(2, 0, 1)) + 1e9 * np.eye(len(places))
        sizes = np.array([f.size_px for f in made.flaws])
        self.assertTrue((gaps > 0.5 * (sizes[:, None] + sizes)).all())
        off_skin = cv2.distanceTransform((made.zones == SKIN).astype(np.uint8), cv2.DIST_L2, 5)
        self.assertTrue(all(off_skin[int(f.y), int(f.x)] > 0.5 * f.size_px for f in made.flaws))

    def test_a_sitter_of_ones_own_without_marks_still_gives_a_plate(self):
        sitter = load_sitter("pip")
        sitter.landmarks = {}
        made = make_plate(sitter, 3, flaws={"under_eye": 1, "brow_hair": 1, "vein_nose": 1, "blemish_red": 2})
        self.assertEqual([f.kind for f in made.flaws if f.kind.startswith("blemish")], ["blemish_red"] * 2)


if __name__ == "__main__":
    unittest.main()
