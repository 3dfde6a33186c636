"""Job files: what goes in comes out; damaged, hostile and newer ones are refused in one sentence."""

import io
import json
import os
import pickle
import signal
import subprocess
import sys
import time
import zipfile
from pathlib import Path
from unittest import mock

import jsonschema
import numpy as np

from lather.core.brush.values import Brush
from lather.core.colour.profiles import srgb_profile
from lather.core.errors import JobFileError, SaveError
from lather.core.imageio.write import write_picture
from lather.core.job.archive import open_job
from lather.core.job.commands import AddEdits, SetLayer
from lather.core.job.document import same_document
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.journal.journal import Journal, leftovers
from lather.core.session import Session
from tests.support.folder_case import FolderCase, small_disk
from tests.support.pictures import skin_like

ROOT = Path(__file__).parents[2]


def photo(folder: Path) -> Path:
    path = folder / "photo.png"
    write_picture(path, skin_like(), profile=srgb_profile())
    return path


def worked(folder: Path, count: int = 4) -> Session:
    """A session on a small photo with some edits, an undone one among them."""
    session = Session.from_photo(photo(folder))
    layer_id = session.job.stage("mend").layers[0].id
    for i in range(count):
        points = freeze_points([[80 + 25 * i, 120 + 9 * i, 1, 0], [86 + 25 * i, 125 + 9 * i, 0.8, 0.05]])
        tool = ("carry", "dab", "copy", "give_back")[i % 4]
        edit = Stroke(new_id(), tool, Brush(size_px=26, flow=0.7), points, None if tool == "give_back" else (50, 40))
        session.history.do(AddEdits("mend", layer_id, (edit,)))
    session.history.do(SetLayer("mend", layer_id, "strength", 0.6))
    session.history.do(SetLayer("mend", layer_id, "on", False))
    session.history.undo()
    return session


class ArchiveCase(FolderCase):
    def setUp(self):
        super().setUp()
        self.session = worked(self.folder)
        self.path = self.folder / "job.lather"


class SavingTest(ArchiveCase):
    def test_pixels_undo_and_patches_come_back_identical(self):
        engine, bounds = self.session.engine, self.session.photo.bounds
        before = engine.pixels(self.session.job, bounds)
        self.session.save(self.path)
        back = Session.from_job_file(self.path)
        np.testing.assert_array_equal(back.engine.pixels(back.job, bounds), before)
        self.assertEqual(back.engine.kinds["mend"].patches.solved, 0)
        self.assertTrue(same_document(back.job, self.session.job))
        self.assertEqual(back.history.redo_label, "layer on/off")
        while back.history.undo_label:
            back.history.undo()
        np.testing.assert_array_equal(back.engine.pixels(back.job, bounds), back.photo.read(bounds))

    def test_without_the_cached_patches_the_pixels_are_the_same(self):
        before = self.session.engine.pixels(self.session.job, self.session.photo.bounds)
        self.session.save(self.path)
        stripped = self.folder / "stripped.lather"
        with zipfile.ZipFile(self.path) as old, zipfile.ZipFile(stripped, "w") as new:
            for item in old.infolist():
                if not item.filename.startswith("patches/"):
                    new.writestr(item, old.read(item))
        back = Session.from_job_file(stripped)
        np.testing.assert_array_equal(back.engine.pixels(back.job, back.photo.bounds), before)

    def test_the_document_follows_its_schema_and_mimetype_is_first(self):
        self.session.save(self.path)
        with zipfile.ZipFile(self.path) as archive:
            self.assertEqual(archive.namelist()[0], "mimetype")
            document = json.loads(archive.read("job.json"))
            self.assertEqual(archive.read("source/photo.png"), (self.folder / "photo.png").read_bytes())
        jsonschema.validate(document, json.loads((ROOT / "docs" / "job.schema.json").read_text()))

    def test_the_last_three_saves_are_kept(self):
        layer_id = self.session.job.stage("mend").layers[0].id
        for strength in (0.1, 0.2, 0.3, 0.4, 0.5):
            self.session.history.do(SetLayer("mend", layer_id, "strength", strength))
            self.session.save(self.path)
        kept = [Session.from_job_file(self.folder / f"job.lather{end}").job.stage("mend").layers[0].strength
                for end in ("", "~1", "~2", "~3")]
        self.assertEqual(kept, [0.5, 0.4, 0.3, 0.2])
        self.assertFalse((self.folder / "job.lather~4").exists())

    def test_a_failing_save_leaves_the_old_file(self):
        self.session.save(self.path)
        before = self.path.read_bytes()
        with mock.patch("os.replace", side_effect=OSError(30, "Read-only file system")), \
                self.assertRaisesRegex(SaveError, "Read-only"):
            self.session.save(self.path)
        self.assertEqual(self.path.read_bytes(), before)
        self.assertFalse([n for n in os.listdir(self.folder) if n.endswith(".part")])

    def test_a_full_tmpfs(self):
        disk = small_disk(self, self.folder, "256k")
        with self.assertRaisesRegex(SaveError, "No space left"):
            self.session.save(disk / "job.lather")
        self.assertEqual(os.listdir(disk), [])


class HostileFileTest(ArchiveCase):
    def altered(self, change) -> Path:
        """The saved job with `change(name, data) -> data | None` applied to each part."""
        self.session.save(self.path)
        target = self.folder / "altered.lather"
        with zipfile.ZipFile(self.path) as old, zipfile.ZipFile(target, "w") as new:
            for item in old.infolist():
                data = change(item.filename, old.read(item))
                if data is not None:
                    new.writestr(item.filename, data)
        return target

    def refused(self, path: Path, words: str):
        with self.assertRaisesRegex(JobFileError, words) as caught:
            open_job(path)
        self.assertNotIn("\n", caught.exception.message)

    def test_a_path_that_climbs_out(self):
        for name in ("../evil.txt", "/etc/evil", "a/../../b"):
            target = self.altered(lambda n, d: d)
            with zipfile.ZipFile(target, "a") as archive:
                archive.writestr(name, "x")
            self.refused(target, "leads out")
            self.assertFalse((self.folder.parent / "evil.txt").exists())

    def test_broken_pickled_and_nan_arrays(self):
        def with_array(make):
            return self.altered(lambda n, d: make(d) if n.startswith("strokes/") else d)

        def npy(array, **kw):
            buffer = io.BytesIO()
            np.save(buffer, array, **kw)
            return buffer.getvalue()

        self.refused(with_array(lambda d: d[:-9]), "damaged")
        self.refused(with_array(lambda d: npy(np.array([os.getcwd], object), allow_pickle=True)), "damaged")
        self.refused(with_array(pickle.dumps), "damaged")
        self.refused(with_array(lambda d: npy(np.full((2, 4), np.nan, np.float32))), "not numbers")
        self.refused(with_array(lambda d: npy(np.zeros((2, 3), np.float32))), "pen points")

    def test_wrong_checksum_missing_photo_newer_version_and_not_a_job(self):
        self.refused(self.altered(lambda n, d: d[:-1] + b"!" if n.startswith("source/") else d), "checksum")
        self.refused(self.altered(lambda n, d: None if n.startswith("source/") else d), "does not hold its photo")

        def newer(n, d):
            return json.dumps(json.loads(d) | {"schema": 99}).encode() if n == "job.json" else d

        self.refused(self.altered(newer), "newer")
        self.refused(self.altered(lambda n, d: None if n == "mimetype" else d), "no Lather job")
        self.refused(self.altered(lambda n, d: b"{}" if n == "job.json" else d), "damaged")
        (self.folder / "text.lather").write_text("hello")
        self.refused(self.folder / "text.lather", "damaged or no Lather job")
        self.path.write_bytes(self.path.read_bytes()[:-400])
        self.refused(self.path, "damaged")

    def test_a_bomb_is_refused_by_its_header(self):
        target = self.altered(lambda n, d: d)
        with zipfile.ZipFile(target, "a", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("strokes/big.npy", bytes(30_000_000))
        with self.assertRaisesRegex(JobFileError, "unpack"):
            open_job(target, max_unpacked=20_000_000)

    def test_a_history_that_does_not_fit_is_dropped_with_a_note(self):
        target = self.altered(lambda n, d: b'{"broken": 1}' if n == "history.json" else d)
        back = Session.from_job_file(target)
        self.assertTrue(same_document(back.job, self.session.job))
        self.assertIn("undo", back.notes[0])

    def test_the_undo_list_shares_its_strokes_with_the_document_but_for_those_that_differ(self):
        self.session.save(self.path)
        back = Session.from_job_file(self.path)
        kept = {id(edit) for edit in back.job.edits()}
        listed = [edit for do in back.history.commands if isinstance(do, AddEdits) for edit in do.edits]
        self.assertTrue(listed and kept)
        self.assertTrue(kept <= {id(edit) for edit in listed})

        def other_brush(name, data):  # the undo list says that the same stroke was made with another
            if name != "history.json":
                return data
            history = json.loads(data)
            done = next(do for do in history["commands"] if do["do"] == "AddEdits")
            done["edits"][0]["brush"]["flow"] = 0.123
            return json.dumps(history).encode()

        changed = Session.from_job_file(self.altered(other_brush))
        self.assertTrue(same_document(changed.job, self.session.job))
        self.assertIn("undo", changed.notes[0])

    def test_random_damage_never_escapes_as_another_error(self):
        self.session.save(self.path)
        whole, rng = self.path.read_bytes(), np.random.default_rng(0)
        for _ in range(80):
            data = bytearray(whole)
            for at in rng.integers(0, len(data), 8):
                data[at] = rng.integers(256)
            self.path.write_bytes(bytes(data))
            try:
                open_job(self.path)
            except JobFileError:
                continue


WORKER = """
import sys, time
from pathlib import Path
from lather.core.journal.journal import Journal
from lather.core.session import Session
from tests.core.test_archive import photo
folder = Path(sys.argv[1])
photo(folder)
session = Session.from_photo(folder / "photo.png")
journal = Journal(session.job, job_file=None, photo_path=session.photo_path, folder=folder / "journals")
session.history.listener = journal.append
from tests.core.test_document import stroke
from lather.core.job.commands import AddEdits
layer = session.job.stage("mend").layers[0].id
for i in range(100000):
    session.history.do(AddEdits("mend", layer, (stroke(60 + i % 100),)))
    print(i + 1, flush=True)
    if sys.argv[2] == "save":
        session.save(folder / "job.lather")
        print("saved", flush=True)
"""


class KilledProcessTest(ArchiveCase):
    def killed(self, mode: str, after_lines: int, delay: float) -> int:
        """Start a working process, SIGKILL it; returns how many strokes it said were done."""
        process = subprocess.Popen(
            [sys.executable, "-c", WORKER, str(self.folder), mode], stdout=subprocess.PIPE, text=True, cwd=ROOT,
            env=os.environ | {"PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"},
        )
        lines = [process.stdout.readline() for _ in range(after_lines)]
        time.sleep(delay)
        process.send_signal(signal.SIGKILL)
        lines += process.stdout.readlines()
        process.wait()
        process.stdout.close()
        return max(int(line) for line in lines if line.strip().isdigit())

    def test_killed_between_strokes_nothing_is_lost(self):
        done = self.killed("paint", 20, 0.05)
        found = leftovers(self.folder / "journals")
        self.assertEqual(len(found), 1)
        history = found[0].replay(None)
        edits = len(history.job.stage("mend").layers[0].edits)
        self.assertIn(edits, (done, done + 1))
        self.assertTrue(Session.from_photo(found[0].photo).photo.sha256 == history.job.source.sha256)

    def test_killed_during_saves_leaves_a_whole_job(self):
        for round_number in range(4):
            done = self.killed("save", 6 + round_number, 0.004 * round_number)
            back = Session.from_job_file(self.path)
            edits = len(back.job.stage("mend").layers[0].edits)
            self.assertGreaterEqual(edits, done - 1)
            found = leftovers(self.folder / "journals")
            self.assertIn(len(found[0].replay(None).job.stage("mend").layers[0].edits), (done, done + 1))
            for item in found:
                item.discard()

    def test_a_torn_last_line_costs_only_that_line(self):
        journal = Journal(self.session.job, job_file=None, photo_path=None, folder=self.folder / "j")
        self.session.history.listener = journal.append
        layer_id = self.session.job.stage("mend").layers[0].id
        self.assertEqual(leftovers(self.folder / "j"), [])  # still held by a living program
        for value in (0.5, 0.4):
            self.session.history.do(SetLayer("mend", layer_id, "strength", value))
        journal.close(keep=True)
        journal.path.write_bytes(journal.path.read_bytes()[:-20])
        found = leftovers(self.folder / "j")[0]
        self.assertEqual(found.steps, 1)
        self.assertEqual(found.replay(self.session.history).job.stage("mend").layers[0].strength, 0.5)
