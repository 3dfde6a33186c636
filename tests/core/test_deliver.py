"""Outputs: scaled in linear light, sharpened without halos, named, written, read back, and never over anything."""

import hashlib
import io
import os
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from PIL import Image, ImageCms

from lather.core.colour import lab, paper, profiles, transfer
from lather.core.deliver import run
from lather.core.deliver.names import USUAL_PATTERN, file_name, numbered
from lather.core.deliver.open_raster import read_open_raster
from lather.core.deliver.presets import SHIPPED, drop_preset, keep_preset, presets
from lather.core.deliver.read_back import still_as_delivered
from lather.core.deliver.run import DONE, FAILED, deliver, output_of, sharpening_of
from lather.core.deliver.scale import scale_in_linear_light
from lather.core.deliver.sharpening import Sharpening, sharpened, sharpening_for
from lather.core.deliver.soft_proof import soft_proof
from lather.core.errors import RequestError
from lather.core.imageio.read import read_picture
from lather.core.job.commands import AddEdits, AddLayer, SetBrief, SetLayer
from lather.core.job.model import Layer, new_id
from lather.core.job.outputs import OutputSpec
from lather.core.record.logbook import Logbook
from lather.core.stages.mend.dab import dab_stroke, source_candidates, with_source
from tests.support.folder_case import FolderCase
from tests.support.pictures import WIDE, session_of, skin_like
from tests.support.recording import kill_often
from tests.support.sets import some


def lanczos_reference(encoded: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Lanczos' filter of three lobes, widened by the factor, in linear sRGB light; written out in float64."""
    def weights(length: int, target: int) -> np.ndarray:
        factor = length / target
        wide = max(1.0, factor)
        centre = (np.arange(target) + 0.5) * factor
        at = (np.arange(length) + 0.5)[None] - centre[:, None]
        x = at / wide
        kernel = np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0.0)
        return kernel / kernel.sum(1, keepdims=True)

    values = encoded.astype(np.float64)
    linear = np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)
    small = np.einsum("th,hwc->twc", weights(encoded.shape[0], size[1]), linear)
    small = np.clip(np.einsum("tw,hwc->htc", weights(encoded.shape[1], size[0]), small), 0, 1)
    return np.where(small <= 0.0031308, small * 12.92, 1.055 * small ** (1 / 2.4) - 0.055)


class ScaleTest(unittest.TestCase):
    def test_made_smaller_as_a_reference_in_linear_light_does_it(self):
        picture = np.clip(skin_like(260, 340) / 65535 + np.random.default_rng(2).normal(0, 0.2, (260, 340, 3)), 0, 1)
        for size in ((170, 130), (97, 71), (339, 259)):
            made = scale_in_linear_light(picture.astype(np.float32), size, None)
            self.assertLess(np.abs(made - lanczos_reference(picture, size)).max(), 0.5 / 255, size)

    def test_fine_black_and_white_keeps_its_light(self):
        fine = np.indices((64, 64)).sum(0) % 2 * np.ones((3, 1, 1))
        made = scale_in_linear_light(np.moveaxis(fine, 0, -1).astype(np.float32), (8, 8), None)
        self.assertAlmostEqual(float(made.mean()), 0.735, places=2)  # half the light, not half the code

    def test_any_profile_goes_there_and_back_and_half_its_light_is_half(self):
        values = np.linspace(0, 1, 999, dtype=np.float32).reshape(-1, 1, 1).repeat(3, -1)
        for profile in (None, WIDE, profiles.srgb_profile()):
            back = transfer.encode(transfer.decode(values, profile), profile)
            self.assertLess(np.abs(back - values).max(), 1e-3)
        self.assertLess(np.abs(transfer.decode(values, WIDE)[..., 0] - values[..., 0] ** 2.2).max(), 0.01)

    def test_an_enlarged_edge_does_not_ring(self):
        edge = np.zeros((20, 20, 3), np.float32)
        edge[:, 10:] = 0.5
        made = scale_in_linear_light(edge, (40, 40), None)
        self.assertLess(float(made.max()), 0.54)
        self.assertEqual(made.shape, (40, 40, 3))


class SharpenTest(unittest.TestCase):
    def test_detail_grows_and_no_pixel_leaves_the_range_of_its_neighbours(self):
        picture = (skin_like(200, 200) / 65535).astype(np.float32)
        picture[:, 100:] *= 0.5
        for how in (sharpening_for("matte", 0.5, 300), sharpening_for("screen", 0.25), Sharpening(1.4, 3.0)):
            made = sharpened(picture, how)
            luma = lambda p: p @ np.array([0.2126, 0.7152, 0.0722], np.float32)  # noqa: E731
            before, after = luma(picture), luma(made)
            self.assertGreater(np.std(after[20:80, 20:80]), 1.05 * np.std(before[20:80, 20:80]))
            beyond = max(float(after.max() - before.max()), float(before.min() - after.min()))
            self.assertLess(beyond, 0.013)

    def test_the_medium_and_the_factor_decide(self):
        screen, matte, glossy = (sharpening_for(medium, 1.0, 300) for medium in ("screen", "matte", "glossy"))
        self.assertLess(screen.radius_px, glossy.radius_px)
        self.assertLess(glossy.radius_px, matte.radius_px)
        self.assertGreater(sharpening_for("screen", 0.25).amount, screen.amount)
        self.assertGreater(sharpening_for("matte", 2.0, 300).radius_px, matte.radius_px)
        self.assertAlmostEqual(sharpening_for("matte", 1.0, 600).radius_px, 2 * matte.radius_px)
        self.assertIsNone(sharpening_of(OutputSpec("a", "A", sharpen=False), 100, 100))


class PaperTest(unittest.TestCase):
    def test_the_profile_that_ships_is_the_one_that_the_program_makes(self):
        made, shipped = paper.make_paper_profile(), paper.paper_profile()
        self.assertEqual(len(made), len(shipped))
        codes = [np.frombuffer(data[1024 : 1024 + 300_000], ">u2").astype(int) for data in (made, shipped)]
        self.assertLessEqual(int(np.abs(codes[0] - codes[1]).max()), 2)
        opened = ImageCms.ImageCmsProfile(io.BytesIO(shipped))
        self.assertIn("matte paper", ImageCms.getProfileDescription(opened))
        self.assertIn("CC0", ImageCms.getProfileCopyright(opened))

    def test_skin_keeps_its_colour_and_what_is_out_of_reach_is_told(self):
        skin = np.float32([[[0.8, 0.6, 0.5], [0.5, 0.35, 0.28], [0.95, 0.82, 0.74], [0.3, 0.2, 0.16]]])
        proof = soft_proof(skin, None, paper.paper_profile())
        self.assertLess(float(proof.away.max()), 1.0)
        loud = np.float32([[[0.0, 1.0, 0.1], [1.0, 0.0, 0.9]]])
        proof = soft_proof(loud, None, paper.paper_profile())
        self.assertEqual(proof.out_share, 1.0)
        self.assertGreater(proof.largest, 6.0)
        grey = np.float32([[[0.0] * 3, [1.0] * 3]])
        black, white = lab.srgb_to_lab(soft_proof(grey, None, paper.paper_profile()).shown)[0, :, 0]
        self.assertTrue(10 < black < 20 and white > 99)  # paper is no deeper
        self.assertLess(soft_proof(skin, None, profiles.srgb_profile()).largest, 0.2)

    def test_a_managed_reader_sees_what_was_meant(self):
        rng = np.random.default_rng(4)
        values = (0.35 + 0.3 * rng.random((40, 40, 3))).astype(np.float32)
        there = profiles.convert(values, None, paper.paper_profile())
        image = Image.fromarray(np.round(255 * there).astype(np.uint8))
        seen = ImageCms.profileToProfile(
            image, ImageCms.ImageCmsProfile(io.BytesIO(paper.paper_profile())), ImageCms.createProfile("sRGB"),
            renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC, flags=ImageCms.Flags.BLACKPOINTCOMPENSATION)
        off = lab.delta_e2000(lab.srgb_to_lab(np.asarray(seen) / 255), lab.srgb_to_lab(values))
        self.assertLess(float(np.median(off)), 0.8)


class DeliverTest(FolderCase):
    def setUp(self):
        super().setUp()
        self.session = session_of(skin_like(300, 240))
        history = self.session.history
        history.do(SetBrief("title", "Wren: spring/cards"))
        layer = history.job.stage("mend").layers[0]
        for x, y in ((80, 90), (150, 200)):
            stroke = dab_stroke(x, y, 24)
            stroke = with_source(stroke, source_candidates(self.session.engine, history.job, layer.id, stroke))
            history.do(AddEdits("mend", layer.id, (stroke,)))

    def one(self, **spec):
        made = OutputSpec("a", "Out", **spec)
        path = self.folder / f"out{len(list(self.folder.iterdir()))}.x"
        path = path.with_suffix({"JPEG": ".jpg", "PNG": ".png", "TIFF": ".tif", "WebP": ".webp",
                                 "OpenRaster": ".ora"}[made.format])
        (done,) = deliver(self.session, [(made, path)])
        return done

    def test_every_format_depth_and_profile_is_read_back_equal(self):
        for spec in ({"format": "JPEG"}, {"format": "WebP", "quality": 80}, {"format": "PNG", "bits": 16},
                     {"format": "TIFF", "bits": 16, "profile": "paper"}, {"format": "PNG", "profile": "own"},
                     {"format": "TIFF", "profile": "grey"}, {"format": "JPEG", "profile": "grey"},
                     {"format": "OpenRaster", "profile": "own"},
                     {"format": "JPEG", "size": "cm", "width_cm": 5, "height_cm": 6, "ppi": 150}):
            done = self.one(**spec)
            self.assertEqual((done.state, done.why), (DONE, ""), spec)
            self.assertTrue(still_as_delivered(done.path, done.note.sha256))
            self.assertEqual(done.note.bytes, done.path.stat().st_size)
        with Image.open(done.path) as image:
            self.assertEqual(image.size, (283, 354))  # 240 × 300 enlarged into 5 × 6 cm at 150 ppi
            self.assertAlmostEqual(float(image.info["dpi"][0]), 150, places=0)

    def test_profiles_embedded_are_right_in_a_managed_reader(self):
        wide = session_of(skin_like(60, 80), profile=WIDE)
        meant = profiles.convert(wide.photo.read(wide.photo.bounds), WIDE, profiles.srgb_profile())
        for profile in ("own", "srgb", "paper"):
            path = self.folder / f"{profile}.png"
            (done,) = deliver(wide, [(OutputSpec("a", "A", format="PNG", profile=profile, sharpen=False), path)])
            self.assertEqual(done.state, DONE)
            with Image.open(path) as image:
                seen = ImageCms.profileToProfile(
                    image, ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"])),
                    ImageCms.createProfile("sRGB"), renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
                    flags=ImageCms.Flags.BLACKPOINTCOMPENSATION)
            off = lab.delta_e2000(lab.srgb_to_lab(np.asarray(seen) / 255), lab.srgb_to_lab(np.clip(meant, 0, 1)))
            self.assertLess(float(np.median(off)), 1.0, profile)

    def test_a_file_altered_on_the_disk_is_not_called_delivered(self):
        written = run.write_atomically

        def spoiled(alter):
            def write(path, body):
                written(path, body)
                data = bytearray(Path(path).read_bytes())
                alter(data)
                Path(path).write_bytes(data)
            return mock.patch.object(run, "write_atomically", write)

        def flip(data):
            data[len(data) // 2] ^= 0x40

        def cut(data):
            del data[-40:]

        for spec in ({"format": "JPEG"}, {"format": "PNG", "bits": 16}, {"format": "TIFF"}, {"format": "WebP"},
                     {"format": "OpenRaster"}):
            for alter in (flip, cut):
                with spoiled(alter):
                    done = self.one(**spec)
                self.assertEqual((done.state, done.note), (FAILED, None), spec)
                self.assertIn("not called delivered", done.why)

    def test_another_picture_in_its_place_is_told_even_where_the_bytes_are_sound(self):
        written = run.write_atomically
        for fmt in ("JPEG", "PNG"):
            other = io.BytesIO()
            Image.fromarray(np.full((300, 240, 3), 128, np.uint8)).save(other, fmt,
                                                                        icc_profile=profiles.srgb_profile())
            with mock.patch.object(run, "write_atomically", lambda path, body, other=other: written(
                    path, lambda file: file.write(other.getvalue()))):
                done = self.one(format=fmt)
            self.assertEqual(done.state, FAILED)
            self.assertIn("pixels", done.why)

    def test_nothing_is_written_over_unless_it_was_said(self):
        path = self.folder / "there.jpg"
        path.write_bytes(b"mine")
        spec = OutputSpec("a", "A")
        (done,) = deliver(self.session, [(spec, path)])
        self.assertEqual((done.state, path.read_bytes()), (FAILED, b"mine"))
        self.assertEqual(numbered(path), self.folder / "there-2.jpg")
        self.assertEqual(numbered(path, {self.folder / "there-2.jpg"}).name, "there-3.jpg")
        (done,) = deliver(self.session, [(spec, path)], replace={path: True})
        self.assertEqual(done.state, DONE)

    def test_one_that_fails_stops_no_other_and_a_stop_leaves_what_is_done(self):
        wanted = [(OutputSpec("a", "A"), self.folder / "none" / "a.jpg"), (OutputSpec("b", "B"), self.folder / "b.jpg"),
                  (OutputSpec("c", "C", profile="/no/such.icc"), self.folder / "c.jpg"),
                  (OutputSpec("d", "D", format="PNG"), self.folder / "d.png")]
        done = deliver(self.session, wanted)
        self.assertEqual([one.state for one in done], [FAILED, DONE, FAILED, DONE])
        for name in ("b.jpg", "d.png"):
            os.unlink(self.folder / name)
        told = []
        done = deliver(self.session, wanted[1:], progress=lambda one: (told.append(one.state), len(told) < 6)[1])
        self.assertEqual(sorted(p.name for p in self.folder.iterdir() if p.name.startswith(".")), [])
        self.assertLess(len([one for one in done if one.state == DONE]), 2)

    def test_open_raster_holds_a_layer_for_each_and_makes_the_same_picture(self):
        history = self.session.history
        hidden = Layer(new_id(), "Hidden", on=False, edits=history.job.stage("mend").layers[0].edits[:1])
        history.do(AddLayer("mend", hidden, 1))
        tone = Layer(new_id(), "Light <pool>", kind="tone", settings={"everywhere": True, "exposure": 0.4})
        history.do(AddLayer("finish", tone, 0))
        done = self.one(format="OpenRaster", profile="own")
        self.assertEqual(done.state, DONE, done.why)
        merged, composed = read_open_raster(done.path.read_bytes())
        np.testing.assert_array_equal(merged, composed)
        with zipfile.ZipFile(done.path) as archive:
            names = archive.namelist()
            stack = archive.read("stack.xml").decode()
            self.assertEqual(archive.getinfo("mimetype").compress_type, zipfile.ZIP_STORED)
        self.assertEqual(names[0], "mimetype")
        self.assertEqual(sum(name.startswith("data/layer") for name in names), 3)
        self.assertEqual(stack.count("hidden"), 1)
        self.assertIn("Finish: Light &lt;pool&gt;", stack)
        self.assertLess(stack.index("Finish"), stack.index("Mend"))  # the first lies on top
        history.do(SetLayer("finish", tone.id, "on", False))
        darker, _ = read_open_raster(self.one(format="OpenRaster", profile="own").path.read_bytes())
        self.assertGreater(merged.mean() - darker.mean(), 5)

    def test_names_by_pattern_are_safe_and_say_what_they_are_of(self):
        job = replace(self.session.job, brief=self.session.job.brief | {"client": "Alder & Finch", "frame": "Nº 12"})
        card = OutputSpec("a", "Print, card", size="cm")
        self.assertEqual(file_name(USUAL_PATTERN, job, card), "wren-spring-cards-nº-12-print-card-20x25.jpg")
        self.assertEqual(file_name("{client}_{job}", job, replace(card, format="TIFF")),
                         "alder-finch_wren-spring-cards.tif")
        web = OutputSpec("b", "Web", size="px", long_edge_px=2048)
        longest = max(job.source.width, job.source.height)
        self.assertLess(longest, 2048)  # it is not enlarged, so its name does not say that it was
        self.assertEqual(file_name("{output}-{size}", job, web), f"web-{longest}.jpg")
        plain = replace(job, brief={})
        self.assertEqual(file_name(USUAL_PATTERN, plain, card), "photo-print-card-20x25.jpg")
        for pattern in ("{nonsense}", "a/b", "", "{job", "..\\x"):
            with self.assertRaises(RequestError, msg=pattern):
                file_name(pattern, job, card)

    def test_presets_are_kept_by_name_and_shipped_ones_come_back(self):
        file = self.folder / "outputs.json"
        own = (OutputSpec("a", "Mine", size="px", long_edge_px=999),)
        keep_preset(file, " My set ", own)
        keep_preset(file, "Web", own)
        self.assertEqual((presets(file)["My set"], presets(file)["Web"]), (own, own))
        drop_preset(file, "Web")
        self.assertEqual(presets(file)["Web"], SHIPPED["Web"])
        file.write_text("{[")
        self.assertEqual(presets(file), SHIPPED)
        with self.assertRaises(RequestError):
            keep_preset(file, "  ", own)

    def test_a_print_is_as_large_as_its_paper_either_way_up(self):
        card = OutputSpec("a", "A", size="cm", width_cm=20, height_cm=25, ppi=300)
        self.assertEqual(card.size_px(2000, 2500), (2362, 2953))
        self.assertEqual(card.size_px(2500, 2000), (2953, 2362))
        self.assertEqual(card.size_px(1000, 3000), (984, 2953))
        self.assertEqual(card.size_px(100, 125), (400, 500))  # no more than four times
        self.assertEqual(OutputSpec("a", "A", size="px", long_edge_px=4000).size_px(300, 200), (300, 200))
        self.assertEqual(output_of(card, self.session).size_px, (960, 1200))


class KilledTest(FolderCase):
    def test_killed_again_and_again_no_second_is_lost_and_no_half_file_is_called_delivered(self):
        times = len(some(range(50), 20))
        told = kill_often(self.folder, times)
        self.assertEqual(len(told), times)
        book = Logbook(self.folder / "logbook.sqlite")
        self.addCleanup(book.close)
        self.assertEqual(book.check(), [])
        logged, said = book.seconds("job")["mend"], sum(seconds for seconds, _ in told)
        self.assertTrue(said <= logged <= said + times, (said, logged))  # at most the one that was being told
        (entry,) = book.entries()
        noted = {Path(note.path).name: note for note in entry.deliveries}
        named = {name for _, files in told for name in files.split(";") if name}
        self.assertTrue(named <= set(noted))
        self.assertGreater(len(named), 0.4 * times)
        for name, note in noted.items():
            path = self.folder / name
            self.assertEqual(hashlib.sha256(path.read_bytes()).hexdigest(), note.sha256, name)
            self.assertEqual(read_picture(path).pixels.shape, (240, 200, 3))
        parts = [path.name for path in self.folder.iterdir() if path.name.endswith(".part")]
        self.assertEqual(parts, [])
