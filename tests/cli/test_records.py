"""Plan, report, proof, log and the outputs of a job, from the command line."""

import csv
import io
import json
import os
from unittest import mock

from lather.core.colour import profiles
from lather.core.imageio.write import write_picture
from lather.core.job.brief import JobSheet
from lather.core.job.commands import SetBrief
from lather.core.job.outputs import OutputSpec
from lather.core.record.clock import Span
from lather.core.record.logbook import Logbook, logbook_path
from lather.core.session import Session
from tests.core.test_archive import worked
from tests.support.commands import run_here, said_here
from tests.support.folder_case import FolderCase
from tests.support.pictures import head_of, plate


class RecordsTest(FolderCase):
    def setUp(self):
        super().setUp()
        own = {"XDG_DATA_HOME": str(self.folder / "data"), "LATHER_OUTBOX": str(self.folder / "outbox"),
               "XDG_CONFIG_HOME": str(self.folder / "config")}
        patch = mock.patch.dict(os.environ, own)
        patch.start()
        self.addCleanup(patch.stop)
        session = worked(self.folder)
        specs = (OutputSpec("a", "Web", size="px", long_edge_px=120), OutputSpec("b", "Off", False),
                 OutputSpec("c", "Master", format="TIFF", bits=16, profile="own"))
        for key, value in (("title", "Wren"), ("kind", "beauty"), ("outputs", [one.to_json() for one in specs])):
            session.history.do(SetBrief(key, value))
        self.path = self.folder / "job.lather"
        session.save(self.path)

    def test_the_brief_outputs_are_rendered_read_back_and_logged(self):
        out = self.folder / "out"
        code, said = run_here("render", self.path, "--outputs", "--out", out)
        self.assertEqual((code, said.count("read back, equal")), (0, 2))
        self.assertEqual(sorted(p.name for p in out.iterdir()), ["wren-master-full.tif", "wren-web-120.jpg"])
        code, _ = said_here(self.folder, "render", self.path, "--outputs", "--out", out)
        self.assertEqual(code, 2)  # nothing is written over unless it is said
        self.assertEqual(run_here("render", self.path, "--outputs", "--out", out, "--replace")[0], 0)
        self.assertEqual(run_here("render", self.path, "--outputs", "--out", out, "--preset", "Web", "--pattern",
                                  "{photo}-{output}")[0], 0)
        code, said = said_here(self.folder, "render", self.path, "--outputs", "--out", out, "--preset", "None such")
        self.assertEqual((code, "choose from" in said), (2, True))
        (row,) = json.loads(run_here("log", "--json")[1])
        self.assertEqual((row["title"], row["kind"], len(row["deliveries"])), ("Wren", "beauty", 4))

    def test_deliveries_go_on_without_a_logbook_say_so_and_are_logged_when_there_is_one(self):
        out, book = self.folder / "out", logbook_path()
        book.parent.mkdir(parents=True, exist_ok=True)
        book.write_bytes(b"no logbook at all, only words" * 40)
        code, said = said_here(self.folder, "render", self.path, "--outputs", "--out", out)
        self.assertEqual((code, "is kept, and entered when it can be" in said), (0, True), said)
        self.assertEqual(len(list(out.iterdir())), 2)
        code, said = said_here(self.folder, "plan", self.path)
        self.assertEqual((code, "goes by shipped speeds" in said), (0, True), said)
        book.unlink()
        (row,) = json.loads(run_here("log", "--json")[1])
        self.assertEqual((row["title"], len(row["deliveries"])), ("Wren", 2))

    def test_report_and_sheet_are_pages_of_their_kind(self):
        book = Logbook()
        book.add_spans(Session.open(self.path).job.id, [Span("mend", 754)])
        book.close()
        html, pdf, png = (self.folder / f"r.{ending}" for ending in ("html", "pdf", "png"))
        self.assertEqual(run_here("report", self.path, "--out", html)[0], 0)
        self.assertIn("12:34", html.read_text())
        self.assertEqual(run_here("report", self.path, "--out", pdf, "--sheet", png)[0], 0)
        self.assertEqual((pdf.read_bytes()[:4], png.read_bytes()[1:4]), (b"%PDF", b"PNG"))
        for bad in (("--out", "r.doc"), (), ("--sheet", "s.html"), ("--out", self.path)):
            self.assertEqual(said_here(self.folder, "report", self.path, *bad)[0], 2, bad)

    def test_a_proof_sheet_goes_out_and_an_answer_comes_in(self):
        code, said = run_here("proof", self.path)
        self.assertEqual(code, 0)
        self.assertTrue(said.strip().startswith(str(self.folder / "outbox")))
        answer = self.folder / "answer.json"
        answer.write_text(json.dumps({"lather_answer": 1, "job": Session.open(self.path).job.id, "sheet": "s",
                                      "remarks": [{"text": "softer", "x": 10, "y": 20}]}))
        self.assertEqual(run_here("proof", self.path, "--answer", answer)[0], 0)
        self.assertEqual(JobSheet.of(Session.open(self.path).job.brief).remarks[0].text, "softer")
        answer.write_text("{}")
        self.assertEqual(said_here(self.folder, "proof", self.path, "--answer", answer)[0], 2)

    def test_the_log_adds_up_goes_out_comes_in_and_is_checked(self):
        self.assertIn("No job", run_here("log")[1])
        code, said = run_here("log", "--demo", "--csv")
        rows = list(csv.DictReader(io.StringIO(said)))
        self.assertEqual((code, len(rows)), (0, 41))
        self.assertIn("41 jobs", run_here("log", "--demo")[1])
        book = Logbook()
        book.note_job("a", title="Tilda")
        book.add_spans("a", [Span("mend", 60)])
        book.close()
        copy = self.folder / "copy.sqlite"
        self.assertIn("is whole", run_here("log", "--check", "--backup", copy)[1])
        os.unlink(self.folder / "data" / "lather" / "logbook.sqlite")
        self.assertIn("1 job", run_here("log", "--import", copy)[1])
        self.assertIn("Tilda", run_here("log", "--find", "tild")[1])
        self.assertIn("is whole", run_here("log", "--repair")[1])
        self.assertEqual(said_here(self.folder, "log", "--import", "none.sqlite")[0], 2)

    def test_a_plan_is_made_of_a_photo_and_its_numbers_add_up(self):
        made = head_of(plate())
        photo = self.folder / "plate.png"
        write_picture(photo, made.photo, profile=profiles.srgb_profile())
        code, said = run_here("plan", photo, "--brief", "beauty", "--rate", 48, "--minutes", 5, "--agreed", "scars=go",
                              "--print-mm", 250, "--json")
        self.assertEqual(code, 0)
        plan = json.loads(said)
        self.assertEqual([row["id"] for row in plan["stages"]][:4], ["mend", "strands", "split", "even"])
        self.assertEqual(round(sum(row["minutes"] for row in plan["stages"]), 1), plan["minutes"])
        self.assertEqual(round(100 * sum(row["cost"] for row in plan["stages"])), round(100 * plan["cost"]))
        self.assertEqual(plan["allowed_minutes"], 5.0)
        needed = [row for row in plan["leave_out"] if row["needed"]]
        self.assertGreaterEqual(sum(row["minutes"] for row in needed) + 1e-9, plan["minutes"] - 5.0)
        self.assertIn("face_width_px", plan["photo"])
        for bad in (("--agreed", "scars=perhaps"), ("--route", "dark"), ("--brief", "x"), ("--minutes", "-1")):
            self.assertEqual(said_here(self.folder, "plan", photo, *bad)[0], 2, bad)
