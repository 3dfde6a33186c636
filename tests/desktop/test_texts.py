"""The interface in another language: gathered from the source, written for Qt's tools, shown on every screen."""

import ast
import functools
import struct
import time
import unittest
import xml.etree.ElementTree as xml
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QAbstractTableModel
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QComboBox, QLabel, QLineEdit, QWidget

import lather
from lather.core.brush.cards import BrushCard, write_cards
from lather.core.brush.values import Brush
from lather.core.colour.profiles import srgb_profile
from lather.core.deliver.presets import keep_preset, presets_file
from lather.core.errors import RequestError
from lather.core.imageio.write import write_picture
from lather.core.job.commands import AddLayer, SetBrief, SetLayer
from lather.core.job.model import Layer, new_id
from lather.core.job.outputs import OutputSpec
from lather.core.phrases import GENERAL, Typed, as_words, context_of, joined, made_phrase, phrase
from lather.core.session import Session
from lather.desktop import texts
from lather.desktop.app import make_application
from lather.desktop.delivery.output_row import OutputRow
from lather.desktop.input.keys import settings_folder
from lather.desktop.settings.declared import BY_ID
from lather.desktop.texts.catalogue import Catalogue, Compiled, form_count, plural_of, tr
from lather.desktop.texts.gather import Entry
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


@functools.cache
def marked() -> Catalogue:
    """A language in which everything begins with a mark."""
    return Catalogue({key: (f"{_MARK}{key[1]}",) * (2 if entry.counted else 1) if entry.counted else f"{_MARK}{key[1]}"
                      for key, entry in gathered().items()})


class WithTranslator(unittest.TestCase):
    """Qt asks translators by its application."""

    def setUp(self):
        make_application()
        self.addCleanup(texts.use, None)


class CatalogueTest(WithTranslator):
    def test_a_sentence_is_put_together_by_the_other_language(self):
        here = context_of(__name__)
        texts.use(Catalogue({
            ("Lather", "Save"): "Sichern", (here, "%1 of %2 done"): "%2, davon fertig: %1", ("Tool", "Copy"): "Klonen",
            ("Lather", "Copy"): "Kopieren", (here, "%n steps"): ("%n Schritt", "%n Schritte"),
            (here, "%1 left"): "noch %1", ("Lather", "mole"): "Leberfleck"}, "de"))
        for text, said in (
            ("Save", "Sichern"), (phrase("%1 of %2 done", 3, 24), "24, davon fertig: 3"), ("Unknown", "Unknown"),
            (phrase("%n steps", n=1, one="%n step"), "1 Schritt"), (phrase("%n steps", n=4), "4 Schritte"),
            (phrase("%1 left", phrase("%n steps", n=2)), "noch 2 Schritte"),
            (joined(["Save", phrase("%1 left", 7)]), "Save noch 7"),
            (phrase("%n things", n=1, one="%n thing"), "1 thing"), ("", ""),
        ):
            self.assertEqual(tr(text), said)
        self.assertEqual(tr("%1 of %2 done", 1, 2), "2, davon fertig: 1")
        self.assertEqual((tr(as_words("Copy", "Tool")), tr("Copy")), ("Klonen", "Kopieren"))  # one word, two contexts

    def test_what_a_person_typed_is_never_translated_even_if_it_is_a_word_of_ours(self):
        here = context_of(__name__)
        texts.use(Catalogue({("Lather", "Save"): "Sichern", (here, "%1 is off"): "%1 ist aus"}))
        self.assertEqual(tr(phrase("%1 is off", "Save")), "Save ist aus")
        self.assertEqual(tr(Typed("Save")), "Save")

    def test_other_languages_have_other_plurals(self):
        forms = {n: plural_of("pl")(n) for n in (1, 2, 5, 12, 22, 25)}
        self.assertEqual(forms, {1: 0, 2: 1, 5: 2, 12: 2, 22: 1, 25: 2})
        self.assertEqual([form_count(one) for one in ("de", "fr", "ja", "ru", "uk", "sl", "ar", "xx")],
                         [2, 2, 1, 3, 3, 4, 6, 2])
        self.assertEqual((plural_of("fr")(0), plural_of("de")(0)), (0, 1))

    def test_english_is_as_it_stands_in_the_source(self):
        texts.use(None)
        self.assertEqual(tr("%1 of %2 done", 3, 24), "3 of 24 done")
        counted = [str(phrase("%n steps", n=n, one="%n step")) for n in (0, 1, 2)]
        self.assertEqual(counted, ["0 steps", "1 step", "2 steps"])

    def test_a_sentence_is_literal_so_that_it_can_be_gathered(self):
        """`tr` and `phrase` with values get their sentence as it stands; only what is ready-made may be a variable."""
        loose = []
        for path in sorted((Path(lather.__file__).parent).rglob("*.py")):
            for node in ast.walk(ast.parse(path.read_text())):
                name = getattr(getattr(node, "func", None), "id", "")
                if not isinstance(node, ast.Call) or name not in ("tr", "phrase"):
                    continue
                literal = isinstance(node.args[0], ast.Constant) and isinstance(node.args[0].value, str)
                sentence = name == "phrase" or len(node.args) > 1 or isinstance(node.args[0], ast.JoinedStr)
                if sentence and not literal:
                    loose.append(f"{path.name}:{node.lineno}")
        self.assertEqual([one for one in loose if not one.startswith(("catalogue.py", "phrases.py"))], [])


class FileTest(WithTranslator, FolderCase):
    def setUp(self):
        super().setUp()
        FolderCase.setUp(self)

    def test_what_is_translated_stays_what_is_gone_is_kept_and_the_rest_is_unfinished(self):
        path = self.folder / "de.ts"
        known = {("Lather", "Save"): Entry(["a.py:1", "b.py:2"]), ("desk", "%1 of %2 <done>"): Entry(["a.py:9"]),
                 ("job", "%n edits"): Entry(["c.py:3"], True)}
        self.assertEqual(write_ts(path, "de", known, {("Lather", "Save"): "Sichern", ("Lather", "Old"): "Alt"}), 2)
        root = xml.parse(path).getroot()
        self.assertEqual((root.tag, root.get("version"), root.get("language")), ("TS", "2.1", "de"))
        self.assertEqual([c.findtext("name") for c in root.iter("context")], ["Lather", "desk", "job"])
        kinds = {m.findtext("source"): m.find("translation").get("type") for m in root.iter("message")}
        self.assertEqual(kinds, {"Save": None, "%1 of %2 <done>": "unfinished", "%n edits": "unfinished",
                                 "Old": "vanished"})
        counted = next(m for m in root.iter("message") if m.get("numerus") == "yes")
        self.assertEqual(len(list(counted.iter("numerusform"))), 2)
        self.assertEqual([x.get("line") for x in root.find("context/message").iter("location")], ["1", "2"])
        self.assertEqual(read_ts(path)["Lather", "Save"], "Sichern")
        more = {("desk", "%1 of %2 <done>"): "%1/%2", ("job", "%n edits"): ("%n Eingriff", "%n Eingriffe")}
        self.assertEqual(write_ts(path, "de", known, read_ts(path) | more), 0)
        texts.use(catalogue_of(path))
        self.assertEqual(tr(made_phrase("desk", "%1 of %2 <done>", (3, 4))), "3/4")
        self.assertEqual(tr(made_phrase("job", "%n edits", n=1)), "1 Eingriff")

    def test_a_translation_made_for_an_earlier_version_is_taken_over(self):
        path = self.folder / "de.ts"
        path.write_text("""<!DOCTYPE TS><TS version="2.1" language="de"><context><name>Lather</name>
            <message><source>{0} of {1} done</source><translation>{1}, davon {0}</translation></message>
            </context></TS>""")
        write_ts(path, "de", {("desk", "%1 of %2 done"): Entry(["a.py:1"])}, read_ts(path))
        self.assertEqual(read_ts(path)["desk", "%1 of %2 done"], "%2, davon %1")

    def test_a_file_that_is_none_is_refused_with_a_sentence_and_the_interface_stays_english(self):
        path = settings_folder() / "texts" / "xx.ts"
        path.parent.mkdir(parents=True, exist_ok=True)
        self.addCleanup(path.unlink)

        def document(text: str, encoding: str) -> bytes:
            return (f'<?xml version="1.0" encoding="{encoding}"?><TS><context><name>Lather</name><message><source>'
                    f"Delete</source><translation>{text}</translation></message></context></TS>").encode("latin-1")

        bomb = b'<!DOCTYPE TS [<!ENTITY a "' + b"x" * 60 + b'">' + b"".join(
            b'<!ENTITY %c "%s">' % (98 + n, b"&%c;" % (97 + n) * 40) for n in range(8)) + b"]><TS>&i;</TS>"
        for wrong in (document("Löschen", "utf-8"), document("Delete", "klingon"), document("Delete", "shift_jis"),
                      b"\xff\xfe", b"", bomb, b"<TS>" * 100_000, b"<html></html>"):
            path.write_bytes(wrong)
            start = time.monotonic()
            with self.assertRaises(RequestError) as caught:
                read_ts(path)
            self.assertNotIn("\n", caught.exception.message)
            texts.use(catalogue_for("xx"))
            self.assertEqual(tr(phrase("Delete")), "Delete")
            self.assertLess(time.monotonic() - start, 5)
        path.write_bytes(document("L\u00f6schen", "latin-1"))  # said rightly, any encoding will do
        self.assertEqual(read_ts(path), {("Lather", "Delete"): "Löschen"})

    def test_texts_of_many_places_hold_nothing_up(self):
        path = self.folder / "xx.ts"
        many = "%1%2%3%4%5%6%7%8%9%1%2%3"
        write_ts(path, "xx", {("c", many): Entry(), ("c", "%1"): Entry(), ("c", "long"): Entry()},
                 {("c", many): many[::-1], ("c", "%1"): "%1" * 500, ("c", "long"): "x" * 90_000})
        known = catalogue_of(path)
        self.assertEqual(known.translate("c", "%1"), None)  # what no label could show is not taken
        self.assertEqual(known.translate("c", "long"), None)
        texts.use(known)
        start = time.monotonic()
        tr(made_phrase("c", many, ("a" * 30,) * 9)), tr("a" * 400)
        self.assertLess(time.monotonic() - start, 0.5)

    def test_the_command_writes_all_and_refuses_another_ending(self):
        code, said = run_here("texts", "--out", self.folder / "eo.ts")
        self.assertEqual(code, 0)
        known = read_ts(self.folder / "eo.ts")
        self.assertIn(f"{len(known)} texts, {len(known)} to translate", said)
        self.assertGreater(len(known), 1000)
        for text in (("Lather", "Settings"), ("settings.form", "All as suggested"), ("review", "%1 edits: %2."),
                     ("Tool", "Dab"), ("stages", "%n strokes"), ("Setting", "Theme"), ("Gauge", "Halo"),
                     ("Band", "less than two fifths left looks painted; more reads as tired")):
            self.assertTrue(text in known, text)
        self.assertFalse([text for _, text in known if "border-radius" in text or text.startswith("Source:")])
        code, said = said_here(self.folder, "texts", "--out", "eo.txt")
        self.assertEqual(code, 2)
        self.assertIn("ends in .ts", said)

    def test_a_file_released_by_qts_own_tools_is_used(self):
        """The smallest one there is: magic, and one hashed message, as `lrelease` writes it."""
        path = self.folder / "qm" / "xx.qm"
        path.parent.mkdir()
        path.write_bytes(released({("Lather", "Save"): "Gardu"}))
        compiled = Compiled(path)
        self.assertTrue(compiled.readable)
        texts.use(compiled)
        self.assertEqual((tr("Save"), tr("Open")), ("Gardu", "Open"))


def released(messages: dict[tuple[str, str], str]) -> bytes:
    """A .qm file (Qt 4 to 6: sections of hashes and of messages)."""
    hashes, body = [], b""
    for (context, source), said in messages.items():
        value = 0
        for byte in source.encode():
            value = ((value << 4) + byte) & 0xFFFFFFFF
            high = value & 0xF0000000
            if high:
                value ^= high >> 24
            value &= ~high & 0xFFFFFFFF
        hashes.append((value or 1, len(body)))
        for tag, data in ((3, said.encode("utf-16-be")), (6, source.encode()), (7, context.encode())):
            body += struct.pack(">BI", tag, len(data)) + data
        body += b"\x01"
    table = b"".join(struct.pack(">II", *one) for one in sorted(hashes))
    magic = bytes.fromhex("3cb86418caef9c95cd211cbf60a1bddd")
    return magic + b"".join(struct.pack(">BI", tag, len(data)) + data for tag, data in ((0x42, table), (0x69, body)))


class ShownTest(WindowCase):
    def setUp(self):
        make_application()
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

    def test_what_a_person_typed_stays_as_it_is_on_every_screen(self):
        """Everything that can be typed is a word that the other language knows."""
        word = "Word that is known"
        texts.use(Catalogue({(GENERAL, word): f"{_MARK}{word}"} | {
            (GENERAL, word.lower()): f"{_MARK}{word}", (GENERAL, word.capitalize()): f"{_MARK}{word}"}))
        folder = self.folder / "shots"
        folder.mkdir()
        write_picture(folder / f"{word}.png", skin_like(300, 400), profile=srgb_profile())
        self.take(Session.open(folder / f"{word}.png"))
        self.job.do(AddLayer("mend", Layer(new_id(), "new", "mend"), 0))
        self.job.do(SetLayer("mend", self.job.job.stage("mend").layers[0].id, "name", word))
        for key in ("title", "client", "frame"):
            self.job.do(SetBrief(key, word))
        self.job.do(SetBrief("outputs", [OutputSpec("output-1", word).to_json()]))
        self.job.do(SetBrief("remarks", [{"text": word, "x": 20, "y": 20, "who": "client", "done": False}]))
        write_cards(settings_folder() / "brush_cards.json", [BrushCard(word, "dab", Brush())])
        keep_preset(presets_file(), word, [OutputSpec("output-1", word)])
        self.addCleanup(lambda: [path.unlink(missing_ok=True) for path in settings_folder().rglob("*.json")])
        self.window.records.write(lambda book: book.note_job("job", title=word, client=word, kind="beauty"))
        seen, translated = set(), []
        for key in ("desk", "brief", "review", "deliver", "logbook", "practice", "settings"):
            self.window.show_screen(key)
            self.settle()
            said = [*self.shown(self.window.screen), *self.in_lists(self.window.screen)]
            said += [self.window.windowTitle(), *self.shown(self.window.header)]
            said += [label.text() for row in self.window.screen.findChildren(OutputRow)
                     for label in row.findChildren(QLabel)]
            seen |= {key for text in said if word in text}
            translated += [f"{key}: {text}" for text in said if f"{_MARK}{word}" in text]
        self.assertEqual(translated, [])
        self.assertEqual(seen, {"desk", "brief", "review", "deliver", "logbook", "practice", "settings"})

    @staticmethod
    def in_lists(screen: QWidget) -> list[str]:
        """What lists and tables hold."""
        said = []
        for view in screen.findChildren(QAbstractItemView):
            model = view.model()
            for row in range(model.rowCount() if model is not None else 0):
                for column in range(model.columnCount() if isinstance(model, QAbstractTableModel) else 1):
                    value = model.index(row, column).data()
                    said += [value] if isinstance(value, str) else []
        return said

    def test_a_language_of_ones_own_is_chosen_and_the_screens_speak_it_at_once(self):
        folder = settings_folder() / "texts"
        folder.mkdir(parents=True, exist_ok=True)
        path = folder / "xx.ts"
        for one in (path, settings_folder() / "settings.json"):
            self.addCleanup(one.unlink, missing_ok=True)
        write_ts(path, "xx", {("Lather", "Logbook"): Entry(["a:1"])}, {("Lather", "Logbook"): "Kladde"})
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
