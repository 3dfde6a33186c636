"""Shape: the field, what strokes do to it, measures, mirror, lines behind, and that everything follows."""

import json
import unittest
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

from lather.core.brush.values import Brush
from lather.core.engine.live import LiveStroke
from lather.core.errors import RequestError
from lather.core.gauges.registry import measured_on_desk, unmoved
from lather.core.job.commands import AddLayer
from lather.core.job.grain_model import GrainModel
from lather.core.job.model import Layer, Stage, Stroke, freeze_points, new_id, new_job
from lather.core.measure.lines_behind import lines_behind
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.people.outline import PersonOutline
from lather.core.practice.flaws.warps import planted_move
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import load_sitter, on_ground
from lather.core.stages.base import STILL, Step
from lather.core.stages.grain.kind import grain_settings
from lather.core.stages.grain.missing_map import missing_map
from lather.core.stages.shape import holds, measures
from lather.core.stages.shape.grid import areas
from lather.core.stages.shape.layers import Moves
from lather.core.stages.shape.lines import hold_of
from lather.core.stages.shape.live import FOLDS
from lather.core.stages.shape.mirror import PAIRS, looks_ahead, mirror_at
from lather.core.stages.shape.readout import moves_of
from lather.core.tools.registry import TOOLS, modes
from lather.core.types import Rect
from tests.support.faces import made_face
from tests.support.pictures import engine_of, session_of, skin_like

WIDE, HIGH = 640, 480
BOUNDS = Rect(0, 0, WIDE, HIGH)


def made(tool: str, places, *, size: float = 160, order: int = 1, edge: float = 1.0, ceiling: float = 1.0,
         flow: float = 1.0, **more) -> Stroke:
    rows = [(x, y, 1, 0.1 * n) for n, (x, y) in enumerate(places)]
    return Stroke(new_id(), tool, Brush(size_px=size, edge=edge, ceiling=ceiling, flow=flow), freeze_points(rows),
                  order=order, **more)


def field_of(*edits, strength: float = 1.0, bounds: Rect = BOUNDS):
    layer = Layer(new_id(), "Moves", "shape", edits=edits, strength=strength)
    return Moves(10**9).field(Step(Stage("shape", layers=(layer,)), (layer,), bounds=bounds))


def spots(count: int = 4000, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).uniform([0, 0], [WIDE, HIGH], (count, 2))


def with_edits(job, *edits, name: str = "By hand"):
    layer = Layer(new_id(), name, "shape", edits=edits)
    return AddLayer("shape", layer, len(job.stage("shape").layers)).apply(job)


class FieldTest(unittest.TestCase):
    def test_random_pushes_never_fold_and_the_border_stays_closed(self):
        rng = np.random.default_rng(3)
        edits = []
        for n in range(120):
            size = float(np.exp(rng.uniform(np.log(8), np.log(500))))
            way = rng.uniform([-40, -40], [WIDE + 40, HIGH + 40]) + np.cumsum(rng.normal(0, 0.25 * size, (4, 2)), 0)
            tool = rng.choice(["push", "push", "swell", "draw_in"])
            edits.append(made(tool, way, size=size, order=n + 1, flow=float(rng.uniform(0.1, 1))))
        field = field_of(*edits)
        self.assertGreater(field.largest[0], 10)
        self.assertTrue(np.isfinite(field.forward).all() and np.isfinite(field.backward).all())
        back = areas(field.backward, field.grid.dx, field.grid.dy, spots(60_000))
        self.assertGreater(1 / back.max(), 0.2)
        self.assertGreater(back.min(), 0.15)
        places = spots()
        self.assertLess(np.abs(field.to_above(field.to_below(places)) - places).max(), 0.05)
        self.assertLess(np.abs(field.to_below(field.to_above(places)) - places).max(), 0.05)
        down, along = np.linspace(0, HIGH, 300), np.linspace(0, WIDE, 300)
        for x in (0.0, float(WIDE)):
            side = np.column_stack([np.full(300, x), down])
            self.assertLess(np.abs(field.to_below(side)[:, 0] - x).max(), 1e-6)
        for y in (0.0, float(HIGH)):
            side = np.column_stack([along, np.full(300, y)])
            self.assertLess(np.abs(field.to_below(side)[:, 1] - y).max(), 1e-6)

    def test_what_is_pushed_goes_along_with_the_pen_and_a_strength_scales_it(self):
        push = made("push", [(300, 240), (330, 250)], edge=0.5)
        moved = field_of(push).to_above(np.array([[300.0, 240.0]]))[0]
        np.testing.assert_allclose(moved, (330, 250), atol=6)
        half = field_of(push, strength=0.5).to_above(np.array([[300.0, 240.0]]))[0]
        np.testing.assert_allclose(half - (300, 240), (moved - (300, 240)) / 2, atol=0.05)
        far = field_of(made("push", [(300, 240), (420, 240)], ceiling=0.2))
        self.assertLessEqual(far.largest[0], 0.2 * 80 + 0.5)

    def test_swell_makes_larger_and_draw_in_smaller(self):
        spot = [(320, 240), (321, 240)]
        for tool, larger in (("swell", True), ("draw_in", False)):
            growth = field_of(made(tool, spot, flow=0.5)).growth(Rect(318, 238, 322, 242), 0).mean()
            self.assertEqual(growth > 1.05, larger)
            self.assertEqual(growth < 0.95, not larger)

    def test_settle_is_exactly_the_photo_again(self):
        push = made("push", [(300, 240), (330, 250)])
        over = made("settle", [(200, 200), (440, 220), (440, 280), (200, 280)], size=400, edge=0.2, order=2)
        self.assertGreater(np.abs(field_of(push).forward).max(), 5)
        self.assertEqual(np.abs(field_of(push, over).forward).max(), 0)

    def test_held_places_do_not_move_and_what_was_moved_before_stays(self):
        hold = made("hold", [(360, 200), (360, 280)], size=60, edge=0.3, order=2)
        before, after = made("push", [(330, 240), (350, 240)], order=1), made("push", [(330, 240), (380, 250)], order=3)
        inside = np.column_stack([np.full(41, 360.0) + np.linspace(-18, 18, 41), np.linspace(200, 280, 41)])
        moved = field_of(hold, after).to_above(inside) - inside
        self.assertLess(np.abs(moved).max(), 0.02)
        kept, first = field_of(before, hold, after).to_above(inside), field_of(before).to_above(inside)
        self.assertGreater(np.abs(first - inside).max(), 3)
        np.testing.assert_allclose(kept, first, atol=0.02)
        freed = field_of(hold, made("let_go", [(360, 200), (360, 280)], size=90, edge=0.2, order=2), after)
        self.assertGreater(np.abs(freed.to_above(inside) - inside).max(), 3)

    def test_a_hold_on_another_layer_protects_from_what_comes_after_it(self):
        hold = made("hold", [(330, 240)], size=80, edge=0.2, order=2)
        for order, moves in ((1, True), (3, False)):
            layers = (Layer("a", "a", "shape", edits=(made("push", [(310, 240), (350, 240)], order=order),)),
                      Layer("b", "b", "shape", edits=(hold,)))
            field = Moves(10**9).field(Step(Stage("shape", layers=layers), layers, bounds=BOUNDS))
            away = np.abs(field.to_above(np.array([[330.0, 240.0]])) - (330, 240)).max()
            self.assertEqual(away > 3, moves, order)

    def test_held_areas_inside_and_outside_an_outline(self):
        square = [(300, 200), (380, 200), (380, 280), (300, 280)]
        push = made("push", [(300, 240), (340, 240)], size=300, order=2)
        for mode, held, free in (("inside", (340, 240), (430, 240)), ("outside", (430, 240), (340, 240))):
            area = made("hold_area", square, order=1, mode=mode, feather=20.0)
            moved = np.hypot(*(field_of(area, push).to_above(np.array([held, free], float)) - (held, free)).T)
            self.assertLess(moved[0], 0.02, mode)
            self.assertGreater(moved[1], 2, mode)

    def test_a_piece_is_stretched_into_the_gap_and_its_neighbour_stays(self):
        tooth = [(300, 200), (340, 200), (340, 250), (300, 250)]
        field = field_of(made("stretch", tooth, pull=(340.0, 225.0, 348.0, 225.0)))
        edge, far, neighbour = field.to_above(np.array([[340.0, 225.0], [300.0, 225.0], [353.0, 225.0]]))
        self.assertAlmostEqual(edge[0], 348, delta=1.0)
        self.assertAlmostEqual(far[0], 300, delta=0.5)
        self.assertAlmostEqual(neighbour[0], 353, delta=0.6)
        inwards = field_of(made("stretch", tooth, pull=(340.0, 225.0, 334.0, 225.0)))
        self.assertAlmostEqual(inwards.to_above(np.array([[340.0, 225.0]]))[0][0], 334, delta=1.0)

    def test_fences_confine_moves(self):
        from lather.core.job.fence import Fence
        fence = Fence((((0.0, 0.0), (320.0, 0.0), (320.0, 480.0), (0.0, 480.0)),), 8.0)
        field = field_of(made("push", [(300, 240), (330, 240)], size=300, fence=fence))
        self.assertGreater(np.abs(field.to_above(np.array([[280.0, 240.0]])) - (280, 240)).max(), 2)
        self.assertLess(np.abs(field.to_above(np.array([[340.0, 240.0]])) - (340, 240)).max(), 0.05)

    def test_a_long_push_under_the_pen_stops_before_it_folds_and_is_kept_as_it_was_shown(self):
        engine = engine_of(skin_like(HIGH, WIDE))
        wall = made("hold", [(360, 120), (360, 360)], size=60, edge=0.1, order=1)
        job = with_edits(new_job(engine.photo.source), wall)
        layer = job.stage("shape").layers[0]
        push = made("push", [(260, 240)], size=120, edge=0.5)
        live = LiveStroke(engine, job, "shape", layer.id, push)
        for x in range(260, 520, 10):
            live.extend(np.array([[x, 240, 1, 0]], np.float32))
        live.settle()
        shown = live.pixels(BOUNDS)
        done = live.finish()
        self.assertEqual(done.message, FOLDS)
        self.assertLess(done.edit.points[-1, 0], 500)
        self.assertEqual(done.edit.order, 2)
        finished = job.with_layer("shape", replace(layer, edits=(*layer.edits, done.edit)))
        np.testing.assert_allclose(shown, engine.pixels(finished, BOUNDS), atol=2e-4)
        back = areas(engine.warp(finished).backward, WIDE / 320, HIGH / 240, spots(40_000))
        self.assertGreater(1 / back.max(), 0.2)

    def test_moves_that_would_fold_together_are_held_back_and_counted(self):
        session = session_of(skin_like(HIGH, WIDE))
        towards = (made("push", [(260, 240), (300, 240)], size=120, order=1),
                   made("push", [(390, 240), (340, 240)], size=120, order=2),
                   made("measure", [(285, 240), (322, 240), (360, 240), (322, 240)], size=90, order=3))
        job = with_edits(session.job, *towards)
        self.assertGreaterEqual(moves_of(session.engine, job).held_back, 1)
        self.assertGreater(moves_of(session.engine, job).tightest, 0.2)

    def test_texture_is_kept_where_it_is_moved(self):
        pixels = skin_like(HIGH, WIDE, seed=2)
        pixels = np.round(cv2.GaussianBlur(pixels.astype(np.float32), (0, 0), 1.2)).astype(np.uint16)
        engine = engine_of(pixels)
        push = made("push", [(310.3, 240.2), (322.8, 243.6)], size=400, edge=0.5)
        area = Rect(280, 200, 360, 280)
        before, after = engine.photo.read(BOUNDS), engine.pixels(with_edits(new_job(engine.photo.source), push), area)
        warp = engine.warp(with_edits(new_job(engine.photo.source), push))
        places = np.stack(np.meshgrid(np.arange(area.x0, area.x1), np.arange(area.y0, area.y1)), -1) + 0.5
        source = np.floor(warp.to_below(places)).astype(int)
        fine = [image - cv2.GaussianBlur(image, (0, 0), 3) for image in (before.mean(-1), after.mean(-1))]
        kept = fine[1].std() / fine[0][source[..., 1], source[..., 0]].std()
        self.assertGreater(kept, 0.97)
        self.assertLess(kept, 1.03)


class MirrorTest(unittest.TestCase):
    @staticmethod
    def frontal():
        """The face of pip, made alike on both sides."""
        face = made_face("pip", scale=0.5).measures.face
        origin, across, down = face.frame
        seen = np.column_stack([(face.mesh_px - origin) @ across, (face.mesh_px - origin) @ down])
        even = seen.copy()
        for a, b in PAIRS:
            even[a] = ((seen[a, 0] - seen[b, 0]) / 2, (seen[a, 1] + seen[b, 1]) / 2)
        even[[1, 4], 0] = 0
        mesh = origin + even[:, :1] * across + even[:, 1:] * down
        return replace(face, mesh=tuple(map(tuple, mesh.tolist())))

    def _alike(self, face, left: int, right: int):
        """Moves of a place and of its mirror, each in halves of the face."""
        x, y = face.mesh_px[left]
        bounds = Rect(0, 0, 1000, 1250)
        push = made("push", [(x, y), (x + 12, y + 4)], size=0.3 * face.width_px, mirror=mirror_at(face, x, y))
        moves = field_of(push, bounds=bounds)
        both = face.mesh_px[[left, right]]
        _, across, down = face.frame
        way = moves.to_above(both) - both
        return np.column_stack([way @ across, way @ down])

    def test_on_a_face_that_looks_ahead_both_sides_move_alike_to_a_tenth_of_a_pixel(self):
        face = self.frontal()
        self.assertTrue(looks_ahead(face))
        for left, right in ((172, 397), (187, 411)):
            here, there = self._alike(face, left, right)
            self.assertGreater(np.hypot(*here), 8)
            np.testing.assert_allclose(there, here * (-1, 1), atol=0.1)

    def test_on_a_turned_head_a_place_goes_to_its_pair_and_moves_as_the_map_between_them_says(self):
        for name in ("tilda", "marlow"):
            face = made_face(name, scale=0.5).measures.face
            self.assertFalse(looks_ahead(face))
            x, y = face.mesh_px[187]
            a, b, c, d, tx, ty = mirror_at(face, x, y)
            place = np.array([a * x + b * y + tx, c * x + d * y + ty])
            self.assertLess(np.hypot(*(place - face.mesh_px[411])), 0.03 * face.width_px, name)
            here, there = self._alike(face, 187, 411)
            _, across, down = face.frame
            linear = np.stack([across, down]) @ np.array([[a, b], [c, d]]) @ np.stack([across, down]).T
            np.testing.assert_allclose(there, linear @ here, atol=0.03 * np.hypot(*here), err_msg=name)


class MeasuresTest(unittest.TestCase):
    def setUp(self):
        self.face = made_face("tilda", scale=0.5)
        self.session = self.face.session()
        self.session.history.job.brief["kind"] = "beauty"
        self.map = self.session.job.face_map

    def set(self, name, percent, *sides):
        measure = measures.BY_ID[name]
        command = measures.set_command(self.session.job, measure, sides or measure.sides, percent)
        if command is not None:
            self.session.history.do(command)
        return measure

    def now(self, measure, side):
        warp = self.session.engine.warp(self.session.job)
        return measures.distance(measure, self.map, side, warp.to_above)

    def test_each_measure_is_what_was_set_to_a_tenth_of_a_percent(self):
        for measure in measures.MEASURES:
            if measure.id in ("eye_level", "mouth_level", "chin_out", "hairline"):
                continue  # their distance does not lie along their way
            self.set(measure.id, -1.0)
            side = measure.sides[0]
            sides = 2 if measure.way == "out" else 1
            less = -1 if measure.id == "nose_tip" else 1  # up is towards the root of the nose
            wanted = measures.distance(measure, self.map, side) - less * sides
            self.assertAlmostEqual(self.now(measure, side), wanted, delta=0.15, msg=measure.id)
            self.set(measure.id, 0.0)
        self.assertIs(self.session.engine.warp(self.session.job), STILL)

    def test_handles_go_the_way_that_is_said(self):
        for measure in measures.MEASURES:
            self.set(measure.id, 1.0)
            for side in measure.sides:
                at = measures.handle(measure, self.map, side)
                moved = self.session.engine.warp(self.session.job).to_above(at[None])[0] - at
                share = 0.5 if measure.way == "open" else 1.0
                along = 100 * (moved @ measures.way(measure, self.map, side)) / self.map.width_px
                self.assertAlmostEqual(along, share, delta=0.15, msg=f"{measure.id} {side}")
            self.set(measure.id, 0.0)

    def test_singly_evened_cleared_and_held_to_the_limit(self):
        self.set("jaw_corners", -0.4, "left")
        self.set("jaw_corners", -9.0, "right")
        values = measures.values(self.session.job, self.map)
        self.assertAlmostEqual(values["jaw_corners", "left"], -0.4, places=3)
        self.assertAlmostEqual(values["jaw_corners", "right"], -3.0, places=3)
        self.session.history.do(measures.even_command(self.session.job))
        values = measures.values(self.session.job, self.map)
        self.assertAlmostEqual(values["jaw_corners", "left"], -1.7, places=3)
        self.assertAlmostEqual(values["jaw_corners", "right"], -1.7, places=3)
        self.session.history.do(measures.clear_command(self.session.job))
        self.assertEqual(measures.values(self.session.job, self.map), {})
        self.session.history.undo()
        self.assertEqual(len(measures.values(self.session.job, self.map)), 2)

    def test_identity_photos_and_children_have_none(self):
        for kind in ("identity-true", "newborn/child"):
            self.assertEqual(measures.most_percent(kind), 0)
            self.session.history.job.brief["kind"] = kind
            self.assertIsNone(measures.set_command(self.session.job, measures.BY_ID["lids"], ("left",), 1.0))

    def test_a_held_zone_keeps_a_measure_from_moving_it(self):
        layer = Layer(new_id(), "Held", "shape")
        self.session.history.do(AddLayer("shape", layer, 0))
        found = holds.outlines_of(self.map)
        self.assertEqual([zone for zone in ("eyes", "nose", "lips", "teeth") if zone in found],
                         ["eyes", "nose", "lips", "teeth"])
        self.session.history.do(holds.hold_command(self.session.job, layer, "eyes", found["eyes"], self.map.width_px))
        self.assertEqual(holds.held_zones(self.session.job), {"eyes"})
        measure = self.set("lids", 1.5)
        self.assertAlmostEqual(self.now(measure, "left"), measures.distance(measure, self.map, "left"), delta=0.01)
        self.session.history.do(holds.let_go_command(self.session.job, "eyes"))
        self.assertAlmostEqual(self.now(measure, "left"), measures.distance(measure, self.map, "left") + 1.5, delta=0.2)

    def test_what_was_moved_is_told_in_numbers(self):
        self.assertEqual(moves_of(self.session.engine, self.session.job).largest_px, 0)
        self.set("cheekbones", -2.0, "left")
        moves = moves_of(self.session.engine, self.session.job)
        self.assertAlmostEqual(moves.percent, 2.0, delta=0.1)
        self.assertEqual(moves.place, "cheekbone, left")
        self.assertAlmostEqual(moves.largest_px, 0.02 * self.map.width_px, delta=0.5)
        width = max(self.session.photo.width, self.session.photo.height)
        self.assertAlmostEqual(moves.mm, moves.largest_px * 400 / width, places=3)
        self.assertNotEqual(moves.sides, moves.sides_before)
        self.assertLess(moves.tightest, 1.0)
        self.assertEqual(moves.held_back, 0)
        self.assertGreater(moves.texture, 97)
        self.assertLess(moves.texture, 108)


class BehindTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        sitter = on_ground(load_sitter("tilda"), "lines", 5)
        cls.plate = make_plate(sitter, 5, flaws={"hair_bump": 1, "tooth_gap": 1, "warp_cheek": 1})
        half = cv2.resize(cls.plate.photo, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        cls.session = session_of(half)
        cls.measures = PhotoMeasures(cls.session.photo)
        cls.lines = lines_behind(cls.measures)

    def test_lines_are_found_on_the_ground_and_a_plain_ground_has_none(self):
        self.assertGreaterEqual(len(self.lines), 3)
        zones = cv2.resize(self.plate.zones, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_NEAREST)
        for line in self.lines:
            for start, end in line.parts:
                at = np.linspace(start, end, 50).astype(int)
                rows, columns = (np.clip(at[:, n], 0, zones.shape[1 - n] - 1) for n in (1, 0))
                self.assertGreater((zones[rows, columns] == 0).mean(), 0.9, line.name)
        plain = session_of(np.full((400, 500, 3), 30000, np.uint16))
        self.assertEqual(lines_behind(PhotoMeasures(plain.photo)), [])

    def test_a_bent_line_is_named_and_held_straight(self):
        line = max(self.lines, key=lambda one: max(np.hypot(*np.subtract(*part)) for part in one.parts))
        part = max(line.parts, key=lambda ends: np.hypot(*np.subtract(*ends)))
        middle = (np.array(part[0]) + part[1]) / 2
        across = np.array([-(part[1][1] - part[0][1]), part[1][0] - part[0][0]])
        across = across / np.hypot(*across)
        push = made("push", [middle, middle + 12 * across], size=160, order=1)
        job = with_edits(self.session.job, push)
        bends = {bend.name: bend for bend in moves_of(self.session.engine, job, self.lines).bends}
        self.assertGreater(bends[line.name].px, 0.5)
        self.assertTrue(bends[line.name].over)
        held = with_edits(job, *(hold_of(one.parts, one.name, 2) for one in self.lines), name="Held")
        for bend in moves_of(self.session.engine, held, self.lines).bends:
            self.assertLess(bend.px, 0.5, bend.name)

    def test_the_outline_of_hair_is_found_under_the_pen_and_pushed_in(self):
        flaw = next(one for one in self.plate.flaws if one.kind == "hair_bump").to_json()
        move, at = np.array(flaw["move"]) / 2, np.array([flaw["x"], flaw["y"]]) / 2
        crest, out = at + move, move / np.hypot(*move)
        place, inwards = PersonOutline(self.measures.people).snapped(*crest, 30)
        self.assertLess(abs((place - crest) @ out), 8)
        self.assertGreater(inwards @ -out, 0.8)
        along = np.array([-out[1], out[0]])
        layer = Layer(new_id(), "By hand", "shape")
        job = AddLayer("shape", layer, 0).apply(self.session.job)
        way = [crest + step * along for step in (-18, -6, 6, 18)]
        tuck = made("tuck", way[:1], size=60, flow=0.5)
        live = LiveStroke(self.session.engine, job, "shape", layer.id, tuck)
        for x, y in way:
            live.extend(np.array([[x, y, 1, 0]], np.float32))
        done = live.finish()
        moved = self.session.engine.warp(with_edits(self.session.job, done.edit)).to_above(crest[None])[0] - crest
        self.assertGreater(moved @ -out, 1.5)
        nowhere = LiveStroke(self.session.engine, job, "shape", layer.id, made("tuck", [(450, 560)], size=20))
        nowhere.extend(np.array([[450, 560, 1, 0], [460, 560, 1, 0.1]], np.float32))
        self.assertIn("No outline", nowhere.finish().message)

    def test_planted_forms_say_how_they_are_undone(self):
        kinds = {flaw.kind: flaw.to_json() for flaw in self.plate.flaws}
        self.assertEqual(set(kinds), {"hair_bump", "tooth_gap", "warp_cheek"})
        cheek = kinds["warp_cheek"]
        ys, xs = np.mgrid[: self.plate.photo.shape[0], : self.plate.photo.shape[1]].astype(np.float32)
        places = np.stack([xs, ys], -1)
        back = (places - planted_move(cheek, places + 0.5)).astype(np.float32)
        undone = cv2.remap(self.plate.truth.astype(np.float32), back[..., 0], back[..., 1], cv2.INTER_CUBIC)
        box = Rect(*(int(v) for v in (cheek["x"] - 60, cheek["y"] - 60, cheek["x"] + 60, cheek["y"] + 60)))
        at = box.slices(Rect(0, 0, *self.plate.photo.shape[1::-1]))
        photo, truth = (self.plate.photo[at].astype(float), self.plate.truth[at].astype(float))
        self.assertLess(np.abs(undone[at] - photo).mean(), 0.5 * np.abs(truth - photo).mean())
        gap = kinds["tooth_gap"]
        self.assertGreater(gap["gap_px"], 3)
        self.assertEqual(set(np.unique(_outside(self.plate, kinds))), {False})


def _outside(plate, kinds) -> np.ndarray:
    """Where a plate differs from its truth though no flaw reaches there."""
    differs = (plate.photo != plate.truth).any(-1)
    for flaw in kinds.values():
        reach = int(flaw.get("reach_px", 120)) + 4
        x, y = int(flaw["x"]), int(flaw["y"])
        differs[max(0, y - reach) : y + reach, max(0, x - reach) : x + reach] = False
    return differs


class FollowsTest(unittest.TestCase):
    """What is kept in the photo's coordinates is seen where the form is."""

    def setUp(self):
        self.session = session_of(skin_like(HIGH, WIDE))
        self.engine = self.session.engine
        self.moved = with_edits(self.session.job, made("push", [(300, 240), (340, 250)], size=300))
        self.warp = self.engine.warp(self.moved)

    def test_a_mend_beneath_shows_where_the_form_is_and_under_the_pen_too(self):
        layer = self.moved.stage("mend").layers[0]
        mend = Stroke(new_id(), "copy", Brush(size_px=30, edge=0.3), freeze_points([[300, 240, 1, 0]]), offset=(0, 140))
        live = LiveStroke(self.engine, self.moved, "mend", layer.id, mend)
        changed = live.extend(np.array([[300, 240, 1, 0]], np.float32))
        x, y = self.warp.to_above(np.array([300.0, 240.0]))
        self.assertGreater(x, 325)
        self.assertTrue(changed.contains(Rect(int(x) - 10, int(y) - 10, int(x) + 10, int(y) + 10)))
        done = self.moved.with_layer("mend", replace(layer, edits=(mend,)))
        away = np.abs(self.engine.pixels(done, BOUNDS) - self.engine.pixels(self.moved, BOUNDS)).max(-1)
        rows, columns = np.nonzero(away > 0.004)
        self.assertAlmostEqual(float(columns.mean()) + 0.5, x, delta=1.0)
        self.assertAlmostEqual(float(rows.mean()) + 0.5, y, delta=1.0)

    def test_grain_painted_above_it_lies_where_it_was_painted(self):
        settings = grain_settings(GrainModel(((0.5, 4.0),), 0.6, 0.3), everywhere=False)
        grain = Stroke(new_id(), "grain", Brush(size_px=40, edge=0.2), freeze_points([[300, 240, 1, 0]]))
        layer = Layer(new_id(), "Grain", "grain", settings=settings, edits=(grain,))
        job = AddLayer("grain", layer, 0).apply(self.moved)
        away = np.abs(self.engine.pixels(job, BOUNDS) - self.engine.pixels(self.moved, BOUNDS)).max(-1)
        rows, columns = np.nonzero(away > 0.002)
        x, y = self.warp.to_above(np.array([300.0, 240.0]))
        self.assertAlmostEqual(float(columns.mean()) + 0.5, x, delta=1.5)
        self.assertAlmostEqual(float(rows.mean()) + 0.5, y, delta=1.5)
        empty = AddLayer("grain", replace(layer, edits=()), 0).apply(self.moved)
        live = LiveStroke(self.engine, empty, "grain", layer.id, grain)
        changed = live.extend(np.array([[300, 240, 1, 0]], np.float32))
        np.testing.assert_allclose(live.pixels(changed), self.engine.pixels(job, changed), atol=2e-4)

    def test_moved_skin_does_not_count_as_touched_or_without_grain(self):
        face = made_face()
        session = face.session()
        x, y = face.measures.face.points["nose_tip"]
        job = with_edits(session.job, made("push", [(x, y), (x + 8, y)], size=150))
        values = measured_on_desk(session.engine, job, face.measures)
        self.assertAlmostEqual(values["texture_kept"], 100, delta=0.01)
        self.assertIs(unmoved(session.job), session.job)
        model = GrainModel(((0.5, 1.0),), 0.6, 0.3)
        self.assertEqual(missing_map(session.engine, job, model).max(), 0)

    def test_at_nothing_it_is_the_photo_and_nothing_is_read_twice(self):
        photo = self.engine.photo.read(BOUNDS)
        stage = self.moved.stage("shape")
        for off in (replace(stage, strength=0.0), replace(stage, on=False)):
            np.testing.assert_array_equal(self.engine.pixels(self.moved.with_stage(off), BOUNDS), photo)
        still = self.engine.pixels(self.moved, Rect(0, 0, 40, 40))
        np.testing.assert_array_equal(still, photo[:40, :40])

    def test_strokes_keep_pull_mirror_and_order_and_refuse_what_cannot_be(self):
        stroke = made("stretch", [(1, 1), (9, 1), (9, 9)], order=7, pull=(9.0, 5.0, 12.0, 5.0),
                      mirror=(-1.0, 0.0, 0.0, 1.0, 640.0, 0.0))
        again = Stroke.from_json(stroke.to_json(), stroke.points)
        self.assertEqual((again.pull, again.mirror, again.order), (stroke.pull, stroke.mirror, 7))
        self.assertNotEqual(stroke.digest, replace(stroke, pull=(9.0, 5.0, 13.0, 5.0)).digest)
        for wrong in ({"pull": [1, 2, 3]}, {"mirror": [1, 2, 3, 4, 5, float("nan")]}, {"order": -1},
                      {"pull": [1, 2, 3, 1e9]}):
            with self.assertRaises(RequestError):
                Stroke.from_json(stroke.to_json() | wrong, stroke.points)
        schema = json.loads((Path(__file__).parents[2] / "docs" / "job.schema.json").read_text())
        said = schema["$defs"]["stroke"]["properties"]
        self.assertEqual((set(said["tool"]["enum"]), set(said["mode"]["enum"])), (set(TOOLS), set(modes())))
        flat = made("push", [(300, 240), (330, 240)], mirror=(0.0, 0.0, 0.0, 0.0, 5.0, 5.0))
        self.assertTrue(np.isfinite(field_of(flat).forward).all())
