"""The reading of a photo of people: persons, parts, skin of each, contours; corrected by hand, kept with the job.

benchmarks/parts_quality.py gives the figures on people held out from the fit.
"""

import functools
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.errors import LatherError
from lather.core.imageio.picture import Picture
from lather.core.imageio.png import encode_png
from lather.core.job.commands import CorrectParts
from lather.core.job.face_map import FaceMap
from lather.core.job.face_mesh import EYE_CORNERS, EYES
from lather.core.job.part_strokes import PART_NAMES, PartStroke
from lather.core.measure.photo_facts import meanings, photo_facts
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.people.contours import contours_of
from lather.core.people.faces import closed_eyes
from lather.core.people.groups import numbers_of
from lather.core.people.kept import READING, from_members, members_of
from lather.core.people.parsing import PARTS
from lather.core.people.reading import People, Person, people_for, people_of, read_people
from lather.core.people.skin import colour_of, told_by_both
from lather.core.people.told import how_many, notes
from lather.core.people.zone_masks import ZoneMasks
from lather.core.practice.sitters import CLOTHING, HAIR, SKIN, load_sitter
from lather.core.session import Session
from lather.core.types import Rect
from tests.support.pictures import session_of
from tests.support.sets import for_release


def pixels_of(name: str, height: int) -> tuple[np.ndarray, np.ndarray]:
    """(picture, zones) of a sitter at a height."""
    sitter = load_sitter(name)
    size = (round(sitter.picture.pixels.shape[1] * height / sitter.picture.pixels.shape[0]), height)
    return (cv2.resize(sitter.picture.pixels, size, interpolation=cv2.INTER_AREA),
            cv2.resize(sitter.zones, size, interpolation=cv2.INTER_NEAREST))


@functools.cache
def group() -> tuple[Photo, np.ndarray]:
    """A light, a dark and an olive person side by side on a grey ground; and the zones of all."""
    places = (("wren-2", 900, 0, 0), ("tilda", 700, 720, 200), ("ambrose", 800, 1280, 100))
    picture, zones = np.full((900, 1920, 3), 96, np.uint8), np.zeros((900, 1920), np.uint8)
    for name, height, x, y in places:
        own, labels = pixels_of(name, height)
        own = own if own.dtype == np.uint8 else (own >> 8).astype(np.uint8)
        picture[y : y + height, x : x + own.shape[1]] = own
        zones[y : y + height, x : x + own.shape[1]] = labels
    return Photo(Picture(np.uint16(257) * picture), b"group", "group"), zones


@functools.cache
def photo_of(name: str) -> Photo:
    return Photo(Picture(load_sitter(name).picture.pixels), b"", name)


def overlap(found: np.ndarray, truth: np.ndarray) -> float:
    return float((found & truth).sum() / max(1, (found | truth).sum()))


class GroupTest(unittest.TestCase):
    def test_each_person_has_a_place_a_face_and_skin_of_their_own(self):
        photo, zones = group()
        people = people_of(photo)
        self.assertEqual(len(people.persons), 3)
        self.assertEqual([person.number for person in people.persons], [1, 2, 3])
        self.assertTrue(all(person.face is not None for person in people.persons))
        light = sorted((person.head.middle[0], person.colour.lab[0]) for person in people.persons)
        self.assertGreater(light[0][1], light[1][1] + 20)  # the one in the middle is the darkest
        skin = people.share("skin", photo.bounds) > 0.5
        for x0, x1, least in ((0, 720, 0.85), (720, 1280, 0.85), (1280, 1920, 0.8)):
            truth = zones[:, x0:x1] == SKIN
            self.assertGreater((skin[:, x0:x1] & truth).sum() / truth.sum(), least, x0)

    def test_pixels_belong_to_the_person_they_lie_on(self):
        photo, zones = group()
        people = people_of(photo)
        for person in people.persons:
            own, part = people.at(*person.head.middle)
            self.assertIs(own, person)
            self.assertEqual(part, "skin")
            x = person.head.middle[0]
            x0, x1 = next((a, b) for a, b in ((0, 720), (720, 1280), (1280, 1920)) if a <= x < b)
            mask = people.share("person", photo.bounds, of=(person.number,)) > 0.5
            self.assertGreater(mask[:, x0:x1][zones[:, x0:x1] > 0].mean(), 0.8)
            self.assertLess(mask[zones == 0].mean(), 0.1)
        self.assertEqual(people.at(700, 20), (None, "ground"))

    def test_the_face_in_hand_changes_nothing_of_what_is_known_of_the_others(self):
        photo, _ = group()
        first = PhotoMeasures(photo)
        for face in first.faces:
            other = PhotoMeasures(photo, face)
            self.assertIs(other.people, first.people)
            np.testing.assert_array_equal(other.skin, first.skin)
            np.testing.assert_array_equal(other.person, first.person)
            self.assertEqual(len(other.faces), 3)

    def test_the_brief_tells_how_many_there_are(self):
        photo, _ = group()
        self.assertEqual(str(how_many(people_of(photo))), "3, skin of each seen")
        rows = {what: value for what, value, _ in meanings(photo_facts(PhotoMeasures(photo)))}
        self.assertEqual(rows["People"], "3, skin of each seen")

    def test_those_whose_faces_need_a_look_are_told(self):
        photo, _ = group()
        people = people_of(photo)
        first, second, third = people.persons
        told = notes(replace_persons(people, (
            replace(first, oval_skin=0.4), replace(second, closed=("left", "right")),
            replace(third, head=replace(third.head, face=None)))))
        self.assertEqual(len(told), 3)
        self.assertIn("only 40 % of the face", told[0])
        self.assertIn("closed eyes", told[1])
        self.assertIn("from the side", told[2])


def replace_persons(people: People, persons: tuple[Person, ...]) -> People:
    return People(people.photo, persons, people.wide, people.near, people.whose)


class PartsTest(unittest.TestCase):
    def test_parts_overlap_with_the_zone_maps(self):
        for name, skin, hair in (("wren", 0.76, 0.78), ("tilda", 0.9, 0.8), ("marlow", 0.76, 0.75)):
            photo, zones = photo_of(name), load_sitter(name).zones
            people = people_of(photo)
            self.assertGreater(overlap(people.share("skin", photo.bounds) > 0.5, zones == SKIN), skin, name)
            self.assertGreater(overlap(people.share("hair", photo.bounds) > 0.5, zones == HAIR), hair, name)
            self.assertGreater(overlap(people.share("cloth", photo.bounds) > 0.5, zones == CLOTHING), 0.5, name)

    def test_what_is_asked_for_is_the_same_at_any_level_and_in_any_piece(self):
        photo = photo_of("wren")
        people = people_of(photo)
        whole = people.share("hair", photo.bounds)
        part = Rect(700, 500, 1100, 900)
        off = np.abs(people.share("hair", part) - whole[part.slices(photo.bounds)])
        self.assertLess(float(off.mean()), 1e-3)
        self.assertLess(float(off.max()), 0.05)
        half = people.share("hair", photo.level_bounds(1), 1)
        self.assertLess(float(np.abs(half - cv2.resize(whole, half.shape[::-1], interpolation=cv2.INTER_AREA)).mean()),
                        0.03)
        labels = people.label_map(part)
        self.assertEqual(labels.shape, (400, 400))
        self.assertGreater((labels == PARTS.index("hair"))[whole[part.slices(photo.bounds)] > 0.9].mean(), 0.9)

    def test_legs_far_from_the_face_are_the_persons_and_skin(self):
        photo, zones = photo_of("marlow"), load_sitter("marlow").zones
        people = people_of(photo)
        legs = np.flatnonzero(zones[-1] == SKIN)
        for x in (int(legs[len(legs) // 4]), int(legs[-len(legs) // 4])):
            person, part = people.at(x, photo.height - 20)
            self.assertEqual((person and person.number, part), (1, "skin"), x)

    def test_of_a_lying_head_the_same_is_told(self):
        own, zones = pixels_of("wren-2", 1000)
        lying = Photo(Picture(np.ascontiguousarray(np.rot90(own))), b"", "lying")
        people = people_of(lying)
        self.assertEqual(len(people.persons), 1)
        self.assertGreater(abs(people.persons[0].head.angle), 1.2)
        skin = people.share("skin", lying.bounds) > 0.5
        self.assertGreater(overlap(skin, np.rot90(zones) == SKIN), 0.7)

    def test_a_face_at_the_border_of_the_frame_is_read(self):
        own, zones = pixels_of("wren", 1000)
        cut = Photo(Picture(np.ascontiguousarray(own[:, own.shape[1] // 2 - 60 :])), b"", "cut")
        people = people_of(cut)
        truth = zones[:, own.shape[1] // 2 - 60 :] == SKIN
        skin = people.share("skin", cut.bounds) > 0.5
        self.assertGreater((skin & truth).sum() / truth.sum(), 0.6)

    def test_where_nobody_is_all_is_ground(self):
        wall = np.random.default_rng(1).integers(90, 110, (600, 500, 3)).astype(np.uint8)
        people = people_of(Photo(Picture(np.uint16(257) * wall), b"", "wall"))
        self.assertEqual((people.persons, people.faces), ((), ()))
        self.assertEqual(float(people.share("skin", Rect(0, 0, 500, 600)).max()), 0)
        self.assertGreater(float(people.share("ground", Rect(0, 0, 500, 600)).min()), 0.99)

    def test_a_face_that_only_the_person_sees_is_read_as_one(self):
        own, _ = pixels_of("wren", 500)
        dark = Photo(Picture(np.ascontiguousarray((own * 0.02).astype(own.dtype))), b"", "dark")
        face = PhotoMeasures(photo_of("wren")).face
        k = 500 / photo_of("wren").height
        by_hand = FaceMap({name: (x * k, y * k) for name, (x, y) in face.points.items()}, by_person=True)
        people = people_for(dark, (by_hand,))
        self.assertIsNotNone(people.person_of(by_hand))

    def test_progress_is_told_and_what_it_raises_ends_the_reading(self):
        own, _ = pixels_of("pip", 400)
        photo, told = Photo(Picture(own), b"", "pip"), []
        read_people(photo, progress=told.append)
        self.assertEqual((sorted(told), told[-1]), (told, 1.0))

        def stop(share: float) -> None:
            raise InterruptedError

        with self.assertRaises(InterruptedError):
            read_people(photo, progress=stop)


class EyesTest(unittest.TestCase):
    def test_open_eyes_are_open(self):
        for name in ("wren", "ambrose", "tilda", "pip"):
            self.assertEqual(people_of(photo_of(name)).persons[0].closed, (), name)

    def test_an_eye_is_closed_where_neither_white_nor_iris_is_seen_between_lids_that_meet(self):
        people = people_of(photo_of("wren"))
        face, near = people.persons[0].face, people.near[0]
        mesh = face.mesh_px.copy()
        lids, corners = list(EYES["left"]), mesh[list(EYE_CORNERS["left"])]
        mesh[lids] = corners.mean(0) + (mesh[lids] - corners.mean(0)) * (1, 0.2)
        met = replace(face, mesh=tuple(map(tuple, mesh)))
        shares = near.shares.copy()
        shares[..., list(numbers_of("eyes"))] = 0
        blind = replace(near, shares=shares)
        self.assertEqual(closed_eyes(met, blind), ("left",))
        self.assertEqual(closed_eyes(face, blind), ())  # lids that stand open

    def test_a_closed_eye_has_no_white_and_no_iris(self):
        photo = photo_of("wren")
        people, zones = people_of(photo), ZoneMasks(photo)
        faces = people.faces
        whole = {zone: zones.mask(zone, faces, photo.bounds, 0) for zone in ("eye_whites", "irises")}
        closed = replace_persons(people, (replace(people.persons[0], closed=("left",)),))
        with mock.patch.object(ZoneMasks, "people", lambda self, faces: closed):
            left = {zone: zones.mask(zone, faces, photo.bounds, 0) for zone in whole}
        middle = int(people.persons[0].head.middle[0])
        for zone, mask in whole.items():
            self.assertGreater(float(mask[:, :middle].max()), 0.9, zone)
            self.assertEqual(float(left[zone][:, :middle].max()), 0.0, zone)
            np.testing.assert_allclose(left[zone][:, middle:], mask[:, middle:], atol=1e-6)


class SkinTest(unittest.TestCase):
    def test_two_ways_to_tell_skin_add_up_and_colours_that_do_not_know_the_face_count_little(self):
        skin, colour = np.full((40, 60), 0.6, np.float32), np.zeros((40, 60), np.float32)
        face = np.zeros_like(skin)
        face[:20, :20], skin[:20, :20], colour[:20, :20] = 1, 0.99, 1
        person = np.ones_like(skin)
        person[:, 50:] = 0
        told = told_by_both(skin, colour, person, face)
        self.assertLess(float(told[25:, :45].max()), 0.1)  # the colours know the face: they are believed elsewhere too
        np.testing.assert_array_equal(told[:, 50:], skin[:, 50:])
        doubted = told_by_both(skin, np.where(face > 0, 0.2, 0).astype(np.float32), person, face)
        self.assertGreater(float(doubted[25:, :45].min()), 0.25)
        self.assertGreater(float(doubted[:20, :20].min()), 0.9)

    def test_the_usual_colour_is_that_of_sure_skin(self):
        lab = np.full((30, 30, 3), (60, 15, 20), np.float32)
        lab[:, 20:] = (30, 0, 0)
        skin = np.zeros((30, 30), np.float32)
        skin[:, :20] = 0.95
        self.assertEqual(colour_of(lab, skin).lab, (60.0, 15.0, 20.0))
        self.assertIsNone(colour_of(lab, np.zeros_like(skin)))


class CorrectedTest(unittest.TestCase):
    def test_what_is_painted_is_what_is_there_and_can_be_taken_back(self):
        photo = photo_of("wren")
        people = people_of(photo)
        (x, y), size = people.persons[0].head.middle, people.persons[0].head.size
        cheek = (x - 0.22 * size, y)
        stroke = PartStroke("cloth", (cheek, (cheek[0], cheek[1] + 60)), 50.0)
        said = people.corrected((stroke,))
        self.assertEqual(said.at(*cheek)[1], "cloth")
        self.assertEqual(said.at(x + 0.22 * size, y)[1], "skin")
        self.assertIs(people.corrected((stroke,)), said)
        self.assertIs(people.corrected(()), people)
        place = Rect(int(cheek[0]) - 10, int(cheek[1]) + 10, int(cheek[0]) + 10, int(cheek[1]) + 40)
        self.assertLess(float(said.share("skin", place).mean()), 0.2)
        self.assertGreater(float(people.share("skin", place).mean()), 0.8)
        off = people.corrected((PartStroke("ground", (cheek,), 50.0),))
        self.assertIsNone(off.at(*cheek)[0])

    def test_finds_zones_and_measures_obey_it_and_the_job_keeps_it(self):
        sitter = load_sitter("pip")
        session = session_of(sitter.picture.pixels)
        person = people_of(session.photo).persons[0]
        x, y = person.head.middle
        stroke = PartStroke("other", ((x - 0.2 * person.head.size, y),), 120.0)
        session.history.do(CorrectParts((stroke,)))
        place = Rect(int(stroke.points[0][0]) - 20, int(y) - 20, int(stroke.points[0][0]) + 20, int(y) + 20)
        zones = session.engine.zones_of(session.job)
        self.assertLess(float(zones.mask("skin", (), place, 0).mean()), 0.2)
        self.assertGreater(float(session.engine.zones.mask("skin", (), place, 0).mean()), 0.8)
        measures = PhotoMeasures.of_job(session.photo, session.job)
        here = measures.skin[int(y / measures.scale), int(stroke.points[0][0] / measures.scale)]
        self.assertLess(float(here), 0.3)
        session.history.undo()
        self.assertEqual(session.job.part_strokes, ())

    def test_what_no_part_is_cannot_be_painted(self):
        for part, points, width in (("nose", ((1, 1),), 5), ("skin", (), 5), ("skin", ((1, 1),), -1),
                                    ("skin", ((float("nan"), 1),), 5)):
            with self.assertRaises((LatherError, ValueError), msg=(part, points, width)):
                PartStroke(part, points, width)
        self.assertEqual(PART_NAMES, PARTS)


class KeptTest(unittest.TestCase):
    def test_a_job_keeps_the_reading_and_gives_it_back(self):
        photo, _ = group()
        people = people_of(photo)
        members = members_of(people)
        again = from_members(photo, members)
        self.assertEqual([p.box for p in again.persons], [p.box for p in people.persons])
        np.testing.assert_array_equal(again.whose, people.whose)
        self.assertLessEqual(int(np.abs(again.wide.shares.astype(int) - people.wide.shares).max()), 2)
        off = again.share("skin", photo.bounds) - people.share("skin", photo.bounds)
        self.assertLess(float(np.abs(off).max()), 0.05)
        self.assertLess(sum(map(len, members.values())), 2_500_000)

    def test_what_is_damaged_or_of_another_photo_is_read_anew(self):
        photo, _ = group()
        members = members_of(people_of(photo))
        self.assertIsNone(from_members(photo_of("pip"), members))
        self.assertIsNone(from_members(photo, {}))
        for name in members:
            for damage in (b"", members[name][: len(members[name]) // 2], b"\x00" * 200):
                broken = from_members(photo, members | {name: damage})
                self.assertTrue(broken is None or name.startswith("people/face"), name)
        self.assertIsNone(from_members(photo, members | {READING: b'{"form": 1e999}'}))

    def test_saved_and_opened_again_masks_are_the_same(self):
        own, _ = pixels_of("pip", 1000)
        session = session_of(own, file_bytes=encode_png(own))
        before = session.engine.zones.mask("skin", (), Rect(300, 300, 500, 500), 0)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "pip.lather"
            session.save(path)
            again = Session.open(path)
        self.assertIn(READING, again.members)
        np.testing.assert_allclose(again.engine.zones.mask("skin", (), Rect(300, 300, 500, 500), 0), before, atol=0.03)


class ContoursTest(unittest.TestCase):
    def test_contours_lie_on_what_they_are_called_after(self):
        sitter, photo = load_sitter("wren"), photo_of("wren")
        found = contours_of(people_of(photo))
        kinds = {contour.what for contour in found}
        self.assertLessEqual({"jaw", "wing", "nostril", "lips", "lid", "fold", "hairline"}, kinds)
        lips = (sitter.zones == 2).astype(np.uint8)
        away = cv2.distanceTransform(1 - cv2.morphologyEx(lips, cv2.MORPH_GRADIENT, np.ones((3, 3))), cv2.DIST_L2, 5)
        outer = max((c for c in found if c.what == "lips"), key=lambda c: len(c.points)).points
        off = away[outer[:, 1].astype(int), outer[:, 0].astype(int)]
        self.assertLess(float(np.median(off)), 0.012 * sitter.face_width_px)
        hair = cv2.dilate((sitter.zones == HAIR).astype(np.uint8), np.ones((25, 25))) > 0
        x, y = np.vstack([c.points for c in found if c.what == "hairline"]).astype(int).T
        self.assertGreater(hair[y.clip(0, hair.shape[0] - 1), x.clip(0, hair.shape[1] - 1)].mean(), 0.6)

    @for_release
    def test_nobody_has_contours_where_nobody_is(self):
        wall = np.full((300, 300, 3), 20000, np.uint16)
        self.assertEqual(contours_of(people_of(Photo(Picture(wall), b"", "wall"))), ())


if __name__ == "__main__":
    unittest.main()
