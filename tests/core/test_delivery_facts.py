"""What a delivered file keeps of the photo, its resolution and grey as grey; and what a truncated one is told to be."""

import io
import struct
import time
import zlib

import numpy as np
from PIL import Image

from lather.core.colour import profiles
from lather.core.deliver.export import Output
from lather.core.errors import PictureError, RequestError
from lather.core.imageio.read import decode_picture, read_picture
from lather.core.imageio.write import write_picture
from lather.core.session import Session
from tests.support.folder_case import FolderCase
from tests.support.pictures import skin_like


class ResolutionTest(FolderCase):
    def test_it_is_kept_in_every_format(self):
        Image.fromarray(skin_like(40, 50, dtype=np.uint8)).save(self.folder / "in.jpg", dpi=(300, 300))
        session = Session.open(self.folder / "in.jpg")
        self.assertEqual(session.photo.picture.ppi, 300)
        for name, bits in (("a.jpg", 8), ("a.png", 8), ("b.png", 16), ("a.tif", 8), ("b.tif", 16), ("a.webp", 8)):
            session.export(self.folder / name, Output(bits=bits))
            self.assertAlmostEqual(read_picture(self.folder / name).ppi, 300, delta=0.02, msg=name)

    def test_none_is_made_up(self):
        plain = io.BytesIO()
        exif = Image.Exif()
        exif[315] = "somebody"
        Image.fromarray(skin_like(40, 50, dtype=np.uint8)).save(plain, "JPEG", exif=exif.tobytes())
        self.assertIsNone(decode_picture(plain.getvalue()).ppi)
        write_picture(self.folder / "a.png", skin_like(40, 50), profile=profiles.srgb_profile())
        self.assertIsNone(read_picture(self.folder / "a.png").ppi)
        session = Session.open(self.folder / "a.png")
        session.export(self.folder / "b.jpg", Output())
        self.assertIsNone(read_picture(self.folder / "b.jpg").ppi)


class GreyTest(FolderCase):
    def test_a_grey_photo_is_delivered_grey_with_its_own_codes(self):
        ramp = np.tile(np.arange(256, dtype=np.uint8), (8, 1))
        Image.fromarray(ramp).save(self.folder / "in.png")
        session = Session.open(self.folder / "in.png")
        self.assertTrue(session.photo.picture.grey)
        for name in ("out.png", "out.tif", "out.jpg"):
            session.export(self.folder / name, Output(grey=True, quality=100))
            with Image.open(self.folder / name) as image:
                self.assertEqual(image.mode, "L", name)
                self.assertIn(b"GRAY", image.info["icc_profile"][:40])
                off = np.abs(np.asarray(image).astype(int) - ramp)
            self.assertLessEqual(off.max(), 2 if name.endswith("jpg") else 0, name)
        session.export(self.folder / "deep.png", Output(bits=16, grey=True))
        back = read_picture(self.folder / "deep.png")
        self.assertTrue(back.grey)
        self.assertLess(np.abs(back.pixels[..., 0].astype(int) - ramp * 257.0).max(), 260)
        with self.assertRaisesRegex(RequestError, "no grey"):
            session.export(self.folder / "out.webp", Output(grey=True))

    def test_colours_become_grey_by_their_lightness(self):
        pixels = np.zeros((10, 30, 3), np.uint8)
        pixels[:, :10], pixels[:, 10:20], pixels[:, 20:] = (200, 0, 0), (0, 200, 0), (0, 0, 200)
        Image.fromarray(pixels).save(self.folder / "in.png")
        Session.open(self.folder / "in.png").export(self.folder / "out.png", Output(grey=True))
        red, green, blue = np.asarray(Image.open(self.folder / "out.png"))[5, [5, 15, 25]].astype(int)
        self.assertTrue(green > red + 40 and red > blue + 20, (red, green, blue))
        self.assertFalse(Session.open(self.folder / "in.png").photo.picture.grey)


class ProfileTest(FolderCase):
    def test_a_slightly_broken_profile_is_dropped_with_a_note_on_reading(self):
        whole, dropped = profiles.srgb_profile(), 0
        rng = np.random.default_rng(4)
        for _ in range(60):
            data = bytearray(whole)
            for at in rng.integers(128, len(data), 12):
                data[at] = rng.integers(256)
            buffer = io.BytesIO()
            Image.fromarray(skin_like(20, 20, dtype=np.uint8)).save(buffer, "PNG", icc_profile=bytes(data))
            picture = decode_picture(buffer.getvalue())
            dropped += picture.profile is None
            if picture.profile is None:
                self.assertIn("profile", picture.notes[0])
            profiles.to_lab(np.full((2, 2, 3), 0.5, np.float32), picture.profile)  # what is kept can be used
            profiles.convert(np.full((2, 2, 3), 0.5, np.float32), picture.profile, profiles.srgb_profile())
            profiles.name(picture.profile)
        self.assertGreater(dropped, 5)


class TruncatedTest(FolderCase):
    def refused(self, data: bytes, words: str) -> None:
        start = time.monotonic()
        with self.assertRaisesRegex(PictureError, words):
            decode_picture(data, name="small")
        self.assertLess(time.monotonic() - start, 1.0)

    def test_a_few_bytes_that_claim_a_huge_picture(self):
        buffer = io.BytesIO()
        Image.new("RGB", (64, 64)).save(buffer, "JPEG")
        data = bytearray(buffer.getvalue())
        at = data.index(b"\xff\xc0")
        data[at + 5 : at + 9] = struct.pack(">HH", 20_000, 20_000)
        self.refused(bytes(data), "cut off")
        small = io.BytesIO()
        Image.new("RGB", (64, 64)).save(small, "PNG")
        data = bytearray(small.getvalue())
        data[16:24] = struct.pack(">II", 19_000, 19_000)
        data[29:33] = struct.pack(">I", zlib.crc32(data[12:29]))
        self.refused(bytes(data), "cut off")

    def test_plain_large_pictures_still_open(self):
        for fmt, options in (("JPEG", {"quality": 1}), ("PNG", {"compress_level": 9})):
            buffer = io.BytesIO()
            Image.new("RGB", (3000, 2000), (200, 150, 130)).save(buffer, fmt, **options)
            self.assertEqual(decode_picture(buffer.getvalue()).width, 3000)
