"""Repeats, spill and the strokes that did it, maps of gauges, and the way back from too much."""

import unittest
from functools import cache

import cv2
import numpy as np

from lather.core.brush.values import Brush
from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.photo import Photo
from lather.core.gauges.against_limits import judged_gauges
from lather.core.gauges.pull_back import FEW_TILES, acting_layers, over_limit, pull_back
from lather.core.gauges.registry import GAUGES, measured_whole, pictures_of
from lather.core.gauges.repeats import found_repeats
from lather.core.gauges.spill import spilling_strokes
from lather.core.imageio.picture import Picture
from lather.core.job.commands import AddEdits, AddLayer, SetFinds, SetLayer
from lather.core.job.finds import Find
from lather.core.job.history import History
from lather.core.job.model import Layer, Stroke, freeze_points, new_id, new_job
from lather.core.measure.repeats import repeats_in_pictures, repeats_of_job
from lather.core.practice.make import make_plate
from lather.core.practice.mistakes import copied_disc
from lather.core.session import Session
from lather.core.stages.mend.dab import dab_stroke, source_candidates, with_source
from tests.support.faces import made_face
from tests.support.sets import for_release


def stroke(tool: str, places, size: float, *, offset=None, ceiling: float = 1.0, mode: str = "any") -> Stroke:
    points = freeze_points([(x, y, 1.0, 0.0) for x, y in places])
    brush = Brush(size_px=size, edge=0.3, ceiling=ceiling, flow=1.0)
    return Stroke(new_id(), tool, brush, points, offset=offset, mode=mode)


def laid(session, *edits, stage: str = "mend"):
    layer = session.job.stage(stage).layers[0]
    session.history.do(AddEdits(stage, layer.id, edits))


def dabbed(session, places, size: float) -> int:
    """Dabs with sources found for each; how many there are."""
    for x, y in places:
        dab = dab_stroke(float(x), float(y), size)
        dab = with_source(dab, source_candidates(session.engine, session.job, session.job.stage("mend").layers[0].id,
                                                 dab))
        if dab is not None:
            laid(session, dab)
    return len(session.job.stage("mend").layers[0].edits)


@cache
def skin_places(margin: float = 0.09) -> tuple[tuple[float, float], ...]:
    """Places well inside the skin of the made face."""
    face = made_face()
    size = int(margin * face.measures.face_width_px) * 2 + 1
    ys, xs = np.nonzero(cv2.erode((face.zones == 1).astype(np.uint8), np.ones((size, size))))
    return tuple((float(x), float(y)) for x, y in zip(xs[::37], ys[::37]))


class RepeatsTest(unittest.TestCase):
    def test_sources_taken_twice_are_found_and_mends_of_their_own_are_not(self):
        face = made_face()
        width, rng, hits, clean = face.measures.face_width_px, np.random.default_rng(3), 0, 0
        places, tries = skin_places(), 20
        for _ in range(tries):
            session = face.session()
            source = places[int(rng.integers(len(places)))]
            far = [p for p in places if np.hypot(p[0] - source[0], p[1] - source[1]) > 0.12 * width]
            a = far[int(rng.integers(len(far)))]
            apart = [p for p in far if np.hypot(p[0] - a[0], p[1] - a[1]) > 0.12 * width]
            b = apart[int(rng.integers(len(apart)))]
            edits = [stroke("carry", [p], 0.05 * width, offset=(round(source[0] - p[0]), round(source[1] - p[1])))
                     for p in (a, b)]
            laid(session, *edits)
            found = repeats_of_job(session.job, width, lambda x, y: 1.0)
            hits += bool(found) and set(found[0].edits) == {e.id for e in edits}
            laid_one = face.session()
            laid(laid_one, edits[0])
            clean += bool(repeats_of_job(laid_one.job, width, lambda x, y: 1.0))
        self.assertEqual(clean, 0)
        self.assertGreaterEqual(hits, 0.95 * tries)
        session = face.session()
        self.assertGreater(dabbed(session, places[::60], 0.03 * width), 4)
        self.assertEqual(repeats_of_job(session.job, width, lambda x, y: 1.0), [])

    def test_skin_copied_as_it_is_and_marks_copied_along_count(self):
        face = made_face()
        width = face.measures.face_width_px
        (x, y), (sx, sy) = skin_places()[0], skin_places()[-1]
        offset = round(sx - x), round(sy - y)
        session = face.session()
        laid(session, stroke("copy", [(x, y)], 0.1 * width, offset=offset))
        (one,) = pictures_of(session.engine, session.job, face.measures).once(found_repeats)
        self.assertIn("copied as it is", one.why)
        session = face.session()
        mole = Find("m", "mole", sx, sy, 8.0, 9.0, 0.9, keeper=True)
        session.history.amend(SetFinds((mole,), face.measures.face, ()))
        laid(session, stroke("carry", [(x, y)], 0.04 * width, offset=offset))
        (one,) = repeats_of_job(session.job, width, lambda x, y: 1.0)
        self.assertIn("mole copied along", one.why)

    @for_release
    def test_copied_skin_is_found_in_the_pictures_alone_turned_and_mirrored_too(self):
        made = make_plate("wren", 701, flaws={})
        width = made.sitter.face_width_px
        ys, xs = np.nonzero(cv2.erode((made.zones == 1).astype(np.uint8), np.ones((int(0.16 * width),) * 2)))
        rng, side = np.random.default_rng(1), int(0.08 * width)
        box = np.s_[ys.min() - 60 : ys.max() + 60, xs.min() - 60 : xs.max() + 60]
        before = srgb_to_lab(made.photo[box] / np.float32(65535))
        skin = (made.zones[box] == 1).astype(np.float32)
        found = 0
        cases = ((37, False), (-20, True))
        for turn, mirror in cases:
            while True:
                i, j = rng.integers(len(xs), size=2)
                if np.hypot(xs[i] - xs[j], ys[i] - ys[j]) > 2.5 * side:
                    break
            picture = copied_disc(made.photo, (xs[i], ys[i]), (xs[j], ys[j]), side, turn=turn, mirror=mirror)
            after = srgb_to_lab(np.clip(picture[box], 0, 65535) / np.float32(65535))
            repeats = repeats_in_pictures(before, after, skin, width)
            here = np.array((xs[j] - box[1].start, ys[j] - box[0].start))
            found += any(np.hypot(*(np.array(place[:2]) - here)) < side for one in repeats
                         for place in (one.first, one.second))
        self.assertEqual(found, len(cases))
        photo = Photo(Picture(made.photo), b"wren", "plate.png")
        session = Session(photo, History(new_job(photo.source)))
        self.assertGreater(dabbed(session, list(zip(xs, ys))[:: len(xs) // 12], 0.03 * width), 6)
        mended = srgb_to_lab(session.engine.pixels(session.job, photo.bounds)[box].astype(np.float32))
        self.assertGreater(np.abs(mended - before).max(), 1.0)
        self.assertEqual(repeats_in_pictures(before, mended, skin, width), [])


class SpillTest(unittest.TestCase):
    def test_strokes_that_reach_lips_are_named_and_those_on_skin_are_not(self):
        face = made_face()
        width, session = face.measures.face_width_px, face.session()
        ys, xs = np.nonzero(cv2.erode((face.zones == 2).astype(np.uint8), np.ones((5, 5))))
        lips = float(xs.mean()), float(ys.mean())
        (sx, sy) = skin_places()[0]
        over = stroke("copy", [(lips[0] - 30, lips[1]), (lips[0] + 30, lips[1])], 0.06 * width,
                      offset=(round(sx - lips[0]), round(sy - lips[1])))
        x, y = skin_places()[-1]
        inside = stroke("carry", [(x, y)], 0.04 * width, offset=(12, -30))
        laid(session, inside, over)
        pictures = pictures_of(session.engine, session.job, face.measures)
        self.assertEqual([edit.id for _, _, edit in spilling_strokes(pictures)], [over.id])
        self.assertGreater(GAUGES["spill"].measure(pictures), 0.0)
        where = GAUGES["spill"].where(pictures)
        scale = face.measures.scale
        self.assertEqual(where[int(lips[1] / scale), int(lips[0] / scale)], 1.0)
        self.assertEqual(where[int(y / scale), int(x / scale)], 0.0)
        clean = face.session()
        laid(clean, inside)
        self.assertEqual(spilling_strokes(pictures_of(clean.engine, clean.job, face.measures)), [])

    def test_lips_sharpened_or_lit_on_purpose_are_no_spill(self):
        face = made_face()
        session = face.session()
        tone = Layer(new_id(), "Brighter", "tone", settings={"everywhere": True, "exposure": 0.6})
        session.history.do(AddLayer("finish", tone, 0))
        pictures = pictures_of(session.engine, session.job, face.measures)
        self.assertEqual(GAUGES["spill"].measure(pictures), 0.0)


def veiled(session, measures, strength: float = 1.0):
    """A veil over the whole face, as somebody overdoes it."""
    low, high = measures.face.mesh_px.min(0), measures.face.mesh_px.max(0)
    edits = tuple(stroke("veil", [(x, y) for x in np.arange(low[0], high[0], 20)], 110)
                  for y in np.arange(low[1], high[1], 55))
    layer = Layer(new_id(), "Veil, skin", "split", strength=strength, edits=edits,
                  settings={"band": "veil", "width_px": 3.0})
    session.history.do(AddLayer("split", layer, 0))
    return layer


class PullBackTest(unittest.TestCase):
    def test_the_layer_to_blame_is_named_and_turned_down_until_all_is_inside(self):
        face = made_face()
        session = face.session()
        layer = veiled(session, face.measures)
        values = measured_whole(session.engine, session.job, face.measures, most_tiles=FEW_TILES)
        out = over_limit(values, None)
        self.assertIn("texture_kept", [one.gauge.id for one in out])
        offer = pull_back(session.engine, session.job, face.measures, values, None)
        self.assertEqual({step.layer_id for step in offer.steps}, {layer.id})
        self.assertEqual(set(offer.helped), {one.gauge.id for one in out})
        self.assertEqual(offer.beyond, {})
        (step,) = offer.steps
        after = offer.command.apply(session.job)
        again = measured_whole(session.engine, after, face.measures, most_tiles=FEW_TILES)
        self.assertEqual(over_limit(again, None), [])
        for name, value in offer.values.items():  # a second measurement agrees
            self.assertAlmostEqual(again[name], value, delta=0.01 * max(1.0, abs(value)))
        # just inside: two per cent more is out again
        more = SetLayer("split", layer.id, "strength", step.after + 0.02).apply(after)
        values = measured_whole(session.engine, more, face.measures, most_tiles=FEW_TILES)
        self.assertTrue(over_limit(values, None))

    @for_release
    def test_the_work_of_other_layers_is_left_alone(self):
        face = made_face()
        session = face.session()
        x, y = skin_places()[0]
        laid(session, stroke("carry", [(x, y)], 14, offset=(30, 0)))
        veil = veiled(session, face.measures)
        self.assertEqual(len(acting_layers(session.job)), 2)
        values = measured_whole(session.engine, session.job, face.measures, most_tiles=FEW_TILES)
        told = {}
        offer = pull_back(session.engine, session.job, face.measures, values, None, tell=told.__setitem__)
        self.assertEqual([step.name for step in offer.steps], ["Veil, skin"])
        self.assertEqual(told, offer.causes)
        own = {one.gauge.id for one in over_limit(measured_whole(
            session.engine, face.session().job, face.measures, most_tiles=FEW_TILES), None)}  # of the photo itself
        out = {name: causes for name, causes in offer.causes.items() if name not in own}
        self.assertGreater(len(out), 1)
        for name, causes in out.items():  # also of those that came inside with another
            self.assertEqual([cause.layer_id for cause in causes], [veil.id], name)

    def test_what_no_strength_helps_says_so(self):
        face = made_face()
        session = face.session()
        offer = pull_back(session.engine, session.job, face.measures, {"blotch_residual": 5.0}, None)
        self.assertEqual((offer.steps, offer.command), ((), None))
        never = pull_back(session.engine, session.job, face.measures, {"texture_kept": 20.0}, None,
                          go_on=lambda: False)
        self.assertEqual(never.steps, ())


class MapsTest(unittest.TestCase):
    def test_maps_show_where_it_is_and_a_gauge_that_cannot_be_told_says_why(self):
        face = made_face()
        session = face.session()
        veiled(session, face.measures)
        pictures = pictures_of(session.engine, session.job, face.measures, most_tiles=8)
        skin = pictures.skin > 0.5
        for name in ("texture_kept", "skin_touched"):
            mask = GAUGES[name].where(pictures)
            self.assertEqual(mask.shape, skin.shape)
            self.assertGreater(mask[skin].mean(), 5 * mask[~skin].mean(), name)
        self.assertTrue(all(gauge.untold for gauge in GAUGES.values()))
        self.assertEqual(judged_gauges({}, None)["keepers_intact"].state, "not told")
