"""What an edit was made for is a field, not a sentence: a label renamed changes nothing, old files are read into it."""

import json
import tempfile
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

from lather.core.colour.profiles import srgb_profile
from lather.core.gauges.registry import only_skin_work
from lather.core.imageio.write import write_picture
from lather.core.job import purpose
from lather.core.job.commands import AddEdits, AddLayer, SetLayer, command_from_json
from lather.core.job.document import Reading
from lather.core.job.fence import Fence
from lather.core.job.model import Layer, Stroke, new_id, new_job
from lather.core.kinds.registry import KINDS
from lather.core.mending.adjustment_start import CRISP_PARTS
from lather.core.session import Session
from lather.core.stages.sculpt.paths import _PLACES
from lather.core.stages.shape.holds import ZONES, held_zones, hold_command, let_go_command
from lather.core.stages.shape.measures import MEASURES, name_of, set_command, values
from tests.support.faces import made_face
from tests.support.layers import stroke
from tests.support.pictures import session_of, skin_like

PLACES = [(10, 10, 1, 0), (20, 10, 1, 0.1)]


class OldFilesTest(unittest.TestCase):
    """Notes and names as they were before purposes."""

    def read(self, tool: str, note: str) -> str:
        return purpose.of_edit({"tool": tool, "note": note})

    def test_every_note_and_name_that_was_written_is_read(self):
        for kind in KINDS.values():
            self.assertEqual(self.read("dab", kind.label.lower()), purpose.of_find(kind.id))
        for measure in MEASURES:
            for side in measure.sides:
                self.assertEqual(self.read("measure", name_of(measure, side)), purpose.of_measure(measure.id, side))
        for zone in ZONES:
            self.assertEqual(self.read("hold_area", f"held: {zone}"), purpose.of_hold(zone))
        for name, label, *_ in _PLACES:
            self.assertEqual(self.read("light", label.lower()), purpose.of_path(name))
        for part, (label, _) in CRISP_PARTS.items():
            self.assertEqual(purpose.of_layer({"kind": "crisp", "name": label}), purpose.of_crisp(part))
        self.assertEqual(self.read("even_area", "all skin"), purpose.ALL_SKIN)
        self.assertEqual(self.read("straighten", "line at the left"), purpose.of_line("line at the left"))
        self.assertEqual(purpose.of_layer({"kind": "shape", "name": "Measures"}), purpose.MEASURES_LAYER)

    def test_what_is_no_purpose_is_none(self):
        for data in ({"tool": "dab", "note": "whatever"}, {"tool": "measure", "note": "Ears, left"},
                     {"tool": "dab", "purpose": 7}, {"tool": "dab", "purpose": "No Word"}, {"tool": "dab"}):
            self.assertEqual(purpose.of_edit(data), "")
        self.assertEqual(purpose.of_layer({"kind": "mend", "name": "Measures"}), "")
        self.assertEqual(purpose.of_edit({"tool": "dab", "note": "mole", "purpose": "find:freckle"}), "find:freckle")

    def test_a_job_saved_before_gives_the_same_measures_holds_and_gauges(self):
        face = made_face().session()
        job = face.job
        shape = set_command(job, MEASURES[1], ("left", "right"), 1.0)
        job = shape.apply(job)
        layer = job.stage("shape").layers[0]
        job = hold_command(job, layer, "lips", [[(5, 5), (50, 5), (50, 50)]], 300.0).apply(job)
        mend = job.stage("mend").layers[0]
        edits = [stroke("give_back", PLACES, 9, note=KINDS[kind].label.lower(), purpose=purpose.of_find(kind))
                 for kind in ("cloth_speck", "blemish_dark")]
        job = AddEdits("mend", mend.id, tuple(edits)).apply(job)
        before = self.as_before(job)
        self.assertEqual(values(before, before.face_map), values(job, job.face_map))
        self.assertEqual(len(values(before, before.face_map)), 2)
        self.assertEqual(held_zones(before), {"lips"})
        self.assertIsNotNone(let_go_command(before, "lips"))
        self.assertEqual([e.note for e in only_skin_work(before).stage("mend").layers[0].edits], ["dark spot"])

    def as_before(self, job):
        """The job as a file without purposes gives it."""
        def bare(one: Stroke) -> Stroke:
            data = one.to_json()
            data.pop("purpose", None)
            if one.tool == "hold_area":
                data["note"] = "held: lips"
            return Stroke.from_json(data, one.points)

        stages = [replace(stage, layers=tuple(
            replace(x, edits=tuple(map(bare, x.edits)), purpose=purpose.of_layer({"kind": x.kind, "name": x.name}))
            for x in stage.layers)) for stage in job.stages]
        return replace(job, stages=tuple(stages))


class RenamedTest(unittest.TestCase):
    def test_a_label_renamed_changes_nothing_that_is_decided(self):
        session = made_face().session()
        renamed = [replace(m, label=f"New {m.label}") for m in MEASURES]
        job = set_command(session.job, MEASURES[0], MEASURES[0].sides, 0.5).apply(session.job)
        with mock.patch("lather.core.stages.shape.measures.MEASURES", renamed):
            self.assertEqual(len(values(job, job.face_map)), len(MEASURES[0].sides))
        layer = job.stage("shape").layers[0]
        job = SetLayer("shape", layer.id, "name", "my own name").apply(job)
        again = set_command(job, MEASURES[1], MEASURES[1].sides, 0.5).apply(job)
        self.assertEqual([x.name for x in again.stage("shape").layers], ["my own name"])

    def test_it_survives_the_file(self):
        with tempfile.TemporaryDirectory() as folder:
            photo, path = Path(folder) / "p.png", Path(folder) / "j.lather"
            write_picture(photo, skin_like(120, 140), profile=srgb_profile())
            session = Session.from_photo(photo)
            even = Layer(new_id(), "all", "even", edits=(
                stroke("even_area", [*PLACES, (15, 30, 1, 0)], 9, mode="assisted", purpose=purpose.ALL_SKIN),))
            session.history.do(AddLayer("even", even, 0))
            session.history.do(AddLayer("crisp", Layer(new_id(), "x", "crisp", purpose="crisp:lips"), 0))
            session.save(path)
            back = Session.open(path)
            with zipfile.ZipFile(path) as archive:
                document = json.loads(archive.read("job.json"))
        edits = [e.purpose for x in back.job.stage("even").layers for e in x.edits]
        self.assertTrue(edits and set(edits) == {purpose.ALL_SKIN})
        self.assertEqual(back.job.stage("crisp").layers[0].purpose, "crisp:lips")
        self.assertIn('"purpose": "all_skin"', json.dumps(document))


class CommandTableTest(unittest.TestCase):
    def test_every_command_reads_back_what_it_writes(self):
        session = session_of(skin_like(60, 60))
        layer = new_job(session.photo.source).stage("mend").layers[0]
        one = stroke("give_back", PLACES, 9)
        fence = Fence((((1.0, 1.0), (9.0, 1.0), (9.0, 9.0)),), 2.0)
        for command in (AddEdits("mend", layer.id, (one,)), AddLayer("mend", replace(layer, edits=(one,)), 0),
                        SetLayer("mend", layer.id, "fence", fence), SetLayer("mend", layer.id, "fence", None),
                        SetLayer("mend", layer.id, "strength", 0.5)):
            points = {s.id: s.points for s in command.strokes()}
            again = command_from_json(json.loads(json.dumps(command.to_json())), Reading(points))
            self.assertEqual(again, command)
