"""The client's side: a proof sheet answered, and a report that says what was done."""

import json
import re
from dataclasses import replace
from datetime import date

from lather.core.deliver.proof_sheet import (
    asked_finds,
    is_answer,
    proof_sheet_html,
    read_answer,
    take_answer,
    write_proof_sheet,
)
from lather.core.deliver.report import make_report, report_html, report_print_html, sheet_html
from lather.core.errors import RequestError
from lather.core.job.brief import JobSheet
from lather.core.job.commands import SetBrief, SetFinds, SetLayer, command_from_json
from lather.core.job.finds import Find
from lather.core.measure.photo_facts import photo_facts
from lather.core.plan.minutes import shipped_speeds
from lather.core.plan.plan_of_session import plan_of
from lather.core.record.entries import DeliveryNote
from tests.support.faces import made_face
from tests.support.folder_case import FolderCase

HOSTILE = "<script>alert('x')</script> & “Wren”"


def asked_session():
    """A face with a mole, a scar, a hair and two spots listed."""
    face = made_face()
    session = face.session()
    kinds = ("mole", "scar", "hair_on_skin", "blemish_dark", "blemish_red")
    finds = tuple(Find(f"f{n}", kind, 500.0 + 40 * n, 560.0 + 15 * n, 14.0 + n, 9.0, 0.9, "cheek",
                       keeper=kind == "mole") for n, kind in enumerate(kinds))
    session.history.amend(SetFinds(finds, face.measures.face, ()))
    session.history.do(SetBrief("title", HOSTILE))
    session.history.do(SetBrief("client", "Alder"))
    return face, session


class ProofSheetTest(FolderCase):
    def setUp(self):
        super().setUp()
        self.face, self.session = asked_session()

    def answer(self, **more) -> dict:
        return {"lather_answer": 1, "job": self.session.job.id, "sheet": "s1"} | more

    def test_the_page_stands_on_its_own_and_asks_about_what_is_undecided(self):
        html = proof_sheet_html(self.session)
        self.assertNotIn("<script>alert", html)
        self.assertEqual(re.findall(r'(?:src|href)="(?!data:)[^"]+"', html), [])  # nothing is fetched
        self.assertEqual([find.kind for find in asked_finds(self.session.job)], ["scar", "mole"])
        self.session.history.do(SetBrief("agreed", {"hair_on_skin": "ask", "lasting_marks": "go"}))
        self.assertEqual({find.kind for find in asked_finds(self.session.job)}, {"scar", "hair_on_skin"})

    def test_each_sheet_gets_a_name_of_its_own(self):
        first, second = (write_proof_sheet(self.session, self.folder / "out") for _ in range(2))
        self.assertNotEqual(first, second)
        self.assertEqual(first.suffix, ".html")

    def test_an_answer_becomes_decisions_agreements_and_pinned_remarks_in_one_step(self):
        job = self.session.job
        taken = take_answer(job, self.answer(
            name="Ms Alder", agreed={"teeth": "no", "scars": "yes"},
            finds=[{"id": "f0", "answer": "remove"}, {"id": "f1", "answer": "keep"}, {"id": "gone", "answer": "keep"}],
            remarks=[{"text": "softer, please", "x": 510.5, "y": 570}, {"text": "lovely", "x": None, "y": None}]))
        after = self.session.history.do(taken.command)
        finds = {find.id: find for find in after.finds}
        self.assertEqual(after.find_state(finds["f0"]), "open")  # wanted gone, though marks stay
        self.assertEqual(after.find_state(finds["f1"]), "keep")
        self.assertNotIn(finds["f0"], after.keepers())
        self.assertEqual(after.brief["agreed"]["teeth"], "no")
        self.assertEqual(after.brief["agreed"]["scars"], "stay")  # asked and answered: no other scar goes
        remarks = JobSheet.of(after.brief).remarks
        self.assertEqual([(r.text, r.x, r.who) for r in remarks],
                         [("softer, please", 510.5, "Ms Alder"), ("lovely", None, "Ms Alder")])
        self.assertEqual((taken.kept, taken.wanted_gone, taken.unknown), (1, 1, 1))
        again = command_from_json(json.loads(json.dumps(taken.command.to_json())), {})
        self.assertEqual(again.apply(job).brief, after.brief)
        self.assertEqual(self.session.history.undo().brief, job.brief)

    def test_what_is_no_answer_or_not_of_this_job_says_so(self):
        path = self.folder / "a.json"
        for bad in ({}, self.answer(finds=[{"id": "f0", "answer": "shrink"}]), self.answer(remarks=[{"text": ""}]),
                    self.answer(job="../../etc"), self.answer(finds="many"), self.answer(agreed={"x": "perhaps"})):
            path.write_text(json.dumps(bad))
            with self.assertRaises(RequestError, msg=bad):
                read_answer(path)
        for text in ("", "{", "[" * 100_000, '{"lather_answer": 1' + " " * 2_000_000 + "}"):
            path.write_text(text)
            with self.assertRaises(RequestError):
                read_answer(path)
        path.write_text(json.dumps(self.answer()))
        self.assertTrue(is_answer(path))
        with self.assertRaises(RequestError):
            take_answer(replace(self.session.job, id="other"), read_answer(path))


class ReportTest(FolderCase):
    def test_a_report_says_what_was_done_against_what_and_adds_up(self):
        face, session = asked_session()
        session.history.do(SetBrief("rate_cents", 4800))
        session.history.do(SetBrief("remarks", [{"text": HOSTILE, "who": "Alder"}]))
        plan = plan_of(session.job, photo_facts(face.measures), shipped_speeds())
        note = DeliveryNote("Web", "/out/wren.jpg", "JPEG", 800, 1000, 1_000_000, "ab" * 32, "sRGB", "2026-11-28")
        values = {"texture_kept": 80.0, "keepers_intact": 1.0, "modelling_kept": 99.0}
        report = make_report(session, seconds={"mend": 300, "even": 61, "review": 40}, plan=plan, deliveries=(note,),
                             measures=face.measures, values=values, today=date(2026, 11, 28))
        self.assertEqual(report.seconds, 401)
        self.assertEqual(report.planned, plan.seconds)
        self.assertEqual((report.over, [one.state for one in report.gauges]), (1, ["low", "inside", "inside"]))
        for html in (report_html(report), report_print_html(report)):
            self.assertNotIn("<script>", html)
            for words in ("28 November 2026", "6:41", "80 % · low", "wren.jpg", "Lasting marks stay", "for a doctor",
                          session.photo.sha256, "&lt;script&gt;"):
                self.assertIn(words, html)
        self.assertEqual(re.findall(r'src="(?!data:image)', report_html(report)), [])

    def test_a_child_without_consent_and_a_moved_form_are_said(self):
        face, session = asked_session()
        session.history.do(SetBrief("kind", "newborn/child"))
        report = make_report(session, measures=face.measures, values={})
        self.assertTrue(any("consent" in text for text in report.cautions))
        self.assertIsNone(report.planned)
        self.assertIn("Nothing was reshaped", report_html(report))

    def test_layers_that_are_off_were_not_done(self):
        face, session = asked_session()
        layer = session.job.stage("mend").layers[0]
        session.history.do(SetLayer("mend", layer.id, "on", False))
        self.assertEqual(make_report(session, measures=face.measures, values={}).stages, ())
        self.assertIn("before", sheet_html(session))
