"""replay and carry on the command line, and the gauges of jobs."""

import json
from dataclasses import replace

import numpy as np

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture
from lather.core.job.history import History
from lather.core.session import Session
from tests.core.test_sitting import finished, frames
from tests.support.commands import run_here, said_here
from tests.support.folder_case import FolderCase
from tests.support.sets import for_release


@for_release
class FramesTest(FolderCase):
    def test_a_finished_job_is_replayed_and_measured(self):
        write_picture(self.folder / "first.png", frames()[0][0], profile=srgb_profile())
        write_picture(self.folder / "anew.png", np.uint16(np.clip(frames()[0][0] * 1.05, 0, 65535)),
                      profile=srgb_profile())
        job = self.finished_job()
        code, out = run_here("replay", job, "--source", self.folder / "anew.png", "--out", self.folder / "j2.lather",
                             "--json")
        self.assertEqual((code, json.loads(out)["looks"]), (0, []))
        self.assertEqual(Session.open(self.folder / "j2.lather").job.edit_count, finished()[0].job.edit_count)
        code, out = run_here("measure", job, "--json")
        self.assertEqual((code, json.loads(out)["gauges"]["keepers_intact"]["value"]), (0, 1))

    def finished_job(self):
        done, job = Session.from_photo(self.folder / "first.png"), self.folder / "first.lather"
        own = replace(finished()[0].job, source=done.photo.source)
        Session(done.photo, History(own)).save(job)
        return job

    def test_another_shot_is_refused_and_carried_to_instead_and_a_broken_file_fails_alone(self):
        photos = {"first": frames()[0][0], "third": frames()[2][0]}
        for name, codes in photos.items():
            write_picture(self.folder / f"{name}.png", codes, profile=srgb_profile())
        (self.folder / "broken.png").write_bytes(b"no picture")
        self.finished_job()
        code, said = said_here(self.folder, "replay", "first.lather", "--source", "third.png", "--out", "x.lather")
        self.assertEqual((code, (self.folder / "x.lather").exists()), (2, False))
        self.assertIn("do not show the same shot", said)

        code, said = said_here(self.folder, "carry", "first.lather", "third.png", "broken.png", "--out", "out")
        self.assertEqual(code, 2)
        self.assertIn("broken.png: ", said)
        carried = Session.open(self.folder / "out" / "third.lather")
        self.assertEqual({edit.carried for edit in carried.job.edits()}, {"first.png"})
