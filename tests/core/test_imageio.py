"""Real files in, real files out; damaged and hostile ones give one clear sentence."""

import contextlib
import io
import os
import struct
import tempfile
import unittest
import zlib
from pathlib import Path
from unittest import mock

import cv2
import numpy as np
import tifffile
from PIL import Image

from lather.core.colour import profiles
from lather.core.errors import PictureError, SaveError
from lather.core.imageio.metadata import MetadataChoice, describe, select_exif
from lather.core.imageio.read import decode_picture, read_picture
from lather.core.imageio.write import write_picture
from tests.support.pictures import WIDE, skin_like

RNG = np.random.default_rng(0)
RGB8 = RNG.integers(0, 256, (20, 30, 3), np.uint8)
RGB16 = RNG.integers(0, 65536, (20, 30, 3), np.uint16)
PROFILE = profiles.srgb_profile()


def saved(image: Image.Image, fmt: str, **options) -> bytes:
    buffer = io.BytesIO()
    image.save(buffer, fmt, **options)
    return buffer.getvalue()


class ImageCase(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class RoundTripTest(ImageCase):
    def test_lossless_formats_return_every_code_and_the_profile(self):
        for name, codes in (("a.png", RGB8), ("b.png", RGB16), ("c.tif", RGB8), ("d.tif", RGB16)):
            path = self.folder / name
            write_picture(path, codes, profile=PROFILE)
            back = read_picture(path)
            np.testing.assert_array_equal(back.pixels, codes, name)
            self.assertEqual(back.profile, PROFILE, name)
            self.assertEqual(os.listdir(self.folder).count(name), 1)
        self.assertFalse([n for n in os.listdir(self.folder) if n.endswith(".part")])

    def test_another_reader_agrees(self):
        write_picture(self.folder / "a.png", RGB16, profile=PROFILE)
        write_picture(self.folder / "a.tif", RGB16, profile=PROFILE)
        np.testing.assert_array_equal(cv2.imread(str(self.folder / "a.png"), -1)[..., ::-1], RGB16)
        np.testing.assert_array_equal(tifffile.imread(self.folder / "a.tif"), RGB16)

    def test_jpeg_is_near_and_keeps_profile(self):
        smooth = skin_like(80, 120, dtype=np.uint8)
        write_picture(self.folder / "a.jpg", smooth, profile=PROFILE, quality=95)
        back = read_picture(self.folder / "a.jpg")
        self.assertLess(np.abs(back.pixels.astype(int) - smooth).mean(), 3)  # its own noise is 3 codes
        self.assertEqual(back.profile, PROFILE)

    def test_orientation_is_honoured_for_all_eight(self):
        base = Image.fromarray(RGB8)
        for orientation in range(1, 9):
            exif = Image.Exif()
            exif[274] = orientation
            data = saved(base, "PNG", exif=exif.tobytes())
            from PIL import ImageOps

            expected = np.asarray(ImageOps.exif_transpose(Image.open(io.BytesIO(data))))
            np.testing.assert_array_equal(decode_picture(data).pixels, expected, str(orientation))

    def test_grey_alpha_cmyk_and_float_become_rgb(self):
        grey = decode_picture(saved(Image.fromarray(RGB8[..., 0]), "PNG"))
        np.testing.assert_array_equal(grey.pixels, np.repeat(RGB8[..., :1], 3, -1))
        rgba = np.dstack([RGB8, np.zeros((20, 30), np.uint8)])
        clear = decode_picture(saved(Image.fromarray(rgba), "PNG"))
        self.assertTrue((clear.pixels == 255).all())
        self.assertIn("white", clear.notes[0])
        buffer = io.BytesIO()
        tifffile.imwrite(buffer, (RGB16 / 65535).astype(np.float32), photometric="rgb")
        self.assertLessEqual(np.abs(decode_picture(buffer.getvalue()).pixels.astype(int) - RGB16).max(), 1)

    def test_cmyk_with_and_without_profile(self):
        ink = np.zeros((8, 8, 4), np.uint8)
        ink[:4] = (0, 0, 0, 255)
        for fmt in ("JPEG", "TIFF"):
            pixels = decode_picture(saved(Image.fromarray(ink, "CMYK"), fmt)).pixels
            self.assertLess(pixels[1, 4].max(), 12, fmt)
            self.assertGreater(pixels[6, 4].min(), 240, fmt)

    def test_a_wide_profile_is_kept_and_a_broken_one_dropped_with_a_note(self):
        self.assertEqual(decode_picture(saved(Image.fromarray(RGB8), "PNG", icc_profile=WIDE)).profile, WIDE)
        broken = decode_picture(saved(Image.fromarray(RGB8), "PNG", icc_profile=b"not a profile" * 20))
        self.assertIsNone(broken.profile)
        self.assertIn("sRGB", broken.notes[0])

    def test_one_pixel(self):
        one = decode_picture(saved(Image.new("RGB", (1, 1), (9, 8, 7)), "PNG"))
        self.assertEqual(one.pixels.tolist(), [[[9, 8, 7]]])


class MetadataTest(ImageCase):
    def test_rights_and_capture_stay_and_the_place_goes_by_default(self):
        exif = Image.Exif()
        exif[33432], exif[271], exif[305] = "Someone made up", "Camera", "Other software"
        exif.get_ifd(0x8769)[36867] = "2026:01:02 03:04:05"
        exif.get_ifd(0x8825)[1] = "N"
        raw = exif.tobytes()
        self.assertTrue(describe(raw)["has_location"])
        write_picture(self.folder / "a.jpg", RGB8, profile=PROFILE, exif=select_exif(raw, MetadataChoice()))
        kept = Image.open(self.folder / "a.jpg").getexif()
        self.assertEqual((kept[33432], kept[271]), ("Someone made up", "Camera"))
        self.assertEqual(kept.get_ifd(0x8769)[36867], "2026:01:02 03:04:05")
        self.assertNotIn(305, kept)
        self.assertFalse(kept.get_ifd(0x8825))
        self.assertTrue(select_exif(raw, MetadataChoice(location=True)).get_ifd(0x8825))
        self.assertFalse(dict(select_exif(b"Exif\0\0rubbish", MetadataChoice())))


class BadInputTest(ImageCase):
    def refused(self, data: bytes, words: str, name: str = "photo.jpg", **limits):
        path = self.folder / name
        path.write_bytes(data)
        with self.assertRaisesRegex(PictureError, words) as caught:
            read_picture(path, **limits)
        self.assertNotIn("\n", caught.exception.message)
        self.assertRegex(caught.exception.message, r"[.]$")

    def test_truncated_files(self):
        jpeg = saved(Image.fromarray(cv2.resize(RGB8, (300, 200))), "JPEG")
        self.refused(jpeg[: len(jpeg) // 2], "damaged|cut off")
        png16 = self.folder / "x.png"
        write_picture(png16, cv2.resize(RGB16, (300, 200)), profile=PROFILE)
        self.refused(png16.read_bytes()[:-2000], "cut off|damaged", "y.png")
        tiff = self.folder / "x.tif"
        write_picture(tiff, cv2.resize(RGB16, (300, 200)), profile=PROFILE)
        self.refused(tiff.read_bytes()[:900], "damaged", "y.tif")

    def test_a_png_that_claims_3600_megapixels_is_refused_before_decoding(self):
        header = struct.pack(">IIBBBBB", 60000, 60000, 8, 2, 0, 0, 0)
        chunk = struct.pack(">I", 13) + b"IHDR" + header + struct.pack(">I", zlib.crc32(b"IHDR" + header))
        self.refused(b"\x89PNG\r\n\x1a\n" + chunk + b"\0" * 40, "limit of 400 megapixels", "bomb.png")
        self.refused(saved(Image.fromarray(RGB8), "PNG"), "limit", "small.png", max_pixels=100)

    def test_text_named_tif_empty_folder_and_missing(self):
        self.refused(b"this is a letter, not a picture", "not a picture", "letter.tif")
        self.refused(b"", "empty", "nothing.jpg")
        for path, words in ((self.folder, "folder"), (self.folder / "none.jpg", "no file")):
            with self.assertRaisesRegex(PictureError, words):
                read_picture(path)

    def test_nan_pixels_are_set_to_black_with_a_note(self):
        values = np.full((4, 4, 3), 0.5, np.float32)
        values[0, 0] = np.nan
        buffer = io.BytesIO()
        tifffile.imwrite(buffer, values, photometric="rgb")
        picture = decode_picture(buffer.getvalue())
        self.assertEqual(picture.pixels[0, 0].tolist(), [0, 0, 0])
        self.assertTrue(picture.notes)

    def test_random_damage_never_escapes_as_another_error(self):
        wholes = [saved(Image.fromarray(cv2.resize(RGB8, (64, 48))), fmt) for fmt in ("JPEG", "PNG", "TIFF", "WEBP")]
        rng = np.random.default_rng(4)
        for whole in wholes:
            for _ in range(60):
                data = bytearray(whole)
                for at in rng.integers(0, len(data), 6):
                    data[at] = rng.integers(256)
                with contextlib.suppress(PictureError):
                    decode_picture(bytes(data))


class WriteFailureTest(ImageCase):
    def test_full_disk_leaves_the_old_file_and_no_rubbish(self):
        path = self.folder / "out.png"
        write_picture(path, RGB8, profile=PROFILE)
        before = path.read_bytes()
        with mock.patch("os.fsync", side_effect=OSError(28, "No space left on device")), \
                self.assertRaisesRegex(SaveError, "No space left"):
            write_picture(path, RGB8[::-1], profile=PROFILE)
        self.assertEqual(path.read_bytes(), before)
        self.assertEqual(os.listdir(self.folder), ["out.png"])

    def test_missing_folder_wrong_ending_and_depth(self):
        for name, words in (("none/a.png", "does not exist"), ("a.doc", "ending")):
            with self.assertRaisesRegex(SaveError, words):
                write_picture(self.folder / name, RGB8, profile=PROFILE)
        with self.assertRaisesRegex(SaveError, "8 bits"):
            write_picture(self.folder / "a.jpg", RGB16, profile=PROFILE)
