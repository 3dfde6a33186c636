"""The interface in another language: gathered from the source, written for Qt's tools, shown on every screen."""

import unittest
import xml.etree.ElementTree as xml
from unittest import mock

from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QWidget

from lather.desktop import texts
from lather.desktop.delivery.output_row import OutputRow
from lather.desktop.input.keys import settings_folder
from lather.desktop.settings.declared import BY_ID
from lather.desktop.texts.catalogue import Catalogue, tr
from lather.desktop.texts.gather import texts as gathered
from lather.desktop.texts.languages import catalogue_for, languages
from lather.desktop.texts.ts_file import catalogue_of, read_ts, write_ts
from lather.desktop.widgets.choices import Choices
from lather.desktop.window.message_line import MessageLine
from tests.support.commands import run_here, said_here
from tests.support.folder_case import FolderCase
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase

_MARK = "¤"
_SHARE = 0.97


def marked() -> Catalogue:
    """A language in which everything begins with a mark."""
    return Catalogue({text: f"{_MARK}{text}" for text in gathered()})


class CatalogueTest(unittest.TestCase):
    def test_plain_texts_values_and_what_stands_in_values_are_translated(self):
        one = Catalogue({"Save": "Sichern", "{0} of {1} done": "{1}, davon fertig: {0}", "stage {0}": "Stufe {0}",
                         "Mend": "Heilen", "Gone.": "Weg.", "{0} px": ""})
        for text, said in (("Save", "Sichern"), ("3 of 24 done", "24, davon fertig: 3"), ("stage Mend", "Stufe Heilen"),
                           (" Save ", " Sichern "), ("Unknown", "Unknown"), ("7 px", "7 px"), ("3.5 %", "3.5 %"),
                           ("Gone. Save", "Weg. Sichern")):
            self.assertEqual(one.translate(text), said)

    def test_english_is_as_it_stands_in_the_source(self):
        texts.use(None)
        self.assertEqual(tr("3 of 24 done"), "3 of 24 done")


class FileTest(FolderCase):
    def test_what_is_translated_stays_what_is_gone_is_kept_and_the_rest_is_unfinished(self):
        path = self.folder / "de.ts"
        known = {"Save": ["a.py:1", "b.py:2"], "{0} of {1} <done>": ["a.py:9"]}
        self.assertEqual(write_ts(path, "de", known, {"Save": "Sichern", "Old": "Alt"}), 1)
        root = xml.parse(path).getroot()
        self.assertEqual((root.tag, root.get("version"), root.get("language")), ("TS", "2.1", "de"))
        kinds = {m.findtext("source"): m.find("translation").get("type") for m in root.iter("message")}
        self.assertEqual(kinds, {"Save": None, "{0} of {1} <done>": "unfinished", "Old": "vanished"})
        self.assertEqual([x.get("line") for x in root.find("context/message").iter("location")], ["1", "2"])
        self.assertEqual(read_ts(path)["Save"], "Sichern")
        self.assertEqual(write_ts(path, "de", known, read_ts(path) | {"{0} of {1} <done>": "{0}/{1}"}), 0)
        self.assertEqual(catalogue_of(path).translate("3 of 4 <done>"), "3/4")

    def test_the_command_writes_all_and_refuses_another_ending(self):
        code, said = run_here("texts", "--out", self.folder / "eo.ts")
        self.assertEqual(code, 0)
        known = read_ts(self.folder / "eo.ts")
        self.assertIn(f"{len(known)} texts, {len(known)} to translate", said)
        self.assertGreater(len(known), 1000)
        for text in ("Settings", "All as suggested", "{0} edits: {1}.",
                     "less than two fifths left looks painted; more reads as tired"):
            self.assertIn(text, known)
        self.assertFalse([text for text in known if "border-radius" in text or text.startswith("Source:")])
        code, said = said_here(self.folder, "texts", "--out", "eo.txt")
        self.assertEqual(code, 2)
        self.assertIn("ends in .ts", said)


class ShownTest(WindowCase):
    def setUp(self):
        self.addCleanup(texts.use, None)
        texts.use(marked())
        super().setUp()

    def shown(self, screen: QWidget) -> list[str]:
        """Words of all labels, buttons and tips of a screen, but for what the person wrote or chose."""
        said = []
        for widget in screen.findChildren(QWidget):
            if isinstance(widget, QLabel | QAbstractButton) and not isinstance(widget.parent(), OutputRow):
                said.append(widget.text())
            if isinstance(widget, QComboBox):
                said += [widget.itemText(n) for n in range(widget.count())]
            if isinstance(widget, MessageLine):
                said.append(widget.text())
            if not isinstance(widget, QLineEdit | Choices):
                said.append(widget.toolTip())
        return [text for text in said if sum(c.isalpha() for c in text) > 2 and " " in text.strip()]

    def test_nearly_all_that_is_on_the_screens_is_translated(self):
        self.take(session_of(skin_like(300, 400)))
        self.canvas.zoom_to(1.0)
        self.settle()
        self.click(150, 150)
        plain, count = [], 0
        for key in ("desk", "brief", "review", "deliver", "logbook", "practice", "settings"):
            self.window.show_screen(key)
            self.settle()
            words = self.shown(self.window.screen)
            count += len(words)
            plain += [f"{key}: {text}" for text in words if _MARK not in text]
        self.assertGreater(count, 300)
        share = 1 - len(plain) / count
        self.assertGreater(share, _SHARE, "\n".join(sorted(set(plain))))

    def test_a_language_of_ones_own_is_chosen_and_the_screens_speak_it_at_once(self):
        folder = settings_folder() / "texts"
        folder.mkdir(parents=True, exist_ok=True)
        path = folder / "xx.ts"
        for one in (path, settings_folder() / "settings.json"):
            self.addCleanup(one.unlink, missing_ok=True)
        write_ts(path, "xx", {"Logbook": ["a:1"]}, {"Logbook": "Kladde"})
        texts.use(None)
        with mock.patch.dict(BY_ID["language"].choices, languages()):  # they are looked for at the start of the program
            self.window.rooms.show("settings")
            screen = self.window.screens["settings"]
            self.assertTrue(screen.rows["language"].isVisible())
            screen.rows["language"].control.button("xx").click()
            self.wait(lambda: self.window.screens.made.get("settings") not in (None, screen))
            self.assertEqual(self.window.header.tabs["logbook"].text(), "Kladde")
            self.window.screens["settings"].rows["language"].control.button("en").click()
            self.wait(lambda: self.window.header.tabs["logbook"].text() == "Logbook")
        path.write_text("no file of Qt's")
        self.assertIsNone(catalogue_for("xx"))
        self.assertIsNone(catalogue_for("en"))
