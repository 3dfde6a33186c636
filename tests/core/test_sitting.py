"""A photo developed anew, and frames of one person: registered, carried over, told apart, held alike."""

import json
import os
import tempfile
import unittest
from dataclasses import replace
from functools import cache
from pathlib import Path

import cv2
import numpy as np

from lather.core.brush.values import Brush
from lather.core.colour.lab import srgb_to_lab
from lather.core.colour.profiles import srgb_profile
from lather.core.engine.photo import Photo
from lather.core.errors import JobFileError, RequestError, SaveError
from lather.core.imageio.picture import Picture
from lather.core.imageio.read import read_picture
from lather.core.imageio.write import write_picture
from lather.core.job.commands import AddEdits, AddLayer, SetBrief, SetLayer
from lather.core.job.fence import Fence
from lather.core.job.history import History
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.job.source_map import SourceTurn, affine
from lather.core.measure.bands import tone_error
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.frames import make_frames
from lather.core.session import Session
from lather.core.sitting.carry_report import LEFT_OUT, Carried, Look, carried_of
from lather.core.sitting.contact import contact_sheet
from lather.core.sitting.frame_map import Affine, Field, scale_of
from lather.core.sitting.moved_edits import moved_stroke
from lather.core.sitting.register import SAME_PERSON, same_shot, same_skin
from lather.core.sitting.replay import replay
from lather.core.sitting.sitting import CARRIED, FINISHED, Person, Sitting
from lather.core.sitting.sitting_file import open_sitting, save_sitting
from lather.core.sitting.skin_alike import Skin, held_alike, retouched_skin
from lather.core.sitting.work import carried_to, told_apart, with_finished
from tests.support.mended import mended_session
from tests.support.remembered import kept
from tests.support.sets import for_release, some

FLAWS = {"blemish_dark": 8, "blemish_red": 5, "mole": 3}
SCALE = 0.5


def small(codes: np.ndarray) -> np.ndarray:
    return cv2.resize(codes, None, fx=SCALE, fy=SCALE, interpolation=cv2.INTER_AREA)


@cache
def frames():
    """(photo, truth, flaws at that size, width of the face) of three frames."""
    return kept("frames", (701, FLAWS, SCALE), _frames)


def _frames():
    made = []
    for plate in make_frames(701, FLAWS):
        flaws = [replace(f, x=SCALE * f.x, y=SCALE * f.y, size_px=SCALE * f.size_px,
                         outline=[(SCALE * x, SCALE * y) for x, y in f.outline]) for f in plate.flaws]
        made.append((small(plate.photo), small(plate.truth), flaws, SCALE * plate.sitter.face_width_px))
    return made


def photo_of(codes: np.ndarray, name: str) -> Photo:
    return Photo(Picture(codes), name.encode(), f"{name}.png")


@cache
def finished() -> tuple[Session, PhotoMeasures]:
    """The first frame, mended."""
    session, measures = mended_session(photo_of(frames()[0][0], "first"))
    session.history.do(SetBrief("client", "Made Up"))
    return session, measures


def error_inside(error: np.ndarray, outline) -> float:
    mask = np.zeros(error.shape, np.uint8)
    cv2.fillPoly(mask, [np.round(np.array(outline)).astype(np.int32).reshape(-1, 1, 2)], 1)
    return float(error[mask > 0].mean()) if mask.any() else 0.0


def errors(session: Session, truth: np.ndarray, face_px: float) -> np.ndarray:
    made = np.clip(session.engine.pixels(session.job, session.photo.bounds), 0, 1).astype(np.float32)
    return tone_error(srgb_to_lab(made), srgb_to_lab(truth / np.float32(65535)), face_px)


def mended(session: Session, truth, flaws, face_px: float, de: float = 2.0) -> set[int]:
    error = errors(session, truth, face_px)
    return {f.id for f in flaws if not f.keeper and error_inside(error, f.outline) <= de}


class MovedTest(unittest.TestCase):
    turn = np.radians(20)
    frames = Affine(np.array([[0.6 * np.cos(turn), -0.6 * np.sin(turn), 40.0],
                              [0.6 * np.sin(turn), 0.6 * np.cos(turn), -15.0]]))

    def test_a_stroke_takes_from_the_same_skin_turned_as_the_photo_is(self):
        for turn in (None, SourceTurn(True, 30.0, 1.5, (100.0, 120.0))):
            stroke = Stroke(new_id(), "carry", Brush(size_px=40), freeze_points([(90, 110, 1, 0), (110, 130, 1, 0)]),
                            offset=(60, -30), turn=turn, fence=Fence((((0, 0), (300, 0), (300, 300)),)), feather=6.0)
            moved = moved_stroke(stroke, self.frames, "wren.jpg")
            self.assertEqual((moved.carried, moved.brush.size_px), ("wren.jpg", 24.0))
            self.assertAlmostEqual(moved.feather, 3.6)
            np.testing.assert_allclose(moved.points[:, :2], self.frames.places(stroke.points[:, :2]), atol=1e-3)
            places = np.array([[90.0, 110.0], [105.0, 140.0]])
            source = places @ affine(stroke.offset, turn)[:, :2].T + affine(stroke.offset, turn)[:, 2]
            here = self.frames.places(places)
            there = here @ affine(moved.offset, moved.turn)[:, :2].T + affine(moved.offset, moved.turn)[:, 2]
            if turn is not None:
                np.testing.assert_allclose(there, self.frames.places(source), atol=0.8)
            else:  # what is near is taken as it lies: a shift has no turn
                np.testing.assert_allclose(there.mean(0), self.frames.places(source).mean(0), atol=0.8)

    def test_a_field_goes_on_beyond_its_rim_with_the_turn_of_the_whole(self):
        ys, xs = np.mgrid[0:60, 0:50] * 4.0
        places = np.stack([xs + 100, ys + 80], -1)
        field = Field(self.frames.places(places).astype(np.float32), np.ones((60, 50), np.float32), (100.0, 80.0), 4.0)
        for place in ((150.0, 130.0), (20.0, 40.0), (900.0, 700.0)):
            np.testing.assert_allclose(field.places(np.array([place])), self.frames.places(np.array([place])), atol=0.5)
        self.assertAlmostEqual(scale_of(field.linear(150, 130)), 0.6, delta=0.01)
        self.assertEqual(float(field.sure(np.array([[20.0, 40.0]]))[0]), 0.0)


class ReplayTest(unittest.TestCase):
    def developed(self, matrix: np.ndarray, size: tuple[int, int], gain: float = 1.0, warm: float = 1.0):
        """(photo, truth) of the first frame, developed otherwise."""
        made, centred = [], matrix.copy()
        centred[:, 2] += matrix[:, :2] @ (0.5, 0.5) - 0.5
        for codes in frames()[0][:2]:
            light = (codes / 65535.0) ** 2.2 * gain * np.array([warm, 1, 1 / warm])
            encoded = 65535 * np.clip(light, 0, 1) ** (1 / 2.2)
            made.append(np.uint16(np.clip(cv2.warpAffine(encoded, centred, size, flags=cv2.INTER_CUBIC,
                                                         borderMode=cv2.BORDER_REPLICATE), 0, 65535)))
        return made

    def check(self, matrix, size, **how):
        session, _ = finished()
        codes, truth = self.developed(matrix, size, **how)
        played = replay(session, photo_of(codes, "anew"))
        told = carried_of(played.job.brief)
        _, first_truth, flaws, face_px = frames()[0]
        good = mended(session, first_truth, flaws, face_px, 1.5)
        self.assertGreater(len(good), 8)
        here = Affine(matrix)
        moved = [replace(f, outline=here.places(np.array(f.outline)).tolist()) for f in flaws if f.id in good]
        still = mended(played, truth, moved, face_px * scale_of(matrix[:, :2]))
        self.assertGreaterEqual(len(still), 0.95 * len(good))
        self.assertEqual(told.keepers[0], told.keepers[1])
        self.assertGreater(told.keepers[1], 2)
        self.assertEqual(played.job.brief["client"], "Made Up")
        return played, told

    def test_lighter_warmer_cropped_smaller_and_turned_the_mends_are_as_good_and_keepers_stay(self):
        height, width = frames()[0][0].shape[:2]
        turn = np.radians(3)
        turned = 0.8 * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        matrix = np.column_stack([turned, [30.0, 20.0]])
        played, told = self.check(matrix, (int(0.95 * width), int(0.95 * height)), gain=2**0.5, warm=1.06)
        self.assertEqual(told.count[0], told.count[1])
        self.assertEqual({edit.carried for edit in played.job.edits()}, {"first.png"})

    def test_turned_by_a_quarter_and_cut_off_it_says_what_is_outside(self):
        height, width = frames()[0][0].shape[:2]
        matrix = np.array([[0.0, -1.0, height - 0.62 * height], [1.0, 0.0, 0.0]])  # the lower part is cut away
        session, _ = finished()
        codes, _ = self.developed(matrix, (int(0.38 * height), width))
        played = replay(session, photo_of(codes, "anew"))
        told = carried_of(played.job.brief)
        self.assertLess(told.count[0], told.count[1])
        self.assertEqual({look.what for look in told.looks} - {"outside", "no source"}, set())
        self.assertEqual(played.job.edit_count, told.count[0])
        inside = [edit for edit in played.job.edits() if not edit.bounds.intersect(played.photo.bounds).empty]
        self.assertEqual(len(inside), played.job.edit_count)

    def test_another_shot_is_refused(self):
        first = photo_of(frames()[0][0], "a")
        others = (frames()[2][0], frames()[1][0], frames()[2][0][:600, :600])  # other frames of the same person
        for codes in some(others):
            with self.assertRaises(RequestError) as caught:
                same_shot(first, photo_of(codes, "b"))
            self.assertIn("carry the retouch over instead", str(caught.exception))


class CarryTest(unittest.TestCase):
    def folder(self) -> Path:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        for name, (codes, *_) in zip(("f1", "f2", "f3"), frames()):
            write_picture(Path(held.name) / f"{name}.png", codes, profile=srgb_profile())
        return Path(held.name)

    @for_release
    def test_what_was_mended_on_one_frame_is_mended_on_another_and_keepers_stay(self):
        folder = self.folder()
        session, measures = finished()
        session = Session(session.photo, History(session.job))
        spot = next(f for f in frames()[0][2] if not f.keeper)
        path = freeze_points([(spot.x, spot.y, 1, 0), (spot.x + 90, spot.y, 1, 0)])
        long = Stroke(new_id(), "carry", Brush(size_px=10), path, offset=(40, 0))
        spots = session.job.stage("mend").layers[0]
        session.history.do(AddEdits("mend", spots.id, (long,)))
        session.history.do(SetLayer("mend", spots.id, "strength", 0.97))
        off = replace(spots, id=new_id(), name="Off", on=False, edits=(replace(long, id=new_id()),))
        session.history.do(AddLayer("mend", off, 1))
        sitting = with_finished(open_sitting([folder]), "f1.png", session)
        self.assertEqual(sitting.frame("f1.png").state, FINISHED)
        card = sitting.persons[0]
        self.assertEqual(len(card.keepers), len(session.job.keepers()))
        sitting = carried_to(sitting, "f1.png", session, "f3.png", measures=measures)
        frame = sitting.frame("f3.png")
        codes, truth, flaws, face_px = frames()[2]
        carried = Session.open(sitting.job("f3.png"))
        good = mended(session, *frames()[0][1:])
        ids = {f.id for f in flaws}
        still = mended(held_plain(carried), truth, flaws, face_px) & good
        self.assertGreaterEqual(len(still), 0.85 * len(good & ids))
        changed = errors(held_plain(carried), codes, face_px)
        for flaw in flaws:
            if flaw.keeper:
                self.assertLess(error_inside(changed, flaw.outline), 1.5)
        near = np.zeros(changed.shape, np.uint8)
        for flaw in flaws:
            cv2.circle(near, (int(flaw.x), int(flaw.y)), int(2 * flaw.size_px) + 8, 1, -1)
        self.assertLess(float((changed[near == 0] > 1).mean()), 1e-3)
        self.assertEqual(frame.carried.keepers[1], len(session.job.keepers()))
        by_hand = [look for look in frame.carried.looks if look.what == LEFT_OUT]  # a long stroke is of its own frame
        self.assertEqual([look.name for look in by_hand], ["Carry by hand"])
        self.assertEqual(frame.carried.stages["mend"][1], len(session.job.stage("mend").layers[0].edits))
        own = carried.job.stage("mend").layers
        self.assertEqual([(x.name, x.on, x.strength) for x in own[:2]], [("Spots", True, 0.97), ("Off", False, 1.0)])
        self.assertEqual(len(own[1].edits), 0)  # what is switched off is not looked for
        self.assertEqual({e.carried for e in carried.job.edits()}, {"first.png"})
        self.assertLess(abs(frame.now.lightness - sitting.frame("f1.png").now.lightness), 1.0)
        self.assertGreater(abs(frame.skin.lightness - frame.now.lightness), 1.5)  # it was 0.3 stop darker

        save_sitting(sitting, open_sitting([folder]))
        again = open_sitting([folder])
        self.assertEqual([f.to_json() for f in again.frames], [f.to_json() for f in sitting.frames])
        self.assertEqual(again.persons, sitting.persons)
        contact_sheet(again, folder / "sheet.png")
        self.assertGreater(read_picture(folder / "sheet.png").pixels.std(), 30)

    def measured(self) -> tuple[dict[str, PhotoMeasures], PhotoMeasures]:
        """Of the three frames, and of somebody else."""
        somebody = cv2.imread(str(Path(__file__).parents[2] / "src/lather/core/data/sitters/tilda.jpg"))[..., ::-1]
        return ({name: PhotoMeasures(photo_of(codes, name)) for name, (codes, *_) in zip("abc", frames())},
                PhotoMeasures(photo_of(small(np.uint16(257) * somebody), "d")))

    def test_people_are_told_apart_by_their_skin(self):
        measures, other = self.measured()
        self.assertGreater(same_skin(measures["a"], measures["c"]), 2 * SAME_PERSON)
        self.assertLess(same_skin(measures["a"], other), 0.5 * SAME_PERSON)

    @for_release
    def test_frames_of_a_folder_are_given_to_people_by_their_skin(self):
        measures, other = self.measured()
        folder = self.folder()
        sitting, known = open_sitting([folder]), {}
        for name, one in (("f1.png", measures["a"]), ("f2.png", other), ("f3.png", measures["c"])):
            sitting = told_apart(sitting, name, one, known)
        people = [sitting.frame(name).person for name in ("f1.png", "f2.png", "f3.png")]
        self.assertEqual(people[0], people[2])
        self.assertNotEqual(people[0], people[1])


def held_plain(session: Session) -> Session:
    """What was made of a photo, without the layer that holds its skin alike."""
    return Session(session.photo, History(session.job.with_stage(replace(session.job.stage("finish"), layers=()))))


class AlikeTest(unittest.TestCase):
    def test_a_darker_frame_comes_to_the_skin_of_another_and_one_that_is_alike_is_left(self):
        session, measures = finished()
        skin = retouched_skin(session.engine, session.job, measures)
        wanted = Skin(skin.lightness + 4, skin.a + 1.5, skin.b - 2)
        job = held_alike(session.engine, session.job, measures, wanted, "x")
        now = retouched_skin(session.engine, job, measures)
        np.testing.assert_allclose(now.lab, wanted.lab, atol=0.5)
        self.assertIs(held_alike(session.engine, session.job, measures, skin, "x"), session.job)


class FileTest(unittest.TestCase):
    def test_a_sitting_is_of_one_folder_and_a_newer_one_says_so(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            with self.assertRaises(RequestError):
                open_sitting([folder])
            cv2.imwrite(str(folder / "a.png"), np.zeros((40, 40, 3), np.uint8))
            self.assertEqual([f.name for f in open_sitting([folder]).frames], ["a.png"])
            with self.assertRaises(RequestError):
                open_sitting([folder / "a.png", "/tmp/b.png"])
            (folder / "lather").mkdir()
            kept = folder / "lather" / "sitting.json"
            kept.write_text("{ half")
            self.assertEqual(len(open_sitting([folder]).frames), 1)
            kept.write_text(json.dumps({"version": 99}))
            with self.assertRaises(JobFileError):
                open_sitting([folder])

    def of_photos(self, *names: str | bytes) -> Path:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        for name in names:
            ending = ".png" if isinstance(name, bytes) else Path(name).suffix
            data = cv2.imencode(ending, np.zeros((40, 40, 3), np.uint8))[1].tobytes()
            with open(os.path.join(os.fsencode(folder.name), os.fsencode(name)), "wb") as file:
                file.write(data)
        return Path(folder.name)

    def decided(self, sitting: Sitting, name: str, **values) -> Sitting:
        return sitting.with_frame(replace(sitting.frame(name), **values))

    def test_two_windows_that_have_it_open_lose_nothing_of_each_other(self):
        folder = self.of_photos("a.png", "b.png", "c.png")
        carried = Carried("a.png", looks=(Look("keeper", "Mole", "alike"),) * 3)
        start = open_sitting([folder])
        start = save_sitting(self.decided(start, "b.png", state=CARRIED, carried=carried), start)
        one, two = open_sitting([folder]), open_sitting([folder])
        first = self.decided(self.decided(one, "b.png", looked=frozenset({0})), "a.png", state=FINISHED)
        first = save_sitting(first.with_person(Person("p", "Wren", "a.png")), one)
        second = self.decided(self.decided(two, "b.png", looked=frozenset({2})), "c.png", person="q")
        second = save_sitting(second.with_person(Person("q", "Pip")), two)
        self.assertEqual(second, open_sitting([folder]))
        self.assertEqual(second.frame("b.png").looked, {0, 2})
        self.assertEqual((second.frame("a.png").state, second.frame("c.png").person), (FINISHED, "q"))
        self.assertEqual({person.name for person in second.persons}, {"Wren", "Pip"})
        again = replace(first, persons=tuple(p for p in first.persons if p.id != "p"))
        self.assertEqual([p.name for p in save_sitting(again, first).persons], ["Pip"])  # what is taken away is gone
        self.assertTrue((folder / "lather" / "sitting.json~1").is_file())

    def test_one_bad_entry_loses_only_itself_and_is_written_back(self):
        folder = self.of_photos("a.png", "b.png")
        start = open_sitting([folder])
        made = self.decided(start, "b.png", state=FINISHED).with_person(Person("p", "Wren", "gone.png"))
        save_sitting(made, start)
        file = folder / "lather" / "sitting.json"
        data = json.loads(file.read_text())
        for bad in (None, 5, "a.png", [], {}, {"name": 3}, {"name": "a.png", "skin": [1, 2]},
                    {"name": "a.png", "looked": [{}]}, {"name": "a.png", "skin": [1e300, 0, 0]}, {"name": ".."},
                    {"name": "a.png", "carried": {"source": "b", "looks": [{"what": 1}]}}):
            file.write_text(json.dumps(data | {"frames": [bad, data["frames"][1]], "persons": [bad, *data["persons"]]}))
            sitting = open_sitting([folder])
            self.assertEqual((sitting.frame("b.png").state, [p.name for p in sitting.persons]), (FINISHED, ["Wren"]))
            self.assertEqual(sitting.frame("a.png").skin, None)
            self.assertEqual(sitting.persons[0].reference, "")  # its frame is gone
            self.assertIn("could not be read", " ".join(sitting.notes))
            saved = save_sitting(self.decided(sitting, "a.png", person="p"), sitting)
            self.assertEqual(saved.frame("b.png").state, FINISHED)
            self.assertEqual([len(json.loads(file.read_text())[name]) for name in ("unread_frames", "unread_persons")],
                             [1, 1])
            self.assertEqual(open_sitting([folder]).notes, ())

    def test_a_file_that_is_none_is_kept_and_an_earlier_copy_taken(self):
        folder = self.of_photos("a.png", "b.png")
        start = open_sitting([folder])
        first = save_sitting(self.decided(start, "b.png", state=FINISHED), start)
        second = save_sitting(self.decided(first, "a.png", person="p"), first)
        file = folder / "lather" / "sitting.json"
        for damage in (b"", b"{ half", b'{"version": 1, "frames": []}', b"[" * 10**5, b"\xff" * 9):
            file.write_bytes(damage)
            sitting = open_sitting([folder])
            self.assertEqual(sitting.frame("b.png").state, FINISHED)
            save_sitting(self.decided(sitting, "a.png", person="q"), sitting)
            self.assertEqual((folder / "lather" / "sitting.json~damaged").read_bytes(), damage)
            self.assertEqual(open_sitting([folder]).frame("a.png").person, "q")
        self.assertEqual(second.frame("a.png").person, "p")
        before = file.read_bytes()
        with self.assertRaises(SaveError):
            save_sitting(replace(second, extra={"x": float("nan")}), second)
        self.assertEqual(file.read_bytes(), before)

    def test_photos_that_differ_in_their_ending_are_two_frames_with_jobs_of_their_own(self):
        folder = self.of_photos("a.jpg", "a.png", "b.png")
        (folder / "b.nef").write_bytes(b"raw")
        sitting = open_sitting([folder])
        self.assertEqual([frame.name for frame in sitting.frames], ["a.jpg", "a.png", "b.png"])
        self.assertEqual([sitting.job(frame.name).name for frame in sitting.frames],
                         ["a.lather", "a.png.lather", "b.lather"])
        (folder / "lather").mkdir()
        Session.from_photo(folder / "a.png").save(folder / "lather" / "a.lather")
        sitting = open_sitting([folder])  # a job that is there stays with its photo
        self.assertEqual([sitting.job(name).name for name in ("a.jpg", "a.png")], ["a.jpg.lather", "a.lather"])
        save_sitting(self.decided(sitting, "b.png", person="p"), sitting)
        (folder / "lather" / "a.lather").unlink()
        self.assertEqual(open_sitting([folder]).job("a.png").name, "a.lather")

    def test_a_name_in_another_encoding_is_one_like_any_other(self):
        folder = self.of_photos("a.png", "k\u00fcste.png".encode("latin-1"))
        sitting = open_sitting([folder])
        self.assertEqual([frame.name for frame in sitting.frames], ["a.png", "k\u00fcste.png"])
        self.assertTrue(sitting.photo("k\u00fcste.png").is_file())
        saved = save_sitting(self.decided(sitting, "k\u00fcste.png", person="p"), sitting)
        self.assertEqual(open_sitting([folder]).frame("k\u00fcste.png").person, "p")
        Session.from_photo(sitting.photo("k\u00fcste.png")).save(saved.job("k\u00fcste.png"))
        self.assertTrue((folder / "lather" / "k\u00fcste.lather").is_file())

    def test_what_was_carried_is_read_as_it_was_written(self):
        told = Carried("a.jpg", {"mend": (3, 4)}, {"even": 2}, (1, 2),
                       (Look("keeper", "Mole", "71 % alike", 3.0, 4.0, 5.0, "m", (1.0, 2.0, 3.0), 0.71),), 2.5)
        self.assertEqual(Carried.from_json(json.loads(json.dumps(told.to_json()))), told)
        self.assertIsNone(carried_of({"carried": {"source": 1, "stages": 5}}))


if __name__ == "__main__":
    unittest.main()
