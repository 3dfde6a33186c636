"""Values of a job are checked when it is read: what cannot be is left out and counted, what is unknown is kept."""

import json
import zipfile

import jsonschema
import numpy as np

from lather.core import ranges
from lather.core.errors import JobFileError
from lather.core.job.archive import open_job
from lather.core.job.commands import AddLayer, SetFaceMap, SetFinds
from lather.core.job.document import job_from_json, job_to_json
from lather.core.job.model import Layer, new_id
from lather.core.job.stroke_arrays import points_to_npy
from lather.core.session import Session
from tests.core.test_archive import ROOT, ArchiveCase
from tests.core.test_document import FACE, FIND

SCHEMA = json.loads((ROOT / "docs" / "job.schema.json").read_text())


class AlteredCase(ArchiveCase):
    def altered(self, document=None, history=None, members=None):
        """The saved job with its parts changed: functions on the JSON, {member: bytes}."""
        self.session.save(self.path)
        target = self.folder / "altered.lather"
        with zipfile.ZipFile(self.path) as old, zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as new:
            for item in old.infolist():
                data = old.read(item)
                for name, change in (("job.json", document), ("history.json", history)):
                    if item.filename == name and change is not None:
                        data = json.loads(data)
                        data = json.dumps(change(data) or data).encode()
                if item.filename not in (members or {}):
                    new.writestr(item.filename, data)
            for name, data in (members or {}).items():
                new.writestr(name, data)
        return target

    @staticmethod
    def layer(document, number=0):
        return document["stages"][0]["layers"][number]


class ImpossibleValuesTest(AlteredCase):
    def opened(self, change, expected: str, edits: int = 3) -> Session:
        """The job with one thing changed opens without it, says so, and renders."""
        session = Session.from_job_file(self.altered(change))
        self.assertIn(expected, " ".join(session.notes))
        self.assertEqual(sum(1 for _ in session.job.edits()), edits)
        self.assertTrue(np.isfinite(session.engine.pixels(session.job, session.photo.bounds)).all())
        return session

    def test_each_value_out_of_its_range_costs_only_its_edit(self):
        def brush(name, value):
            return lambda d: self.layer(d)["edits"][0]["brush"].update({name: value})

        def edit(**values):
            return lambda d: self.layer(d)["edits"][0].update(values)

        huge = {"rings": [[[0, 0], [2e9, 0], [0, 2e9]]], "feather_px": 4}
        for change in (
            brush("flow", 0), brush("ceiling", 0), brush("size_px", 1e9), brush("size_px", -1), brush("edge", 7),
            brush("flow", "much"), edit(offset=None), edit(offset=[10**12, 0]), edit(mode="none"),
            edit(turn={"scale": 0}), edit(turn={"rotation_deg": 1e30}), edit(turn={"pivot": [1e300, 0]}),
            edit(fence=huge), edit(fence={"rings": [[[0, 0], [9, 0], [0, 9]]], "feather_px": 1e9}),
            edit(fence={"rings": 5}), edit(feather_px=-3), edit(brush=None), edit(id="../../evil"),
        ):
            with self.subTest(change.__closure__ and [c.cell_contents for c in change.__closure__]):
                self.opened(change, "1 edit")

    def test_points_far_off_and_strokes_without_end(self):
        self.session.save(self.path)
        edit_id = self.session.job.stage("mend").layers[0].edits[0].id
        far = np.array([[1e9, 50, 1, 0]], np.float32)
        wild = np.array([[0, 0, 1, 0], [9e5, 9e5, 1, 1]] * 40, np.float32)
        hard = np.array([[50, 50, 9, 0]], np.float32)
        late = np.array([[50, 50, 1, 0], [51, 50, 1, 1e9]], np.float32)
        for points in (far, wild, hard, late):
            target = self.altered(members={f"strokes/{edit_id}.npy": points_to_npy(points)})
            session = Session.from_job_file(target)
            self.assertIn("1 edit", session.notes[0])
            self.assertEqual(sum(1 for _ in session.job.edits()), 3)

    def test_layers_finds_face_and_sheet(self):
        self.session.history.do(SetFaceMap(FACE))
        self.session.history.amend(SetFinds((FIND,), FACE))
        grain = Layer(new_id(), "Grain", "grain", settings={
            "everywhere": True, "amount": 1.0,
            "grain": {"level_percent": [[0.2, 0.5], [0.7, 0.4]], "size_px": 0.7, "chroma_share": 0.2},
        })
        self.session.history.do(AddLayer("grain", grain, 0))

        def grained(**values):
            return lambda d: d["stages"][7]["layers"][0]["settings"]["grain"].update(values)

        for change in (grained(size_px=700_000), grained(level_percent="much"), grained(level_percent=[[0.5, 1e6]]),
                       grained(chroma_share=-3)):
            self.opened(change, "1 setting", edits=4)
        self.opened(lambda d: d["stages"][7]["layers"][0]["settings"].update(amount=1e9), "1 setting", edits=4)
        off = self.opened(lambda d: self.layer(d).update(fence={"rings": [[[2e9, 0]]]}), "1 fence", edits=4)
        self.assertFalse(off.job.stage("mend").layers[0].on)  # its strokes were not meant to go everywhere
        for values in ({"x": 1e12}, {"size_px": -4}, {"confidence": 9}, {"outline": [["a", 1]]}, {"contrast_de": None}):
            back = self.opened(lambda d, values=values: d["finds"][0].update(values), "1 find", edits=4)
            self.assertEqual(back.job.finds, ())
        back = self.opened(lambda d: d["face_map"]["points"].update(chin=[1e15, 0]), "1 face map", edits=4)
        self.assertIsNone(back.job.face_map)
        back = self.opened(lambda d: d["brief"].update(delivery={"long_edge_px": "wide"}, title=["x"]),
                           "1 delivery size", edits=4)
        self.assertEqual((back.job.brief.get("delivery"), back.job.title), (None, "photo.png"))

    def test_two_layers_of_one_id_are_told_apart(self):
        def twice(document):
            layers = document["stages"][0]["layers"]
            layers.append(dict(layers[0], edits=[], name="Twin"))

        job = Session.from_job_file(self.altered(twice)).job
        ids = [layer.id for layer in job.stage("mend").layers]
        self.assertEqual(len(set(ids)), 2)

    def test_what_is_no_number_or_no_document_is_refused_in_one_sentence(self):
        for text in (b'{"schema": Infinity}', b'{"schema": NaN}', b"[1, 2]", b"[" * 100_000, b'{"schema": 1e999}',
                     b"null", b'{"schema": 1, "stages": {}}', b"\xff\xfe", b""):
            with self.assertRaises(JobFileError) as caught:
                open_job(self.altered(members={"job.json": text}))
            self.assertNotIn("\n", caught.exception.message)

    def test_a_damaged_undo_list_does_not_stop_a_good_job(self):
        for text in (b"[" * 100_000, b'{"base": Infinity}', b"{", b"\x00" * 50, b'{"base": {}, "commands": 5}',
                     b'{"base": null, "commands": [], "position": 1e999}'):
            session = Session.from_job_file(self.altered(members={"history.json": text}))
            self.assertEqual(sum(1 for _ in session.job.edits()), 4)
            self.assertIn("undo", session.notes[0])
        self.session.save(self.path)
        whole = self.path.read_bytes()
        at = whole.index(b"history.json") + 60  # inside its packed bytes
        self.path.write_bytes(whole[:at] + b"\xff" * 30 + whole[at + 30 :])
        session = Session.from_job_file(self.path)
        self.assertIn("undo", session.notes[0])

    def test_broken_archives_are_refused_in_one_sentence(self):
        self.session.save(self.path)
        whole = self.path.read_bytes()
        directory = whole.rindex(b"PK\x01\x02", 0, whole.index(b"job.json", whole.index(b"PK\x01\x02")) + 1)
        encrypted = bytearray(whole)
        encrypted[directory + 8] |= 1
        lzma = bytearray(whole)
        lzma[directory + 10] = 14
        for data in (bytes(encrypted), bytes(lzma), whole[: len(whole) // 2], whole[5:], b"PK\x03\x04"):
            self.path.write_bytes(data)
            with self.assertRaises(JobFileError) as caught:
                open_job(self.path)
            self.assertNotIn("\n", caught.exception.message)

    def test_more_than_any_retouch_holds_is_refused_before_it_is_read(self):
        def layers(document):
            document["stages"][0]["layers"] *= ranges.MOST_LAYERS + 1

        def edits(document):
            self.layer(document)["edits"] = [{"id": "x"}] * (ranges.MOST_EDITS + 1)

        for change, word in ((layers, "layers"), (edits, "edits"),
                             (lambda d: d.update(finds=[1] * (ranges.MOST_FINDS + 1)), "finds")):
            with self.assertRaisesRegex(JobFileError, word):
                open_job(self.altered(change))
        with self.assertRaisesRegex(JobFileError, "too large"):
            open_job(self.altered(members={"job.json": b" " * (ranges.MOST_JSON_BYTES + 1)}))


class UnknownPartsTest(AlteredCase):
    def test_unknown_fields_of_every_level_survive_a_round_trip(self):
        self.session.history.do(SetFaceMap(FACE))

        def mark(document):
            document["future"] = {"deep": [1, 2]}
            document["source"]["camera_id"] = 7
            document["stages"][0]["note"] = "x"
            document["stages"].append({"id": "steam", "layers": [{"anything": 1}]})
            document["face_map"]["model"] = "m"
            document["face_map"]["points"]["ear"] = [1, 2, 3]
            layer = self.layer(document)
            layer["tint"] = "warm"
            layer["fence"] = {"rings": [[[0, 0], [300, 0], [300, 300]]], "feather_px": 3, "kind": "oval"}
            edit = layer["edits"][0]
            edit["later"] = True
            edit["brush"]["bristle"] = 0.4
            edit["turn"] = {"mirror": True, "rotation_deg": 5, "scale": 1, "pivot": [1, 2], "shear": 0.1}
            edit["fence"] = {"rings": [[[0, 0], [300, 0], [300, 300]]], "feather_px": 3, "grown": 1}

        first = self.altered(mark, members={"notes/voice.ogg": b"voice", "more.json": b"{}"})
        session = Session.from_job_file(first)
        with zipfile.ZipFile(first) as archive:
            wanted = json.loads(archive.read("job.json"))
        session.save(self.folder / "again.lather")
        with zipfile.ZipFile(self.folder / "again.lather") as archive:
            found = json.loads(archive.read("job.json"))
            self.assertEqual(archive.read("notes/voice.ogg"), b"voice")
            self.assertEqual(archive.read("more.json"), b"{}")
        self.assertEqual(found, wanted)

    def test_layers_and_edits_of_a_later_version_are_kept_but_do_nothing(self):
        def later(document):
            document["stages"][3]["layers"] = [
                {"id": "map1", "name": "Lift", "kind": "exposure", "on": True, "strength": 1.0, "everywhere": True,
                 "settings": {"everywhere": True, "stops": 99}, "named_by_person": False,
                 "edits": [{"id": "lift1", "kind": "coverage", "tool": "lift"}]}
            ]
            self.layer(document)["edits"].append({"id": "new1", "kind": "stroke", "tool": "steam", "brush": {}})

        points = points_to_npy(np.ones((2, 4), np.float32))
        first = self.altered(later, members={"strokes/lift1.npy": points, "strokes/new1.npy": points})
        session = Session.from_job_file(first)
        self.assertIn("does not know", " ".join(session.notes))
        self.assertIn("Lift", " ".join(session.notes))
        bounds = session.photo.bounds
        np.testing.assert_array_equal(session.engine.pixels(session.job, bounds),
                                      self.session.engine.pixels(self.session.job, bounds))
        session.save(self.folder / "again.lather")
        with zipfile.ZipFile(first) as a, zipfile.ZipFile(self.folder / "again.lather") as b:
            self.assertEqual(json.loads(a.read("job.json"))["stages"], json.loads(b.read("job.json"))["stages"])
            for member in ("strokes/lift1.npy", "strokes/new1.npy"):
                self.assertEqual(b.read(member), points)

    def test_fields_nested_without_end_are_refused_while_they_can_still_be(self):
        deep = []
        for _ in range(400):
            deep = [deep]
        with self.assertRaises(JobFileError):
            open_job(self.altered(lambda d: d.update(future=deep)))


class RangesTest(ArchiveCase):
    def test_the_schema_says_the_same_ranges(self):
        stroke, defs = SCHEMA["$defs"]["stroke"]["properties"], SCHEMA["$defs"]
        brush = stroke["brush"]["properties"]
        for where, range_ in (
            (brush["size_px"], ranges.BRUSH_SIZE_PX), (brush["flow"], ranges.BRUSH_FLOW),
            (brush["ceiling"], ranges.BRUSH_CEILING), (stroke["feather_px"], ranges.FEATHER_PX),
            (stroke["offset"]["items"], ranges.OFFSET_PX), (stroke["turn"]["properties"]["scale"], ranges.TURN_SCALE),
            (stroke["turn"]["properties"]["rotation_deg"], ranges.TURN_DEG),
            (defs["place"]["items"], ranges.PLACE_PX), (defs["share"], ranges.SHARE),
            (defs["fence"]["properties"]["feather_px"], ranges.FEATHER_PX),
            (defs["find"]["properties"]["size_px"], ranges.FIND_SIZE_PX),
            (defs["find"]["properties"]["contrast_de"], ranges.FIND_CONTRAST_DE),
            (defs["layer"]["properties"]["settings"]["properties"]["width_px"], ranges.SPLIT_WIDTH_PX),
            (defs["layer"]["properties"]["settings"]["properties"]["amount"], ranges.GRAIN_AMOUNT),
            (defs["grain"]["properties"]["size_px"], ranges.GRAIN_SIZE_PX),
        ):
            self.assertEqual((where["minimum"], where["maximum"]), (range_.low, range_.high))
        self.assertEqual(stroke["id"]["pattern"], f"^{ranges.ID.pattern}$")

    def test_a_job_with_everything_follows_it_and_comes_back(self):
        self.session.history.amend(SetFinds((FIND,), FACE))
        document = {"schema": 1, "written_by": "test"} | job_to_json(self.session.job)
        jsonschema.validate(document, SCHEMA)
        points = {edit.id: edit.points for edit in self.session.job.edits()}
        self.assertEqual(job_to_json(job_from_json(document, points)), job_to_json(self.session.job))


