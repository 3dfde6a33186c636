"""Jobs and logbooks that earlier versions wrote open for ever, whole, and are carried on with."""

import json
import shutil
import sqlite3
import zipfile
from contextlib import closing

from lather.core.job.document import job_to_json, same_document
from lather.core.record.logbook import Logbook
from lather.core.record.logbook_form import FORM
from lather.core.session import Session
from tests.support.folder_case import FolderCase
from tests.support.keep_version import EARLIER, fill


def told(document: dict) -> dict[str, list[tuple[str, int, dict]]]:
    """{stage: [(kind of layer, edits, settings)]} of a document."""
    return {stage["id"]: [(layer.get("kind", "mend"), len(layer.get("edits", ())), layer.get("settings", {}))
                          for layer in stage["layers"]]
            for stage in document["stages"] if stage.get("layers")}


class EarlierVersionsTest(FolderCase):
    def test_every_job_opens_whole_is_worked_on_saved_and_opened_again(self):
        jobs = sorted(EARLIER.glob("*.lather"))
        self.assertGreaterEqual(len(jobs), 9)
        for earlier in jobs:
            with self.subTest(earlier.name):
                path = self.folder / "job.lather"
                shutil.copy2(earlier, path)
                with zipfile.ZipFile(path) as archive:
                    document = json.loads(archive.read("job.json"))
                session = Session.open(path)
                self.assertEqual(session.notes, [])
                self.assertEqual(told(job_to_json(session.job)), told(document))
                self.assertIsNotNone(session.history.undo_label)
                session.engine.pixels(session.job, session.photo.bounds)
                session.save(path)
                again = Session.open(path)
                self.assertTrue(same_document(again.job, session.job))
                self.assertEqual(again.notes, [])

    def test_every_logbook_is_brought_forward_whole_and_kept_as_it_was(self):
        books = sorted(EARLIER.glob("*.sqlite"))
        self.assertGreaterEqual(len(books), 3)
        with closing(Logbook(":memory:")) as today:
            fill(today)
            (expected,) = today.entries()
        for earlier in books:
            with self.subTest(earlier.name):
                path = self.folder / f"{earlier.stem}.sqlite"
                shutil.copy2(earlier, path)
                with closing(sqlite3.connect(path)) as db:
                    (form,) = db.execute("PRAGMA user_version").fetchone()
                with closing(Logbook(path)) as book:
                    (entry,) = book.entries()
                    self.assertEqual((entry.seconds, entry.planned, entry.gauges, entry.deliveries, entry.spent),
                                     (expected.seconds, expected.planned, expected.gauges, expected.deliveries,
                                      expected.spent))
                    self.assertEqual((entry.title, entry.price_cents, entry.mended), ("Wren", 3600, expected.mended))
                    self.assertEqual(book.check(), [])
                    book.add_practice(1, 1, 50.0, None, 60.0)
                    book.add_look("one", "retouch")
                kept = list(self.folder.glob(f"{earlier.stem}-form*"))
                self.assertEqual(len(kept), 0 if form == FORM else 1)
                with closing(Logbook(path)) as book:  # it is in the form of today now, and opens as it is
                    self.assertEqual(len(book.entries()), 1)
                self.assertEqual(list(self.folder.glob(f"{earlier.stem}-form*")), kept)
