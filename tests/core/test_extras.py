"""Raw files and HEIC: developed neutrally, told apart by their bytes, held so that a job opens anywhere."""

import io
import unittest
from unittest import mock

import cv2
import numpy as np
import pillow_heif
import tifffile
from PIL import Image

from lather.core.colour import profiles
from lather.core.errors import PictureError, RequestError
from lather.core.imageio.development import Development, daylight_xyz, multipliers
from lather.core.imageio.extra import is_extra
from lather.core.imageio.metadata import describe
from lather.core.imageio.raw import develop, is_raw, light_of, neutral_of
from lather.core.imageio.read import decode_picture, read_picture
from lather.core.imageio.write import encode_picture
from lather.core.job.brief import JobSheet
from lather.core.session import Session
from lather.core.sitting.replay import replay
from lather.core.sitting.sitting_file import photos_in
from tests.support.folder_case import FolderCase
from tests.support.pictures import plate, skin_like
from tests.support.raw_files import XYZ_TO_CAMERA, dng, half_linear

SRGB = profiles.srgb_profile()
MOST = 10**9


def smooth(height: int = 160, width: int = 220, seed: int = 1) -> np.ndarray:
    """Linear sRGB, 0.08 to 0.6, soft enough that the mosaic costs nothing."""
    values = cv2.GaussianBlur(np.random.default_rng(seed).random((height, width, 3)), (0, 0), 14)
    return 0.08 + 0.52 * (values - values.min()) / (values.max() - values.min())


def linear_of(picture) -> np.ndarray:
    """Of a developed picture, in linear sRGB, without the rim."""
    encoded = profiles.convert(picture.pixels.astype(np.float32) / 65535, picture.profile, SRGB)
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)[8:-8, 8:-8]


class DevelopmentTest(unittest.TestCase):
    def test_what_is_written_is_read_and_what_cannot_be_is_left_out(self):
        for one in (Development(), Development(0.7, 5600.0, -12.0)):
            self.assertEqual(Development.of(one.to_json()), one)
        self.assertEqual(Development.of({"exposure": 99, "kelvin": "warm", "tint": float("nan")}), Development(3.0))
        self.assertEqual(Development.of("nonsense"), Development())
        self.assertEqual(Development(0.7, 5600.0).said(), "+0.7 stop, 5600 K")

    def test_the_lights_are_where_the_tables_have_them_and_never_jump(self):
        for kelvin, xy in ((6504, (0.3127, 0.3291)), (5003, (0.3458, 0.3586)), (2856, (0.4476, 0.4074))):
            white = daylight_xyz(kelvin)
            self.assertLess(np.abs(white[:2] / white.sum() - xy).max(), 0.0015, kelvin)
        red_to_blue = [np.divide(*multipliers(XYZ_TO_CAMERA, k)[[0, 2]]) for k in np.geomspace(2000, 12_000, 300)]
        self.assertTrue((np.diff(red_to_blue) > 0).all())


class RawTest(FolderCase):
    def test_neutral_is_the_picture_as_it_was_whatever_light_it_was_taken_under(self):
        linear = smooth()
        for kelvin in (None, 2856, 5003, 9000):
            data = dng(linear, None if kelvin is None else daylight_xyz(kelvin))
            picture = decode_picture(data, name="a.dng")
            self.assertEqual(picture.pixels.dtype, np.uint16)
            ratio = linear_of(picture) / linear[8:-8, 8:-8]
            self.assertLess(np.abs(ratio - 1).mean(), 0.01, kelvin)
            if kelvin:
                self.assertAlmostEqual(light_of(data, "a"), kelvin, delta=kelvin * 0.002)

    def test_exposure_is_stops_and_a_warmer_light_warms(self):
        data, linear = dng(smooth()), smooth()[8:-8, 8:-8]
        for stops in (-1.0, 0.5):
            made = linear_of(develop(data, "a", Development(stops), max_pixels=MOST))
            self.assertAlmostEqual(float((made / linear).mean()), 2**stops, delta=0.02)
        cool, warm = (linear_of(develop(data, "a", Development(0, k), max_pixels=MOST)) for k in (5500.0, 7300.0))
        self.assertGreater((warm / cool)[..., 0].mean(), 1.05)
        self.assertLess((warm / cool)[..., 2].mean(), 0.95)
        same = linear_of(develop(data, "a", Development(0, 6504.0), max_pixels=MOST))
        self.assertLess(np.abs(same / linear - 1).mean(), 0.01)
        magenta = linear_of(develop(data, "a", Development(0, None, 50.0), max_pixels=MOST)) / linear
        self.assertTrue(0.6 < magenta[..., 1].mean() / magenta[..., 0].mean() < 0.85)

    def test_a_colour_that_is_taken_as_neutral_is_grey_afterwards(self):
        light = daylight_xyz(3400)
        data = dng(np.full((40, 60, 3), 0.12), light)
        for wrong in (Development(0, 5600.0), Development(0.3, 2800.0, 20.0), Development(-0.5, None, -30.0)):
            seen = develop(data, "a", wrong, max_pixels=MOST).pixels.reshape(-1, 3).mean(0) / 65535
            self.assertGreater(seen.max() / seen.min(), 1.05)
            found = neutral_of(data, "a", wrong, seen)
            grey = linear_of(develop(data, "a", found, max_pixels=MOST)).reshape(-1, 3).mean(0)
            self.assertLess(grey.max() / grey.min(), 1.01)
            self.assertEqual(found.exposure, wrong.exposure)
        self.assertIsNone(neutral_of(data, "a", Development(), np.array([0.9, 0.3, 0.2])))
        self.assertIsNone(neutral_of(data, "a", Development(), np.array([1.0, 1.0, 1.0])))
        self.assertIsNone(neutral_of(data, "a", Development(), np.array([0.02, 0.02, 0.02])))

    def test_a_wide_colour_is_not_clipped(self):
        green = np.full((40, 60, 3), 0.05)
        green[..., 1] = 0.5
        picture = decode_picture(dng(green - np.array([0.045, 0, 0.02])), name="a.dng")
        self.assertGreater(picture.pixels.min(), 0)
        self.assertGreater(len(picture.profile), 200)

    def test_the_bytes_decide_and_a_plain_tiff_stays_one(self):
        data = dng(smooth(60, 80))
        self.assertTrue(is_raw(data))
        plain = bytes(encode_picture(skin_like(60, 80), "TIFF", profile=SRGB))
        self.assertFalse(is_raw(plain))
        (self.folder / "named.tif").write_bytes(data)
        self.assertEqual(read_picture(self.folder / "named.tif").format, "raw")
        self.assertEqual(read_picture(self.write("named.dng", plain)).format, "TIFF")
        inner = io.BytesIO()
        with tifffile.TiffWriter(inner) as file:  # as most cameras do: a small picture first, the mosaic below it
            file.write(np.zeros((8, 8, 3), np.uint8), photometric="rgb", subifds=1)
            file.write(np.zeros((16, 16), np.uint16), photometric=32803, extratags=[
                (33421, "H", 2, (2, 2), True), (33422, "B", 4, bytes([0, 1, 1, 2]), True)])
        self.assertTrue(is_raw(inner.getvalue()))

    def test_one_that_is_cut_short_or_too_large_says_so(self):
        data = dng(smooth())
        with self.assertRaisesRegex(PictureError, r"a\.dng .*(cannot be developed|damaged)"):
            decode_picture(data[:2000], name="a.dng")
        with self.assertRaisesRegex(PictureError, "limit of 0 megapixels"):
            decode_picture(data, name="a.dng", max_pixels=100)

    def test_without_the_extra_one_sentence_says_how_to_get_it(self):
        with mock.patch.dict("sys.modules", {"rawpy": None}), self.assertRaisesRegex(PictureError, r"lather\[raw\]"):
            decode_picture(dng(smooth(60, 80)), name="a.dng")

    def test_a_job_holds_what_was_developed_and_opens_without_the_extra(self):
        path = self.write("portrait.dng", dng(smooth()))
        session = Session.open(path, development=Development(0.5), brief={"currency": "CHF"})
        self.assertEqual(session.photo.name, "portrait.tif")
        self.assertEqual(Development.of(session.job.brief["development"]), Development(0.5))
        self.assertEqual(JobSheet.of(session.job.brief).currency, "CHF")
        self.assertFalse(session.photo_changed())
        self.assertEqual(describe(session.photo.picture.exif)["model"], "Made up one")
        session.save(self.folder / "a.lather")
        with mock.patch.dict("sys.modules", {"rawpy": None}):
            again = Session.open(self.folder / "a.lather")
        np.testing.assert_array_equal(again.photo.picture.pixels, session.photo.picture.pixels)
        self.assertEqual(again.photo.profile, session.photo.profile)
        self.assertEqual(describe(again.photo.picture.exif)["model"], "Made up one")
        self.assertEqual(photos_in(self.folder), ["portrait.dng"])
        self.write("portrait.jpg", b"")  # as a camera writes both: one frame, the one that is developed
        self.write("other.dng", b"")
        self.assertEqual(photos_in(self.folder), ["other.dng", "portrait.jpg"])

    def test_a_development_of_what_is_no_raw_file_is_refused_and_not_passed_over(self):
        plain = self.write("plain.tif", bytes(encode_picture(skin_like(60, 80), "TIFF", profile=SRGB)))
        Session.open(plain).save(self.folder / "a.lather")
        for path in (plain, self.folder / "a.lather"):
            with self.assertRaisesRegex(RequestError, "no raw file|is a job"):
                Session.open(path, development=Development(1.0))
        self.assertNotIn("development", Session.open(plain, development=Development()).job.brief)

    def test_the_retouch_is_played_on_another_development_of_the_same_file(self):
        path = self.write("wren.dng", dng(half_linear(plate().photo[200:1400, 300:1500])))
        first = Session.from_photo(path)
        other = Session.from_photo(path, development=Development(-0.5, 5500.0))
        played = replay(first, other.photo, brief=other.job.brief)
        self.assertEqual(Development.of(played.job.brief["development"]), Development(-0.5, 5500.0))
        back = replay(other, Session.open(self.write("w.tif", bytes(first.photo.file_bytes))).photo)
        self.assertNotIn("development", back.job.brief)

    def write(self, name: str, data: bytes):
        path = self.folder / name
        path.write_bytes(data)
        return path


class HeifTest(FolderCase):
    def heic(self, mode: str, codes: np.ndarray, **options) -> bytes:
        file = pillow_heif.from_bytes(mode, codes.shape[1::-1], codes.tobytes())
        out = io.BytesIO()
        file.save(out, quality=100, chroma=444, **options)
        return out.getvalue()

    def test_eight_and_more_bits_are_read_as_they_are(self):
        for mode, dtype in (("RGB", np.uint8), ("RGB;16", np.uint16)):
            codes = skin_like(64, 96, dtype=dtype)
            data = self.heic(mode, codes)
            picture = decode_picture(data, name="a.heic")
            self.assertEqual(picture.format, "HEIF")
            self.assertEqual(picture.pixels.dtype, dtype)
            off = np.abs(picture.pixels.astype(float) - codes) / np.iinfo(dtype).max
            self.assertLess(off.mean(), 0.006)

    def test_grey_and_its_own_profile_are_kept(self):
        grey = Image.fromarray(skin_like(64, 96, dtype=np.uint8)[..., 1])
        out = io.BytesIO()
        pillow_heif.from_pillow(grey).save(out, quality=100)
        self.assertTrue(decode_picture(out.getvalue(), name="a.heic").grey)
        rgb = Image.fromarray(skin_like(64, 96, dtype=np.uint8))
        out = io.BytesIO()
        rgb.info["icc_profile"] = SRGB
        pillow_heif.from_pillow(rgb).save(out, quality=90)
        self.assertEqual(decode_picture(out.getvalue(), name="a.heic").profile, SRGB)

    def test_it_is_held_as_tiff_and_one_that_is_damaged_says_so(self):
        data = self.heic("RGB", skin_like(64, 96, dtype=np.uint8))
        path = self.folder / "phone.heic"
        path.write_bytes(data)
        self.assertTrue(is_extra(path))
        session = Session.open(path)
        self.assertEqual(session.photo.name, "phone.tif")
        self.assertNotIn("development", session.job.brief)
        np.testing.assert_array_equal(decode_picture(session.photo.file_bytes).pixels, session.photo.picture.pixels)
        with self.assertRaisesRegex(PictureError, "damaged"):
            decode_picture(data[:300], name="a.heic")
        with mock.patch.dict("sys.modules", {"pillow_heif": None}), self.assertRaisesRegex(PictureError,
                                                                                          r"lather\[heif\]"):
            Session.open(path)


if __name__ == "__main__":
    unittest.main()
