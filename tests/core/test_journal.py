"""Journals: one to each window, told living from dead, kept through a full disk; brought back onto the right save."""

import os
import subprocess
import sys
from dataclasses import replace
from unittest import mock

from lather.core.errors import ChangedOnDisk, LatherError
from lather.core.imageio.atomic import part_beside, registered, sweep_parts, write_atomically
from lather.core.job.archive import save_job
from lather.core.job.commands import AddEdits, SetLayer
from lather.core.job.copies import copy_paths, keep_copies
from lather.core.job.identity import identity_of
from lather.core.journal.journal import Journal, leftovers, leftovers_of
from lather.core.journal.recovery import recover
from lather.core.session import Session
from tests.core.test_archive import ROOT, ArchiveCase, photo
from tests.core.test_document import stroke
from tests.support.folder_case import FolderCase, small_disk


def strengths(session: Session) -> list[float]:
    return [layer.strength for layer in session.job.stage("mend").layers]


class JournalCase(ArchiveCase):
    def journal(self, session: Session) -> Journal:
        made = Journal(session.job, job_file=session.job_file, photo_path=session.photo_path,
                       identity=session.identity, folder=self.folder / "journals")
        session.history.listener = made.append
        return made

    def found(self) -> list:
        return leftovers(self.folder / "journals")

    def set_strength(self, session: Session, value: float) -> None:
        session.history.do(SetLayer("mend", session.job.stage("mend").layers[0].id, "strength", value))

    def crashed(self, session: Session, *values: float) -> None:
        """Steps that only a journal holds."""
        journal = self.journal(session)
        for value in values:
            self.set_strength(session, value)
        journal.close(keep=True)


class LivingAndDeadTest(JournalCase):
    def test_every_journal_has_a_file_of_its_own_whatever_the_process_is_called(self):
        with mock.patch("os.getpid", return_value=4242):
            first, second = self.journal(self.session), self.journal(self.session)
        self.assertNotEqual(first.path, second.path)
        self.assertEqual(len(list((self.folder / "journals").glob("*.journal"))), 2)
        for journal in (first, second):
            journal.close()

    def test_a_living_journal_is_neither_listed_nor_swept_even_when_it_has_no_step_yet(self):
        journal = self.journal(self.session)
        self.assertEqual(self.found(), [])
        self.assertTrue(journal.path.exists())
        self.set_strength(self.session, 0.5)
        journal.begin(self.session.job, job_file=None, photo_path=None)  # after a save it is another file
        self.set_strength(self.session, 0.6)
        self.assertEqual(self.found(), [])
        self.assertTrue(journal.path.exists())
        journal.close(keep=True)
        self.assertEqual([left.steps for left in self.found()], [1])

    def test_one_leftover_is_taken_by_one_window_only(self):
        self.crashed(Session.from_photo(photo(self.folder)), 0.5)
        mine, yours = self.found()[0], self.found()[0]
        self.assertTrue(mine.claim())
        self.assertFalse(yours.claim())
        with self.assertRaisesRegex(LatherError, "Another window"):
            recover(yours)
        mine.discard()
        self.assertFalse(yours.claim())
        yours.discard()

    def test_a_reused_process_id_keeps_a_leftover(self):
        code = ("import sys; from pathlib import Path; from lather.core.session import Session;"
                "from lather.core.journal.journal import Journal; from lather.core.job.commands import SetBrief;"
                "s = Session.from_photo(sys.argv[1]); j = Journal(s.job, job_file=None, photo_path=s.photo_path,"
                "folder=Path(sys.argv[2])); s.history.listener = j.append; s.history.do(SetBrief('title', 'Kept'));"
                "import os; os._exit(0)")
        subprocess.run([sys.executable, "-c", code, photo(self.folder), self.folder / "journals"], check=True,
                       env=os.environ | {"PYTHONPATH": str(ROOT / "src")})
        with mock.patch("os.getpid", return_value=1):
            journal = self.journal(self.session)
        self.assertEqual([left.replay(None).job.title for left in self.found()], ["Kept"])
        journal.close()
        self.assertEqual([left.replay(None).job.title for left in self.found()], ["Kept"])

    def test_ids_and_titles_of_hostile_jobs_name_no_file(self):
        job = replace(self.session.job, id="../../../evil", brief={"title": "/tmp/evil"})
        journal = Journal(job, job_file=None, photo_path=None, folder=self.folder / "journals")
        self.assertEqual(journal.path.parent, self.folder / "journals")
        journal.close()


class FullDiskTest(JournalCase):
    def test_what_cannot_be_written_waits_and_nothing_is_torn(self):
        journal = self.journal(self.session)
        self.set_strength(self.session, 0.5)

        def half(handle, data):  # the disk takes some bytes, then no more
            os.write(handle.fileno(), bytes(data)[:7])
            raise OSError(28, "No space left on device")

        with mock.patch("lather.core.journal.journal._write_all", half):
            self.set_strength(self.session, 0.4)
            self.assertIn("No space", journal.problem)
            self.set_strength(self.session, 0.3)
        self.set_strength(self.session, 0.2)
        self.assertEqual(journal.problem, "")
        journal.close(keep=True)
        self.assertEqual(self.found()[0].steps, 4)

    def test_it_begins_again_when_there_is_room_and_goes_with_a_clean_end(self):
        blocked = self.folder / "journals"
        blocked.write_text("a file where the folder should be")
        journal = self.journal(self.session)
        self.assertTrue(journal.problem)
        self.set_strength(self.session, 0.5)
        blocked.unlink()
        self.set_strength(self.session, 0.4)
        self.assertEqual(journal.problem, "")
        journal.close()
        self.assertEqual(self.found(), [])
        again = self.journal(self.session)
        with mock.patch("lather.core.journal.journal._write_all", side_effect=OSError(28, "No space left on device")):
            self.set_strength(self.session, 0.3)
        again.close()  # a job that was closed properly is not offered, whatever the disk was like
        self.assertEqual(list((self.folder / "journals").iterdir()), [])

    def test_a_small_disk_really_full(self):
        disk = small_disk(self, self.folder, "64k")
        session = Session.from_photo(photo(self.folder))
        journal = Journal(session.job, job_file=None, photo_path=session.photo_path, folder=disk)
        session.history.listener = journal.append
        layer = session.job.stage("mend").layers[0].id
        done = 0
        while not journal.problem and done < 2000:
            session.history.do(AddEdits("mend", layer, (stroke(60 + done % 100),)))
            done += 1
        self.assertIn("No space", journal.problem)
        subprocess.run(["mount", "-o", "remount,size=4m", disk], check=True)
        session.history.do(AddEdits("mend", layer, (stroke(),)))
        self.assertEqual(journal.problem, "")
        journal.close(keep=True)
        self.assertEqual(len(leftovers(disk)[0].replay(None).job.stage("mend").layers[0].edits), done + 1)


class TheRightSaveTest(JournalCase):
    def test_steps_are_offered_wherever_their_file_is_opened(self):
        session = Session.from_photo(photo(self.folder))
        self.crashed(session, 0.5)
        folder = self.folder / "journals"
        self.assertEqual(len(leftovers_of(self.folder / "photo.png", folder)), 1)
        self.session.save(self.path)
        self.assertEqual(leftovers_of(self.path, folder), [])
        self.crashed(Session.from_job_file(self.path), 0.3)
        self.assertEqual(len(leftovers_of(self.path, folder)), 1)
        link = self.folder / "link.lather"
        link.symlink_to(self.path)
        self.assertEqual(len(leftovers_of(link, folder)), 1)

    def test_on_the_save_they_were_made_on(self):
        self.session.save(self.path)
        self.crashed(Session.from_job_file(self.path), 0.3, 0.2)
        back = recover(self.found()[0])
        self.assertEqual((strengths(back)[0], back.job_file), (0.2, self.path.resolve()))

    def test_a_newer_save_keeps_its_strokes(self):
        self.session.save(self.path)
        self.crashed(Session.from_job_file(self.path), 0.3)
        newer = Session.from_job_file(self.path)
        layer = newer.job.stage("mend").layers[0].id
        newer.history.do(AddEdits("mend", layer, (stroke(),)))
        newer.save(self.path)
        whole = self.path.read_bytes()
        back = recover(self.found()[0])
        self.assertEqual(strengths(back)[0], 0.3)
        self.assertIsNone(back.job_file)  # to be saved under another name
        self.assertIn("saved again", back.notes[0])
        self.assertEqual(self.path.read_bytes(), whole)

    def test_where_that_save_is_not_kept_any_more_it_says_so_and_keeps_the_journal(self):
        self.session.save(self.path)
        self.crashed(Session.from_job_file(self.path), 0.3)
        for value in (0.9, 0.8, 0.7, 0.6, 0.5):
            self.set_strength(self.session, value)
            self.session.save(self.path)
        with self.assertRaisesRegex(LatherError, "too often"):
            recover(self.found()[0])
        self.assertEqual(len(self.found()), 1)


class TwoProgramsTest(JournalCase):
    def test_the_second_save_does_not_drop_the_first_ones_strokes(self):
        self.session.save(self.path)
        one, two = Session.from_job_file(self.path), Session.from_job_file(self.path)
        self.set_strength(one, 0.1)
        one.save(self.path)
        whole = self.path.read_bytes()
        self.set_strength(two, 0.2)
        with self.assertRaisesRegex(ChangedOnDisk, "another window"):
            save_job(self.path, replaces=two.identity, **two.snapshot())
        self.assertEqual(self.path.read_bytes(), whole)
        self.assertFalse(list(self.folder.glob(".*.part")))
        self.assertEqual(save_job(self.path, replaces=one.identity, **one.snapshot()), identity_of(self.path))

    def test_a_file_that_was_never_opened_is_not_replaced_unasked(self):
        self.path.write_bytes(b"something else")
        with self.assertRaisesRegex(ChangedOnDisk, "there already"):
            save_job(self.path, replaces=None, **self.session.snapshot())
        self.assertEqual(self.path.read_bytes(), b"something else")
        save_job(self.path, replaces=True, **self.session.snapshot())
        self.assertEqual(copy_paths(self.path)[0].read_bytes(), b"something else")

    def test_a_file_that_was_taken_away_is_written_again(self):
        self.session.save(self.path)
        session = Session.from_job_file(self.path)
        self.path.unlink()
        save_job(self.path, replaces=session.identity, **session.snapshot())
        self.assertEqual(identity_of(self.path), Session.from_job_file(self.path).identity)

    def test_the_same_document_saved_elsewhere_is_no_other_save(self):
        self.session.save(self.path)
        moved = self.folder / "moved.lather"
        moved.write_bytes(self.path.read_bytes())
        self.assertEqual(identity_of(moved), identity_of(self.path))


class CopiesTest(FolderCase):
    def setUp(self):
        super().setUp()
        self.path = self.folder / "job.lather"
        for number, path in enumerate((self.path, *copy_paths(self.path))):
            path.write_text(f"save {number}")

    def test_without_hard_links_they_are_copied_and_a_failure_costs_none(self):
        with mock.patch("os.link", side_effect=OSError(1, "not permitted")):
            with mock.patch("shutil.copyfile", side_effect=OSError(28, "No space left on device")), \
                    self.assertRaises(OSError):
                keep_copies(self.path)
            kept = [path.read_text() for path in (self.path, *copy_paths(self.path))]
            self.assertEqual(kept, ["save 0", "save 1", "save 2", "save 3"])
            keep_copies(self.path)
        kept = [path.read_text() for path in (self.path, *copy_paths(self.path))]
        self.assertEqual(kept, ["save 0", "save 0", "save 1", "save 2"])
        self.assertEqual(len(list(self.path.parent.iterdir())), 4)


class PartsTest(FolderCase):
    def setUp(self):
        super().setUp()
        state = mock.patch.dict(os.environ, {"XDG_STATE_HOME": str(self.folder / "state")})
        state.start()
        self.addCleanup(state.stop)

    def test_what_a_kill_left_goes_at_the_next_start_and_nothing_else(self):
        code = ("import os, sys; from pathlib import Path; from lather.core.imageio.atomic import write_atomically;"
                "write_atomically(Path(sys.argv[1]), lambda file: (file.write(b'half'), file.flush(), os._exit(9)))")
        target = self.folder / ("n" * 240 + ".jpg")
        subprocess.run([sys.executable, "-c", code, target], env=os.environ | {"PYTHONPATH": str(ROOT / "src")})
        left = list(self.folder.glob(".n*.part"))
        self.assertEqual(len(left), 1)
        foreign = self.folder / ".somebody.12345678.part"
        foreign.write_text("not ours")
        with registered(living := part_beside(target)):
            living.write_text("being written")
            self.assertEqual(sweep_parts(), left)
            self.assertTrue(living.exists())
        self.assertTrue(foreign.exists())
        self.assertEqual(list((self.folder / "state" / "lather" / "writing").iterdir()), [])

    def test_without_a_state_folder_files_are_written_all_the_same(self):
        (self.folder / "state").write_text("in the way")
        write_atomically(self.folder / "a.txt", lambda file: file.write(b"whole"))
        self.assertEqual((self.folder / "a.txt").read_bytes(), b"whole")
        self.assertEqual(sorted(os.listdir(self.folder)), ["a.txt", "state"])
