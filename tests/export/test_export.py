"""Finished files: format, profile, Exif, size; the queue; refusals that leave nothing behind."""

from __future__ import annotations

import io
import json
import os
import time
import unittest
import warnings
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import numpy as np
import tifffile
from PIL import Image, ImageCms

from bruto.color.spaces import decode_srgb
from bruto.container.provenance import made_here
from bruto.container.raw_frame import GpsPlace
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.errors import BrutoError, Cancelled, FileProblem
from bruto.export import queue
from bruto.export.encoders import check_preset, resize_linear, write_picture
from bruto.export.icc import profile
from bruto.export.preset import ExportPreset
from bruto.export.queue import Job, Queue, export_shot
from tests.shots import SMALL, copy_of, raw_of

META = replace(open_source(raw_of("card", size=SMALL)).meta)
PICTURE = np.random.default_rng(3).integers(0, 255, (90, 120, 3), np.uint8)


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))


class Formats(Folder):
    def written(self, name: str, picture=PICTURE, **preset) -> Path:
        path = self.folder / name
        write_picture(path, picture, ExportPreset(**preset), META)
        return path

    def test_jpeg_with_profile_and_exif(self) -> None:
        with Image.open(self.written("a.jpg", space="display-p3", quality=95)) as image:
            self.assertEqual((image.format, image.size), ("JPEG", (120, 90)))
            self.assertLess(np.abs(np.asarray(image).astype(int) - PICTURE).mean(), 12)
            icc = ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"]))
            self.assertIn("Display P3", ImageCms.getProfileDescription(icc))
            exif = image.getexif()
            self.assertEqual((exif[271], exif[272], exif[274]), (META.make, META.model, 1))
            sub = exif.get_ifd(34665)
            self.assertEqual(sub[34855], META.iso)
            self.assertAlmostEqual(float(sub[33434]), META.exposure_s or 0, places=6)
            self.assertEqual((sub[40962], sub[40963]), (120, 90))

    def test_png_in_both_depths_is_exact(self) -> None:
        with Image.open(self.written("a.png")) as image:
            np.testing.assert_array_equal(np.asarray(image), PICTURE)
            self.assertIn("icc_profile", image.info)
            self.assertEqual(image.getexif()[272], META.model)
        import imagecodecs

        deep = PICTURE.astype(np.uint16) * 257 - 3
        path = self.written("b.png", deep, bits=16)
        np.testing.assert_array_equal(imagecodecs.png_decode(path.read_bytes()), deep)

    def test_tiff_in_16_bits_and_linear(self) -> None:
        deep = PICTURE.astype(np.uint16) * 200
        path = self.written("a.tif", deep, bits=16)
        with Image.open(path) as image:
            self.assertEqual(image.getexif().get_ifd(34665)[34855], META.iso)
        with tifffile.TiffFile(path) as tif:
            np.testing.assert_array_equal(tif.asarray(), deep)
            self.assertIn(34675, tif.pages[0].tags)
            self.assertEqual(tif.pages[0].tags[271].value, META.make)
            exif = tif.pages[0].tags[34665].value
            self.assertEqual(exif["ISOSpeedRatings"], META.iso)
            self.assertAlmostEqual(exif["ExposureTime"][0] / exif["ExposureTime"][1], META.exposure_s or 0, places=6)
        light = PICTURE.astype(np.float32) / 100
        np.testing.assert_array_equal(tifffile.imread(self.written("l.tif", light, space="linear")), light)

    def test_avif_and_jpeg_xl(self) -> None:
        import imagecodecs

        smooth = np.repeat(np.repeat(PICTURE[:9, :12], 10, 0), 10, 1)
        with Image.open(self.written("a.avif", smooth)) as image:
            self.assertEqual(image.size, (120, 90))
        coded = self.written("a.jxl", smooth).read_bytes()
        self.assertIn(META.model.encode(), coded)
        found = imagecodecs.jpegxl_decode(coded)
        self.assertLess(np.abs(found.astype(int) - smooth).mean(), 6)

    def test_words_in_any_letters(self) -> None:
        meta = replace(META, make="Käse ☃ \udce9", model="漢字", description="x\ud800y", taken="2026:é")
        for name in ("u.jpg", "u.png", "u.tif", "u.avif", "u.webp", "u.jxl"):
            write_picture(self.folder / name, PICTURE, ExportPreset(), meta)
            self.assertTrue(made_here(self.folder / name), name)
        with tifffile.TiffFile(self.folder / "u.tif") as tif:
            self.assertIn("漢字", tif.pages[0].tags[272].value)

    def test_the_place_is_kept_only_where_it_is_asked_for(self) -> None:
        meta = replace(META, gps=GpsPlace(-33.5125, 151.25, 12.5))
        for name in ("p.jpg", "p.png", "p.webp", "p.avif"):
            for place in (False, True):
                write_picture(self.folder / f"{place}-{name}", PICTURE, ExportPreset(keep_place=place), meta)
                with Image.open(self.folder / f"{place}-{name}") as image:
                    found = image.getexif().get_ifd(34853)
                self.assertEqual(bool(found), place, name)
            self.assertEqual((found[1], found[3]), ("S", "E"))
            degrees, minutes, seconds = (float(v) for v in found[2])
            self.assertAlmostEqual(degrees + minutes / 60 + seconds / 3600, 33.5125, places=6)
            self.assertAlmostEqual(float(found[6]), 12.5)

    def test_quality_is_that_of_the_ticket(self) -> None:
        for name in ("q.jpg", "q.avif", "q.webp"):
            sizes = [self.written(f"{q}-{name}", quality=q).stat().st_size for q in (60, 92, 99)]
            self.assertEqual(sizes, sorted(set(sizes)), name)

    def test_exif_can_be_left_out(self) -> None:
        with Image.open(self.written("a.jpg", keep_exif=False)) as image:
            self.assertEqual(dict(image.getexif()), {274: 1, 305: "Bruto 0.1"})  # who wrote it, nothing of the shot

    def test_profiles_say_what_the_pixels_are(self) -> None:
        """A colour engine that reads our Rec. 2020 and P3 profiles shows the same colour as sRGB."""
        srgb = ImageCms.createProfile("sRGB")
        for name in ("display-p3", "rec2020"):
            color = np.array([0.25, 0.4, 0.3])  # linear Rec. 2020, inside sRGB
            from bruto.color.spaces import encode_srgb, working_to

            code = np.round(255 * encode_srgb(working_to(name) @ color)).astype(np.uint8)
            image = Image.fromarray(np.broadcast_to(code, (4, 4, 3)).copy())
            mine = ImageCms.ImageCmsProfile(io.BytesIO(profile(name)))
            shown = np.asarray(ImageCms.profileToProfile(image, mine, srgb))[0, 0]
            expected = 255 * encode_srgb(working_to("srgb") @ color)
            self.assertLess(np.abs(shown - expected).max(), 2.5, name)

    def test_illuminant_has_the_bytes_prescribed(self) -> None:
        """ICC.1:2022, 7.2.16."""
        for name in ("srgb", "display-p3", "rec2020", "linear"):
            self.assertEqual(profile(name)[68:80].hex(), "0000f6d6" + "00010000" + "0000d32d")

    def test_resizing_averages_light(self) -> None:
        board = np.zeros((100, 100, 3), np.uint8)
        board[::2, ::2] = board[1::2, 1::2] = 255
        small = resize_linear(board, 50)
        self.assertEqual(small.shape, (50, 50, 3))
        self.assertAlmostEqual(float(decode_srgb(small / 255).mean()), 0.5, delta=0.01)
        self.assertIs(resize_linear(board, 400), board)

    def test_what_cannot_be_written(self) -> None:
        for name, preset, pattern in (
            ("a.gif", ExportPreset(), "must end in"), ("a.jpg", ExportPreset(bits=16), "8 bits"),
            ("a.jpg", ExportPreset(space="linear"), "TIFF"), ("a.png", ExportPreset(bits=12), "8 or 16"),
            ("a.jpg", ExportPreset(long_edge=3), "long edge"), ("a.jxl", ExportPreset(space="display-p3"), "sRGB"),
        ):  # fmt: skip
            with self.assertRaisesRegex(BrutoError, pattern):
                check_preset(Path(name), preset)


class Delivering(Folder):
    def setUp(self) -> None:
        super().setUp()
        self.raw = raw_of("card", size=SMALL)

    def test_the_file_is_the_engines_picture(self) -> None:
        recipe = Recipe(exposure=0.6)
        export_shot(self.raw, self.folder / "a.png", recipe, ExportPreset())
        with Image.open(self.folder / "a.png") as image:
            np.testing.assert_array_equal(np.asarray(image), Developer(open_source(self.raw)).render(recipe))

    def test_originals_are_never_written(self) -> None:
        (copy,) = copy_of([raw_of("card", size=SMALL).with_suffix(".jpg")], self.folder)
        before = copy.read_bytes()
        with self.assertRaisesRegex(BrutoError, "files being read"):
            export_shot(copy, copy, Recipe(), ExportPreset())
        self.assertEqual(copy.read_bytes(), before)

    def test_stopping_and_failing_leave_nothing(self) -> None:
        with self.assertRaises(Cancelled):
            export_shot(self.raw, self.folder / "a.jpg", Recipe(), ExportPreset(), cancelled=lambda: True)
        with self.assertRaisesRegex(FileProblem, "does not exist"):
            export_shot(self.raw, self.folder / "no/a.jpg", Recipe(), ExportPreset())
        self.assertEqual(list(self.folder.iterdir()), [])


class QueuedMerge(Folder):
    def setUp(self) -> None:
        super().setUp()
        state = self.enterContext(TemporaryDirectory())
        self.enterContext(mock.patch.dict(os.environ, {"XDG_STATE_HOME": state}))
        self.raw = raw_of("card", size=SMALL)
        self.queue = Queue()
        self.addCleanup(self.queue.close)
        self.states: list[tuple[int, str]] = []
        self.queue.changed.connect(lambda job: self.states.append((job.number, job.state)))

    def job(self, name: str, source: Path | None = None) -> Job:
        return Job(source or self.raw, self.folder, name, Recipe(), ExportPreset())

    def wait(self, *done: Job) -> None:
        end = time.monotonic() + 60
        while any(j.state in (queue.WAITING, queue.RUNNING) for j in done):
            self.assertLess(time.monotonic(), end)
            time.sleep(0.02)

    def test_jobs_run_one_after_the_other(self) -> None:
        first, second = self.job("a.jpg"), self.job("b.png")
        self.queue.add(first)
        self.queue.add(second)
        self.wait(first, second)
        self.assertEqual([first.state, second.state], [queue.DONE, queue.DONE])
        self.assertRegex(first.message, r"^\d+\.\d MB$")
        self.assertEqual({p.name for p in self.folder.iterdir()}, {"a.jpg", "b.png"})
        order = [n for n, s in self.states if s == queue.RUNNING]
        self.assertEqual(sorted(order), order)

    def test_a_thousand_jobs_are_queued_at_once_and_kept(self) -> None:
        with mock.patch.object(self.queue, "_do", lambda job: time.sleep(0.5)):
            began = time.monotonic()
            self.queue.add(*(self.job(f"a-{k}.jpg") for k in range(1000)))
            self.assertLess(time.monotonic() - began, 3)
            self.assertEqual(len({j.output for j in self.queue.jobs}), 1000)
            self.queue.close()
        (kept,) = (Path(os.environ["XDG_STATE_HOME"]) / "bruto/queue").iterdir()
        self.assertGreater(len(json.loads(kept.read_text())["waiting"]), 990)

    def test_one_impossible_name_queues_none(self) -> None:
        with self.assertRaises(BrutoError):
            self.queue.add(self.job("a.jpg"), self.job("a.bmp"))
        self.assertEqual(self.queue.jobs, [])
        self.queue.add(self.job("a.jpg"))
        self.assertEqual(self.queue.jobs[0].output.name, "a.jpg")  # its name was given back

    def test_a_failure_stops_nothing_else_and_can_be_tried_again(self) -> None:
        broken = self.folder / "broken.dng"
        broken.write_bytes(b"II*\0 nothing")
        bad, good = self.job("bad.jpg", broken), self.job("good.jpg")
        self.queue.add(bad)
        self.queue.add(good)
        self.wait(bad, good)
        self.assertEqual((bad.state, good.state), (queue.FAILED, queue.DONE))
        self.assertIn("broken.dng", bad.message)
        broken.write_bytes(self.raw.read_bytes())
        self.queue.retry(bad)
        self.wait(bad)
        self.assertEqual(bad.state, queue.DONE)

    def test_cancelling_a_waiting_and_a_running_job(self) -> None:
        running, waiting = self.job("a.jpg"), self.job("b.jpg")
        self.queue.changed.connect(lambda job: self.queue.cancel(job) if job is running and job.progress > 0 else None)
        self.queue.add(running, waiting)
        self.queue.cancel(waiting)
        self.wait(running, waiting)
        self.assertEqual([running.state, waiting.state], [queue.STOPPED, queue.STOPPED])
        self.assertGreater(running.progress, 0)
        self.assertEqual(list(self.folder.iterdir()), [])


warnings.simplefilter("ignore", DeprecationWarning)
