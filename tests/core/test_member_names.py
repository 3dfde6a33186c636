"""A photo may be called whatever the disk allows: its job opens again, and the name is kept."""

import os
import zipfile
from pathlib import Path

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture
from lather.core.job.member_names import decoded_name, encoded_name, new_stem, readable_name
from lather.core.session import Session
from tests.support.folder_case import FolderCase
from tests.support.pictures import skin_like

NAMES = (
    "12:30.png", "a\\b.png", "..png", "...", "%41.png", "tab\there.png", "line\nbreak.png", "trailing .png ",
    "‘quoted’.png", "портрет.png", "顔.png", "🙂.png", "~1", "C:photo.png", "x" * 250 + ".png", "-f.png", "a%2Fb.png",
)


class NamesTest(FolderCase):
    def test_any_name_makes_a_job_that_opens_again(self):
        for number, name in enumerate(NAMES):
            photo = self.folder / name
            write_picture(photo, skin_like(40, 40), profile=srgb_profile(), fmt="PNG")
            job = self.folder / f"job-{number}.lather"
            Session.from_photo(photo).save(job)
            back = Session.from_job_file(job)
            self.assertEqual(back.photo.name, name)
            self.assertEqual(back.photo.file_bytes, photo.read_bytes())

    def test_a_name_in_another_encoding_is_read_as_latin_1_and_saved(self):
        raw = os.fsencode(self.folder) + b"/Fr\xfchling.png"
        write_picture(self.folder / "plain.png", skin_like(40, 40), profile=srgb_profile())
        os.rename(self.folder / "plain.png", raw)
        session = Session.from_photo(os.fsdecode(raw))
        self.assertEqual(session.photo.name, "Frühling.png")
        session.save(self.folder / "job.lather")
        self.assertEqual(Session.from_job_file(self.folder / "job.lather").photo.name, "Frühling.png")
        beside = Path(os.fsdecode(raw + b".lather"))
        session.save(beside)
        self.assertEqual(Session.open(beside).photo.name, "Frühling.png")

    def test_members_never_lead_out_and_tell_the_name(self):
        for name in NAMES:
            member = encoded_name(name)
            self.assertFalse(set(member) & set(':/\\\n\t'), name)
            self.assertNotIn(member, (".", "..", ""))
            self.assertEqual(decoded_name(member), name)
        self.assertEqual(encoded_name("wren.jpg"), "wren.jpg")
        self.assertEqual(readable_name("wren.jpg"), "wren.jpg")

    def test_a_new_file_is_named_after_any_photo(self):
        for name in (*NAMES, "a\x00b.png", "../../x.png", "", ".", "\udcfc.png"):
            stem = new_stem(name)
            self.assertTrue(stem and stem.isprintable() and "/" not in stem, name)
            (self.folder / f"{stem}-retouched.jpg").write_bytes(b"")
        self.assertEqual(new_stem("wren-12.jpg"), "wren-12")

    def test_jobs_written_before_names_were_encoded_still_open(self):
        photo = self.folder / "50%.png"
        write_picture(photo, skin_like(40, 40), profile=srgb_profile())
        Session.from_photo(photo).save(self.folder / "new.lather")
        old = self.folder / "old.lather"
        with zipfile.ZipFile(self.folder / "new.lather") as new, zipfile.ZipFile(old, "w") as archive:
            for item in new.infolist():
                archive.writestr(item.filename.replace("50%25.png", "50%.png"), new.read(item))
        self.assertIn("source/50%.png", zipfile.ZipFile(old).namelist())
        self.assertEqual(Session.from_job_file(old).photo.name, "50%.png")
