"""The handbook in the window: at F1 where one is, searched, followed; every page and picture is there."""

import re
from pathlib import Path

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QTextDocument
from PyQt6.QtTest import QTest

from lather.core.stages.registry import STAGES
from lather.desktop.handbook.pages import folder, matching, page_for, pages
from lather.desktop.handbook.screen import key_table
from lather.desktop.input.keys import ACTIONS
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase

_LINK = re.compile(r"(!?)\[[^\]]*\]\(([^)]+)\)")


class HandbookTest(WindowCase):
    @property
    def handbook(self):
        return self.window.screens["handbook"]

    def press_f1(self):
        QTest.keyClick(self.window.screen, Qt.Key.Key_F1)
        self.pump()

    def test_every_page_link_and_picture_is_there_and_each_stage_has_both(self):
        known = {page.id for page in pages()}
        self.assertEqual({path.stem for path in folder().glob("*.md")}, known)
        for page in pages():
            text = page.path.read_text(encoding="utf-8")
            self.assertTrue(text.startswith("# "), page.id)
            for _, target in _LINK.findall(text):
                self.assertTrue((folder() / target).is_file(), f"{page.id}: {target}")
            if page.id in {info.id for info in STAGES}:
                self.assertIn("**Numbers that matter.**", text)
                self.assertIn("](pictures/", text, page.id)
        self.assertLessEqual({info.id for info in STAGES}, known)
        used = {Path(target).name for page in pages() for picture, target in _LINK.findall(page.path.read_text())
                if picture}
        self.assertLessEqual(used, {path.name for path in (folder() / "pictures").iterdir()})

    def test_f1_opens_it_at_what_is_in_view_and_goes_back(self):
        self.press_f1()
        self.assertEqual(self.handbook.shown.id, "first-portrait")
        self.assertIn("Dab", self.handbook.reader.toPlainText())
        self.press_f1()
        self.assertIs(self.window.screen, self.window.screens["start"])
        self.take(session_of(skin_like(80, 120)))
        for stage in ("mend", "sculpt"):
            self.window.job.choose_stage(stage)
            self.press_f1()
            self.assertEqual(self.handbook.shown.id, stage)
            QTest.keyClick(self.window.screen, Qt.Key.Key_Escape)
            self.assertIs(self.window.screen, self.desk)
        for screen, page in (("review", "restraint"), ("deliver", "deliver"), ("logbook", "logbook")):
            self.window.show_screen(screen)
            self.press_f1()
            self.assertEqual(self.handbook.shown.id, page)
            self.press_f1()
            self.assertIs(self.window.screen, self.window.screens[screen])
        self.assertEqual(page_for("elsewhere"), "first-portrait")

    def test_pages_are_searched_by_all_words_and_links_are_followed(self):
        self.press_f1()
        book = self.handbook
        book.search.setFocus()
        QTest.keyClicks(book.search, "under-eye hollow")
        listed = [book.list.item(n).text() for n in range(book.list.count())]
        self.assertEqual(listed, [page.title for page in matching("under-eye hollow")])
        self.assertTrue(0 < len(listed) < len(pages()))
        self.assertIn("under-eye", book.reader.toPlainText().lower())
        self.assertEqual(book.reader.textCursor().selectedText().lower(), "under-eye")
        QTest.keyClicks(book.search, " zzz")
        self.assertTrue(book.nothing.isVisible())
        book.search.clear()
        self.assertEqual(book.list.count(), len(pages()))
        book.reader.anchorClicked.emit(QUrl("restraint.md"))
        self.assertEqual(book.shown.id, "restraint")

    def test_pictures_are_as_wide_as_the_text_at_most_and_the_keys_are_ones_own(self):
        self.press_f1()
        book = self.handbook
        book.open_page("even")
        image = book.reader.loadResource(QTextDocument.ResourceType.ImageResource.value,
                                         QUrl.fromLocalFile(str(folder() / "pictures" / "even.jpg")))
        self.assertLessEqual(image.width() / image.devicePixelRatio(), book.reader.viewport().width())
        self.assertGreater(image.width() / image.devicePixelRatio(), 600)
        book.open_page("keys")
        text = book.reader.toPlainText()
        for action in ACTIONS:
            self.assertIn(action.label, text)
        self.assertEqual(len(key_table().split("\n")), len(ACTIONS) + 2)
