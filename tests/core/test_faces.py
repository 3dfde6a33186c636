"""Faces found by networks: points, zones at their pixels, several faces, points dragged, the person against the ground.

benchmarks/face_quality.py gives the figures on all sitters and scales.
"""

import functools
import json
import unittest

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.face.crop import Crop
from lather.core.face.zones import NAMES, FaceZones
from lather.core.imageio.picture import Picture
from lather.core.job.face_map import POINTS, SIDES, FaceMap
from lather.core.job.face_mesh import MOUTH_CORNERS, OVAL
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.sitters import load_sitter

# today's figures with a little room, in % of the face width: corners of the mouth, overlap of lips and of eyes
SITTERS = {"wren": (2.2, 0.85, 0.76), "ambrose": (2.8, 0.74, 0.7), "tilda": (3.6, 0.7, 0.75), "pip": (1.6, 0.88, 0.72)}


@functools.cache
def photo_of(name: str, scale: float = 1.0, turned: float = 0.0) -> Photo:
    pixels = load_sitter(name).picture.pixels
    if turned:
        height, width = pixels.shape[:2]
        matrix = cv2.getRotationMatrix2D((width / 2, height / 2), turned, 1.0)
        pixels = cv2.warpAffine(pixels, matrix, (width, height), borderMode=cv2.BORDER_REPLICATE)
    if scale != 1:
        how = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
        pixels = cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=how)
    return Photo(Picture(pixels), b"", name)


@functools.cache
def faces_of(name: str, scale: float = 1.0, turned: float = 0.0) -> tuple[FaceMap, ...]:
    return PhotoMeasures(photo_of(name, scale, turned)).faces


def overlap(found: np.ndarray, truth: np.ndarray) -> float:
    return float((found & truth).sum() / (found | truth).sum())


class FacesTest(unittest.TestCase):
    def off(self, name: str, face: FaceMap, point: str, scale: float = 1.0) -> float:
        """How far a point is from its landmark, in % of the face width."""
        sitter = load_sitter(name)
        return 100 * float(np.hypot(*(np.array(face.points[point]) / scale - sitter.landmarks[point]))
                           ) / sitter.face_width_px

    def test_one_face_with_its_points_where_the_landmarks_are(self):
        for name, (corners, _, _) in SITTERS.items():
            faces = faces_of(name)
            self.assertEqual(len(faces), 1, name)
            self.assertEqual((set(faces[0].points), len(faces[0].mesh)), (set(POINTS), 468))
            for side in SIDES:
                self.assertLess(self.off(name, faces[0], f"mouth_{side}"), corners, f"{name} mouth, {side}")
                self.assertLess(self.off(name, faces[0], f"eye_{side}"), 2.5, f"{name} eye, {side}")
            self.assertLess(self.off(name, faces[0], "nose_tip"), 7.0, name)

    def test_lips_and_eyes_overlap_with_the_zone_maps(self):
        for name, (_, lips, eyes) in SITTERS.items():
            photo, labels = photo_of(name), load_sitter(name).zones
            zones = FaceZones(photo, faces_of(name)[0])
            seen = sum(zones.mask(f"{part}, {side}", photo.bounds) for part in ("eye white", "iris") for side in SIDES)
            self.assertGreater(overlap(zones.mask("lips", photo.bounds) > 0.5, labels == 2), lips, name)
            self.assertGreater(overlap(seen > 0.5, np.isin(labels, (4, 5))), eyes, name)

    def test_teeth_are_told_from_lips_where_there_are_some(self):
        photo, labels = photo_of("tilda"), load_sitter("tilda").zones
        teeth = FaceZones(photo, faces_of("tilda")[0]).mask("teeth", photo.bounds) > 0.5
        self.assertGreater((teeth & np.isin(labels, (3, 9))).sum() / max(1, teeth.sum()), 0.6)
        closed = FaceZones(photo_of("pip"), faces_of("pip")[0]).mask("teeth", photo_of("pip").bounds)
        self.assertLess((closed > 0.5).sum(), 400)

    def test_the_size_of_the_picture_and_a_turned_head_change_little(self):
        for scale in (0.25, 4.0):
            face = faces_of("wren", scale)[0]
            for side in SIDES:
                self.assertLess(self.off("wren", face, f"mouth_{side}", scale), 2.6, f"{scale}")
        straight, turned = faces_of("wren-2")[0], faces_of("wren-2", turned=25.0)[0]
        height, width = photo_of("wren-2").height, photo_of("wren-2").width
        matrix = cv2.getRotationMatrix2D((width / 2, height / 2), 25.0, 1.0)
        expected = straight.mesh_px @ matrix[:, :2].T + matrix[:, 2]
        apart = np.hypot(*(turned.mesh_px - expected).T) / straight.width_px
        self.assertLess(np.median(apart), 0.02)

    def test_every_face_of_a_group_has_its_map_and_zones_hold_for_all(self):
        left, right = (load_sitter(name).picture.pixels for name in ("wren-2", "tilda"))
        right = cv2.resize(right, (1200, 1500), interpolation=cv2.INTER_AREA)
        both = np.full((2500, 3400, 3), 90, np.uint8)
        both[:, :2000], both[900:2400, 2100:3300] = left, right
        measures = PhotoMeasures(Photo(Picture(both), b"", "two"))
        self.assertEqual(len(measures.faces), 2)
        middles = sorted(face.frame[0][0] for face in measures.faces)
        self.assertLess(middles[0], 2000)
        self.assertGreater(middles[1], 2100)
        chosen = measures.faces[1]
        other = PhotoMeasures(measures.photo, chosen)
        self.assertIs(other.face, chosen)
        self.assertEqual(len(other.faces), 2)
        for face in measures.faces:
            x, y = np.mean([face.points["mouth_left"], face.points["mouth_right"]], axis=0)
            self.assertTrue(face.holds(x, y))
            self.assertEqual(face.zone_at(x, y), "lips")

    def test_without_a_face_there_is_none(self):
        wall = np.random.default_rng(1).integers(90, 110, (600, 500, 3)).astype(np.uint8)
        self.assertEqual(PhotoMeasures(Photo(Picture(wall), b"", "wall")).faces, ())

    def test_the_person_stands_out_of_the_ground(self):
        for name in ("ambrose", "marlow"):
            measures = PhotoMeasures(photo_of(name))
            truth = cv2.resize((load_sitter(name).zones > 0).astype(np.uint8), measures.person.shape[::-1],
                               interpolation=cv2.INTER_NEAREST) > 0
            self.assertGreater(overlap(measures.person > 0.5, truth), 0.95, name)


class MapTest(unittest.TestCase):
    def test_a_dragged_point_takes_its_neighbourhood_along_smoothly(self):
        face = faces_of("wren")[0]
        x, y = face.points["mouth_left"]
        moved = face.moved("mouth_left", x - 20, y + 10)
        way = moved.mesh_px - face.mesh_px
        np.testing.assert_allclose(way[MOUTH_CORNERS["left"]], (-20, 10), atol=1.0)
        self.assertLess(np.hypot(*way[list(OVAL)[:4]].T).max(), 0.5)  # the forehead stays
        steps = np.hypot(*way.T)
        self.assertLess(steps.max(), np.hypot(20, 10) + 1e-6)
        near = np.hypot(*(face.mesh_px - (x, y)).T)
        self.assertTrue((np.diff(steps[np.argsort(near)]) < 1.0).all())
        self.assertTrue(moved.by_person)
        self.assertEqual(moved.points["chin"], face.points["chin"])

    def test_a_map_survives_a_file_and_nonsense_is_refused(self):
        face = faces_of("pip")[0]
        back = FaceMap.from_json(json.loads(json.dumps(face.to_json())))
        np.testing.assert_allclose(back.mesh_px, face.mesh_px, atol=0.06)
        self.assertEqual(set(back.irises), set(SIDES))
        for wrong in ({"mesh": [[1, 2]]}, {"irises": {"left": [1, 2]}}, {"irises": {"left": [1, 2, 1e9]}}):
            with self.assertRaises(Exception) as caught:
                FaceMap.from_json(face.to_json() | wrong)
            self.assertIn(type(caught.exception).__name__, ("RequestError",), wrong)

    def test_zones_cover_the_face_and_have_outlines(self):
        zones = FaceZones(photo_of("pip"), faces_of("pip")[0])
        named = {name for name, _ in zones.outlines()}
        sided = [f"{part}, {side}" for side in SIDES
                 for part in ("cheek", "jaw", "under-eye", "brow", "iris", "eye white")]
        self.assertLessEqual({"forehead", "nose", "lips", "chin", "neck", *sided}, named)
        self.assertLessEqual(named, set(NAMES))

    def test_a_crop_and_its_inverse_meet(self):
        crop = Crop((210.0, 160.0), 90.0, 0.4, 64)
        places = np.array([[200.0, 150.0], [230.0, 171.0]])
        np.testing.assert_allclose(crop.to_picture(crop.to_crop(places)), places)
        ys, xs = np.mgrid[:400, :500].astype(np.float32)
        ramp = np.stack([xs / 500, ys / 400, 0 * xs], -1)
        laid = crop.laid(crop.cut(ramp), (195.0, 145.0), 1.0, (20, 20))
        np.testing.assert_allclose(laid[..., 0], (195 + np.arange(20)[None]) / 500 + np.zeros((20, 1)), atol=0.003)
