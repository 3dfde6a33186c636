import json
import unittest
from dataclasses import replace

import numpy as np

from lather.core.brush.values import Brush
from lather.core.errors import RequestError
from lather.core.job.commands import (
    AddEdits,
    AddLayer,
    Command,
    CorrectParts,
    DecideFind,
    ListFind,
    MoveLayer,
    OutlineFind,
    RemoveEdits,
    RemoveLayer,
    ReplaceEdit,
    SetBrief,
    SetFaceMap,
    SetFinds,
    SetLayer,
    SetStage,
    Together,
    command_from_json,
)
from lather.core.job.document import job_from_json, job_to_json, same_document
from lather.core.job.drawn_marks import outlined
from lather.core.job.face_map import POINTS, FaceMap
from lather.core.job.fence import Fence
from lather.core.job.finds import Find
from lather.core.job.history import History
from lather.core.job.model import (
    Layer,
    Source,
    Stroke,
    freeze_points,
    new_id,
    new_job,
)
from lather.core.job.part_strokes import PartStroke
from lather.core.job.source_map import SourceTurn

SOURCE = Source("photo.jpg", 400, 300, "ab" * 32)


def stroke(x: float = 50, tool: str = "carry", **values) -> Stroke:
    points = freeze_points([[x, 50, 1, 0], [x + 9, 55, 0.5, 0.1]])
    return Stroke(new_id(), tool, Brush(size_px=20), points, (30, -20), **values)


FACE = FaceMap({name: (10.0 * i, 7.0 * i) for i, name in enumerate(POINTS, 1)})
FIND = Find("mole-9-9", "mole", 9.0, 9.0, 6.0, 15.0, 0.9, "chin", True, outline=((8.0, 8.0), (10.0, 8.0), (9.0, 11.0)))


def worked_history() -> History:
    """One of each command."""
    history = History(new_job(SOURCE, title="Made up"))
    first = history.job.stage("mend").layers[0].id
    second = Layer(new_id(), "Second", edits=(stroke(80),))
    one, two = stroke(), stroke(60, "copy", mode="lighter", note="spot")
    for command in (
        AddEdits("mend", first, (one, two)), AddLayer("mend", second, 1), SetLayer("mend", second.id, "strength", 0.6),
        MoveLayer("mend", second.id, 0), SetLayer("mend", first, "name", "Cheeks"),
        RemoveEdits("mend", first, (one.id,)),
        SetStage("mend", "strength", 0.9), SetBrief("kind", "natural"), RemoveLayer("mend", second.id),
        SetFinds((FIND,), FACE, None, (replace(FIND, id="alone-1", left_alone="contour"),)),
        ListFind(replace(FIND, id="alone-1", left_alone="contour")), OutlineFind(outlined([(5, 5), (40, 5), (40, 30)])),
        CorrectParts((PartStroke("cloth", ((3.0, 4.0), (50.0, 60.0)), 12.0),)),
        SetFaceMap(FACE.moved("chin", 50, 60)), DecideFind(FIND.id, "skip"),
        ReplaceEdit("mend", first, replace(two, offset=(9, 9), turn=SourceTurn(True, 12.5, 1.1, (60.0, 50.0)),
                                           own_texture=True,
                                           fence=Fence((((1.0, 1.0), (90.0, 1.0), (9.0, 90.0)),), 3.0))),
        Together("two at once", (AddEdits("mend", first, (stroke(30, find=FIND.id),)), SetBrief("frame", "4"))),
    ):
        history.do(command)
    return history


class HistoryTest(unittest.TestCase):
    def test_a_long_undo_list_is_walked_back_and_holds_few_jobs(self):
        history = History(new_job(SOURCE))
        layer = history.job.stage("mend").layers[0].id
        for number in range(700):
            history.do(AddEdits("mend", layer, (stroke(40 + number % 200),)))
        self.assertLess(len(history._jobs), 90)

        def edits() -> int:
            return len(history.job.stage("mend").layers[0].edits)

        for wanted in (699, 640, 500, 130, 1, 0):
            while history.position > wanted:
                history.undo()
            self.assertEqual(edits(), wanted)
        for wanted in (64, 300, 700):
            while history.position < wanted:
                history.redo()
            self.assertEqual(edits(), wanted)
        history.goto(200)
        history.do(SetLayer("mend", layer, "strength", 0.5))
        self.assertEqual((edits(), history.position, history.redo_label), (200, 201, None))
        history.amend(SetFinds((FIND,), FACE))
        history.goto(150)
        self.assertEqual(history.job.finds, (FIND,))
        self.assertEqual(edits(), 150)

    def test_undo_and_redo_walk_the_same_jobs(self):
        history = worked_history()
        count = history.position
        jobs = [history.job]
        while history.undo_label:
            jobs.append(history.undo())
        self.assertEqual(len(jobs), count + 1)
        for job in reversed(jobs[:-1]):
            self.assertIs(history.redo(), job)
        self.assertIs(history.redo(), jobs[0])

    def test_every_kind_of_command_is_covered_above(self):
        used = {type(command) for command in worked_history().commands}
        self.assertEqual(used, set(Command.kinds.values()))

    def test_what_was_measured_lies_under_all_steps(self):
        history = History(new_job(SOURCE))
        first = history.job.stage("mend").layers[0]
        history.do(AddEdits("mend", first.id, (stroke(),)))
        edits = history.job.stage("mend").layers[0].edits
        history.amend(SetFinds((FIND,), FACE))
        self.assertIs(history.job.stage("mend").layers[0].edits, edits)  # nothing is computed anew
        self.assertEqual(history.undo().finds, (FIND,))
        self.assertEqual(history.base.finds, (FIND,))
        self.assertEqual(history.position, 0)

    def test_a_find_is_kept_mended_skipped_or_open(self):
        job = SetFinds((FIND, replace(FIND, id="spot", kind="blemish_red", keeper=False)), FACE).apply(new_job(SOURCE))
        mole, spot = job.finds
        self.assertEqual([job.find_state(f) for f in job.finds], ["keep", "open"])
        self.assertEqual(job.keepers(), (mole,))
        job = DecideFind("spot", "skip").apply(job)
        self.assertEqual(job.find_state(spot), "skip")
        job = AddEdits("mend", job.stage("mend").layers[0].id, (stroke(find="spot"),)).apply(job)
        self.assertEqual(job.find_state(spot), "mended")
        with self.assertRaises(RequestError):
            DecideFind("spot", "burn")

    def test_an_edit_shares_all_else(self):
        job = worked_history().job
        layer = job.stage("mend").layers[0]
        after = AddEdits("mend", layer.id, (stroke(),)).apply(job)
        self.assertIs(after.stage("grain"), job.stage("grain"))
        self.assertIs(after.stage("mend").layers[0].edits[0], layer.edits[0])
        self.assertEqual(len(job.stage("mend").layers[0].edits) + 1, len(after.stage("mend").layers[0].edits))

    def test_a_dragged_slider_is_one_step(self):
        history = History(new_job(SOURCE))
        layer_id = history.job.stage("mend").layers[0].id
        for value in (0.9, 0.8, 0.7):
            history.do(SetLayer("mend", layer_id, "strength", value), merge=True)
        self.assertEqual(history.position, 1)
        history.undo()
        self.assertEqual(history.job.stage("mend").layers[0].strength, 1.0)

    def test_points_are_frozen(self):
        with self.assertRaises(ValueError):
            stroke().points[0, 0] = 1


class JsonTest(unittest.TestCase):
    def test_a_job_and_its_commands_survive_json(self):
        history = worked_history()
        points = {s.id: np.array(s.points) for c in history.commands for s in c.strokes()}
        job = job_from_json(json.loads(json.dumps(job_to_json(history.job))), points)
        self.assertTrue(same_document(job, history.job))
        again = History(history.base)
        for command in history.commands:
            again.do(command_from_json(json.loads(json.dumps(command.to_json())), points))
        self.assertTrue(same_document(again.job, history.job))

    def test_unknown_fields_survive_everywhere(self):
        data = job_to_json(worked_history().job)
        data["later"] = {"a": 1}
        data["stages"][0]["later"] = 2
        data["stages"][0]["layers"][0]["later"] = [3]
        data["stages"][0]["layers"][0]["edits"][0]["later"] = "4"
        points = {e["id"]: np.ones((1, 4)) for s in data["stages"] for x in s["layers"] for e in x["edits"]}
        self.assertEqual(job_to_json(job_from_json(data, points)), data)

    def test_digest_follows_what_decides_pixels_only(self):
        one = stroke()
        same = Stroke("other", one.tool, one.brush, one.points, one.offset, one.mode, "another note")
        self.assertEqual(one.digest, same.digest)
        self.assertNotEqual(one.digest, Stroke("x", one.tool, one.brush, one.points, (31, -20)).digest)
