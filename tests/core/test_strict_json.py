"""The one door for JSON: what it refuses, and that nothing is written that it would refuse."""

import json
import math
import unittest
from pathlib import Path

import lather
from lather.core.brush.cards import BrushCard, read_cards, shipped_cards, write_cards
from lather.core.deliver.presets import drop_preset, keep_preset, presets
from lather.core.deliver.proof_sheet import read_answer, take_answer
from lather.core.errors import RequestError, SaveError
from lather.core.job.commands import SetBrief
from lather.core.job.copies import copy_paths
from lather.core.job.outputs import OutputSpec
from lather.core.session import Session
from lather.core.strict_json import DAMAGED, NotStrict, mended, parsed, read_own, write_own, written
from tests.core.test_archive import ArchiveCase
from tests.support.folder_case import FolderCase

_REFUSED = (
    b"", b"{", b"NaN", b'{"a": Infinity}', b"[-Infinity]", b"[1e999]", b"[-1E+400]", b'["\\ud800"]', b'{"\\udfff": 1}',
    b'["a\\u0000b"]', b"\xff\xfe[\x00]\x00", b"[" * 100_000, b"[" * 90 + b"]" * 90, b"1" * 5000, b"[1,]", b"'a'",
)
_TAKEN = {
    b"[]": [], b'{"a": [1, 2.5, -3e-7, true, null]}': {"a": [1, 2.5, -3e-7, True, None]}, b'"\\ud83d\\ude00"': "😀",
    b"\xef\xbb\xbf{}": {}, b'["[[[[[[[[\\\\", "\\"]]{{"]': ["[[[[[[[[\\", '"]]{{'], b"[" * 60 + b"]" * 60: None,
    b'["1e999 NaN \\\\u0000"]': ["1e999 NaN \\u0000"],
}


class ReadTest(unittest.TestCase):
    def test_what_is_no_document_is_refused_in_a_clause_and_what_is_one_is_taken(self):
        for data in _REFUSED:
            with self.assertRaises(NotStrict, msg=data[:40]) as caught:
                parsed(data)
            self.assertRegex(str(caught.exception), r"^[a-z][^\n]+[^.]$")
        for data, value in _TAKEN.items():
            self.assertEqual(parsed(data), value if value is not None else json.loads(data))
        with self.assertRaises(NotStrict):
            parsed(b'"%s"' % (b"x" * 2000), most_bytes=1000)

    def test_mended_leaves_null_and_signs_where_nothing_can_be(self):
        self.assertEqual(mended(b'{"a": NaN, "b": [1e999, 1e200, 2]}'), {"a": None, "b": [None, None, 2]})
        self.assertEqual(mended(b'["\\ud800x\\u0000"]'), ["\ufffdx\ufffd"])
        for data in (b"", b"[" * 90 + b"]" * 90, b"\xff"):
            with self.assertRaises(NotStrict):
                mended(data)

    def test_what_would_be_refused_is_not_written(self):
        deep: list = []
        for _ in range(100):
            deep = [deep]
        for value in (math.nan, [math.inf], {"a": "\ud800"}, "\0", deep, 1e300):
            with self.assertRaises(NotStrict):
                written(value)
        for value in ({"a": ["ü😀", 1e-9, 2**53, None]}, [], "x" * 10_000):
            self.assertEqual(parsed(written(value)), value)


class OwnFilesTest(FolderCase):
    def test_a_file_that_cannot_be_read_is_put_aside_before_a_new_one_takes_its_place(self):
        path = self.folder / "deep" / "settings.json"
        write_own(path, {"a": 1})
        for damage in (b"{ half", b"[1, 2]", b'{"a": NaN}', "{'ü'}".encode("latin-1")):
            path.write_bytes(damage)
            self.assertEqual(read_own(path), {})
            write_own(path, {"a": 2})
            self.assertEqual(path.with_name(path.name + DAMAGED).read_bytes(), damage)
            self.assertEqual(read_own(path), {"a": 2})

    def test_one_card_or_preset_that_cannot_be_costs_only_itself(self):
        cards = self.folder / "cards.json"
        card = shipped_cards()[0]
        write_cards(cards, [BrushCard("Mine", card.tool, card.brush)])
        data = json.loads(cards.read_text())
        cards.write_text(json.dumps([None, {"name": "x"}, *data, {**data[0], "brush": {"size_px": 1e9}}, 5]))
        self.assertEqual([one.name for one in read_cards(cards)], ["Mine"])
        file = self.folder / "outputs.json"
        keep_preset(file, "Good\0 one", [OutputSpec("a", "Web")])
        data = json.loads(file.read_text())
        for bad in ([{"id": "a", "name": "b", "long_edge_px": 1e99}], 5, "x", [None, [], 3], [{"id": "a"}]):
            file.write_text(json.dumps(data | {"Bad": bad}))
            self.assertIn("Good\ufffd one", presets(file))
            self.assertNotIn("Bad", presets(file))
            drop_preset(file, "Bad")


class AnswerTest(ArchiveCase):
    def test_an_answer_with_what_is_no_place_is_refused_and_the_job_stays_one_that_opens(self):
        good = {"lather_answer": 1, "job": self.session.job.id, "sheet": "s", "name": "A client",
                "remarks": [{"text": "here", "x": 5, "y": 6}]}
        path = self.folder / "answer.json"
        for bad in (math.nan, math.inf, -5, 1e9, "5", [5], True):
            path.write_text(json.dumps(good | {"remarks": [{"text": "here", "x": bad, "y": 6}]}))
            with self.assertRaises(RequestError, msg=bad) as caught:
                read_answer(path)
            self.assertEqual(len(caught.exception.message.splitlines()), 1)
        path.write_text('{"lather_answer": 1, "job": "' + self.session.job.id + '", "sheet": "\\ud800"}')
        with self.assertRaises(RequestError):
            read_answer(path)
        path.write_text(json.dumps(good))
        self.session.history.do(take_answer(self.session.job, read_answer(path)).command)
        self.session.save(self.path)
        self.assertEqual(len(Session.open(self.path).job.brief["remarks"]), 1)

    def test_a_job_that_would_not_open_again_is_not_saved_and_no_copy_moves(self):
        for number in range(3):
            self.session.history.do(SetBrief("title", f"Title {number}"))
            self.session.save(self.path)
        before = [path.read_bytes() for path in (self.path, *copy_paths(self.path)[:2])]
        for bad in (math.nan, "\ud800", {"x": math.inf}):
            self.session.history.do(SetBrief("remarks", [bad]))
            with self.assertRaises(SaveError) as caught:
                self.session.save(self.path)
            self.assertIn("would not open again", caught.exception.message)
            self.session.history.undo()
        self.assertEqual([path.read_bytes() for path in (self.path, *copy_paths(self.path)[:2])], before)
        self.session.history.do(SetBrief("title", "Well again"))
        self.session.save(self.path)
        self.assertEqual(Session.open(self.path).job.brief["title"], "Well again")


class OneDoorTest(unittest.TestCase):
    SHIPPED = {"limits.py", "minutes.py", "proof_sheet.py", "gather.py"}
    """Read what comes with the program."""

    def test_nobody_else_reads_json(self):
        code = Path(lather.__file__).parent
        others = {path.name for path in code.rglob("*.py") if "json.load" in path.read_text(encoding="utf-8")}
        self.assertEqual(others - self.SHIPPED, {"strict_json.py"})


if __name__ == "__main__":
    unittest.main()
