"""DNG files: what is written is what rawpy, tifffile and our own reader find; damage ends in a clear message."""

from __future__ import annotations

import os
import shutil
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import rawpy
import tifffile

from bruto.color.spaces import space
from bruto.container import dng_writer
from bruto.container.dng_reader import is_raw, read_dng, read_dng_meta
from bruto.container.dng_writer import DngTags
from bruto.container.picture import decode_jpeg
from bruto.container.profile import Calibration
from bruto.container.raw_frame import GainMap
from bruto.errors import FileProblem
from bruto.simphone import sensor_model as sm
from bruto.simphone.capture import calibrations
from bruto.storage.atomic_write import Target
from bruto.storage.file_names import identity
from tests.again import write_dng
from tests.shots import SMALL, raw_of, taken

RANDOM = np.random.default_rng(11)


def tags(**values) -> DngTags:
    base = DngTags(
        black=np.array([[250.0, 256.0], [256.0, 260.0]]),
        white=np.array([4095.0]),
        bits=12,
        calibrations=calibrations(),
        as_shot_neutral=np.array([0.52, 1.0, 0.61]),
        cfa="RGGB",
        noise_profile=np.array([[1e-4, 1e-6]] * 3),
        baseline_exposure=0.37,
        make="Vessar",
        model="Vessar Tide 4",
        taken="2026:06:21 12:00:01",
        iso=320.0,
        exposure_s=1 / 250,
        f_number=1.9,
        focal_mm=5.9,
        focal_35mm=26.0,
        description="made for a test",
    )
    return replace(base, **values)


PREVIEW = RANDOM.integers(0, 255, (60, 80, 3), np.uint8)


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))


class Mosaic(Folder):
    def write(self, codes, **values) -> Path:
        path = self.folder / "a.dng"
        write_dng(path, codes, tags(**values), PREVIEW)
        return path

    def test_a_capture_is_the_same_for_three_readers(self) -> None:
        shot = taken("card", size=SMALL)[0]
        path = Path(shot["files"][0])
        mine = read_dng(path)
        with rawpy.imread(str(path)) as raw:
            np.testing.assert_array_equal(mine.codes, raw.raw_image)
            self.assertEqual(raw.color_desc, b"RGBG")
            self.assertEqual(raw.raw_pattern.tolist(), [[0, 1], [3, 2]])
            self.assertEqual(raw.black_level_per_channel, [sm.BLACK] * 4)
            self.assertEqual(raw.white_level, sm.WHITE)
            neutral = 1 / np.array(raw.camera_whitebalance[:3])
            np.testing.assert_allclose(neutral / neutral[1], mine.meta.as_shot_neutral, rtol=1e-4)
            # it states camera to linear sRGB, rows balanced to white, from the second matrix
            camera = mine.meta.calibrations[1].color @ space("srgb").to_xyz()
            expected = np.linalg.inv(camera / camera.sum(axis=1, keepdims=True))
            np.testing.assert_allclose(raw.color_matrix[:, :3], expected, atol=2e-3)
        with tifffile.TiffFile(path) as tif:
            page = next(p for p in tif.pages[0].pages if p.photometric == 32803)
            self.assertEqual((page.imagewidth, page.imagelength, page.compression), (*SMALL, 7))
            head = tif.pages[0].tags
            self.assertEqual(head["Make"].value, sm.MAKE)
            for tag, k in (("ColorMatrix1", 0), ("ColorMatrix2", 1)):
                pairs = np.array(head[tag].value, float).reshape(-1, 2)
                expected = mine.meta.calibrations[k].color.ravel()
                np.testing.assert_allclose(pairs[:, 0] / pairs[:, 1], expected, rtol=1e-9)

    def test_twelve_megapixels_are_the_same_for_rawpy(self) -> None:
        codes = RANDOM.integers(200, 4096, (3024, 4032), np.uint16)
        path = self.write(codes)
        np.testing.assert_array_equal(read_dng(path).codes, codes)
        with rawpy.imread(str(path)) as raw:
            np.testing.assert_array_equal(raw.raw_image, codes)

    def test_metadata_round_trip(self) -> None:
        for orientation in (1, 3, 6, 8):
            meta = read_dng(self.write(RANDOM.integers(0, 4096, (98, 130), np.uint16), orientation=orientation)).meta
            self.assertEqual((meta.kind, meta.width, meta.height, meta.cfa), ("mosaic", 130, 98, "RGGB"))
            self.assertEqual(meta.orientation, orientation)
            self.assertEqual(meta.oriented_size, (130, 98) if orientation < 5 else (98, 130))
            np.testing.assert_array_equal(meta.black, [[250, 256], [256, 260]])
            np.testing.assert_allclose(meta.as_shot_neutral, [0.52, 1, 0.61], rtol=1e-5)
            np.testing.assert_allclose(meta.noise_profile, [[1e-4, 1e-6]] * 3)
            self.assertAlmostEqual(meta.baseline_exposure, 0.37, places=4)
            self.assertEqual((meta.iso, meta.f_number, meta.focal_mm, meta.focal_35mm), (320, 1.9, 5.9, 26))
            self.assertAlmostEqual(meta.exposure_s or 0, 1 / 250)
            self.assertEqual((meta.make, meta.taken), ("Vessar", "2026:06:21 12:00:01"))
            self.assertEqual((meta.compression, meta.bits_container), ("lossless JPEG", 12))

    def test_all_phases_and_odd_sizes(self) -> None:
        for cfa in ("RGGB", "GRBG", "GBRG", "BGGR"):
            codes = RANDOM.integers(0, 4096, (257, 301), np.uint16)
            frame = read_dng(self.write(codes, cfa=cfa))
            self.assertEqual(frame.meta.cfa, cfa)
            np.testing.assert_array_equal(frame.codes, codes)

    def test_codes_are_read_only(self) -> None:
        frame = read_dng(self.write(np.full((64, 64), 300, np.uint16)))
        with self.assertRaises(ValueError):
            frame.codes[0, 0] = 1

    def test_preview_and_gain_maps(self) -> None:
        gains = RANDOM.uniform(1, 2, (5, 7, 1)).astype(np.float32)
        one = GainMap(1, 0, 64, 64, 0, 1, 2, 2, (0.25, 1 / 6), (0.0, 0.0), gains)
        frame = read_dng(self.write(np.full((64, 96), 300, np.uint16), gain_maps=(one,)))
        np.testing.assert_array_equal(frame.meta.gain_maps[0].gains, gains)
        self.assertEqual(frame.meta.gain_maps[0].spacing, (0.25, 1 / 6))
        self.assertEqual(frame.meta.preview_size, (80, 60))
        assert frame.preview is not None
        self.assertEqual(decode_jpeg(frame.preview).shape, (60, 80, 3))
        self.assertIn("list 2: GainMap", frame.meta.opcodes)

    def test_default_crop_is_kept_and_a_wrong_one_is_noted(self) -> None:
        codes = np.full((64, 96), 300, np.uint16)
        self.assertEqual(read_dng(self.write(codes, default_crop=(4, 6, 80, 50))).meta.default_crop, (4, 6, 80, 50))
        meta = read_dng(self.write(codes, default_crop=(40, 6, 80, 50))).meta
        self.assertEqual(meta.default_crop, (0, 0, 96, 64))
        self.assertIn("default crop", " ".join(meta.warnings))

    def test_meta_alone_reads_no_pixels(self) -> None:
        frame = read_dng_meta(raw_of("card", size=SMALL))
        self.assertEqual(frame.codes.size, 0)
        self.assertEqual((frame.meta.width, frame.meta.height), SMALL)

    def test_without_matrix_a_warning(self) -> None:
        meta = read_dng(self.write(np.full((64, 64), 300, np.uint16), calibrations=())).meta
        self.assertIn("no colour matrix", " ".join(meta.warnings))

    def test_single_calibration(self) -> None:
        only = (Calibration(21, calibrations()[1].color),)
        meta = read_dng(self.write(np.full((64, 64), 300, np.uint16), calibrations=only)).meta
        self.assertEqual([c.illuminant for c in meta.calibrations], [21])
        self.assertIsNone(meta.calibrations[0].forward)


class Linear(Folder):
    def test_integers(self) -> None:
        codes = RANDOM.integers(0, 65535, (300, 411, 3), np.uint16)
        path = self.folder / "l.dng"
        write_dng(path, codes, tags(bits=16, black=np.full(3, 2048.0), white=np.full(3, 65535.0), cfa=""), PREVIEW)
        frame = read_dng(path)
        self.assertEqual(frame.meta.kind, "linear")
        np.testing.assert_array_equal(frame.codes, codes)
        with rawpy.imread(str(path)) as raw:
            np.testing.assert_array_equal(raw.raw_image.reshape(300, 411, -1)[..., :3], codes)

    def test_half_floats(self) -> None:
        codes = RANDOM.uniform(0, 8, (260, 300, 3)).astype(np.float16)
        path = self.folder / "h.dng"
        write_dng(path, codes, tags(bits=16, black=np.zeros(3), white=np.ones(3), cfa=""), PREVIEW)
        frame = read_dng(path)
        np.testing.assert_array_equal(frame.codes, codes)
        self.assertEqual(frame.codes.dtype, np.float16)
        with rawpy.imread(str(path)) as raw:  # it gives floats as 14 bits
            other = raw.postprocess(output_bps=16, gamma=(1, 1), no_auto_bright=True)
            self.assertEqual(other.shape, (260, 300, 3))

    def test_processed_raw_of_the_phone(self) -> None:
        frame = read_dng(raw_of("crystals", size=SMALL, kind="linear"))
        self.assertEqual((frame.meta.kind, frame.codes.shape), ("linear", (SMALL[0], SMALL[1], 3)))
        self.assertEqual(frame.meta.oriented_size, SMALL)


class BadFiles(Folder):
    def setUp(self) -> None:
        super().setUp()
        self.good = raw_of("card", size=SMALL)

    def fails(self, path: Path, pattern: str) -> str:
        with self.assertRaisesRegex(FileProblem, pattern) as caught:
            read_dng(path)
        text = str(caught.exception)
        self.assertIn(path.name, text)
        self.assertNotIn("\n", text)
        return text

    def test_truncated_anywhere(self) -> None:
        data = self.good.read_bytes()
        places = [1, 4, 7, 8, 9, 60, 200, 400, 900, *np.linspace(1000, len(data) - 1, 26).astype(int).tolist()]
        for size in places:
            path = self.folder / f"cut-{size}.dng"
            path.write_bytes(data[:size])
            with self.subTest(size=size):
                self.fails(path, ".")

    def test_flipped_bytes_never_escape(self) -> None:
        data = self.good.read_bytes()
        random = np.random.default_rng(5)
        ended = 0
        for k in range(80):
            broken = bytearray(data)
            start = 0 if k % 2 else max(0, len(data) - 3000)  # heads and tails hold the structure
            for at in random.integers(start, min(len(data), start + 3000), 12):
                broken[at] = random.integers(0, 256)
            path = self.folder / "flipped.dng"
            path.write_bytes(bytes(broken))
            try:
                read_dng(path)
            except FileProblem as error:
                ended += 1
                self.assertIn("flipped.dng", str(error))
        self.assertGreater(ended, 5)

    def test_what_is_not_a_raw(self) -> None:
        empty = self.folder / "empty.dng"
        empty.touch()
        self.fails(empty, r"empty \(0 bytes\). Copy it from the phone again")
        text = self.folder / "text.dng"
        text.write_text("not a raw at all, just words " * 20)
        self.fails(text, "not a DNG")
        self.fails(self.folder / "missing.dng", "does not exist")
        picture = self.folder / "picture.dng"
        tifffile.imwrite(picture, np.zeros((16, 16, 3), np.uint8), photometric="rgb")
        self.fails(picture, "TIFF, not a DNG")
        with self.assertRaisesRegex(FileProblem, "is a folder"):
            read_dng(self.folder)
        self.assertTrue(is_raw("A.DNG") and not is_raw("a.jpg"))

    @unittest.skipUnless(os.geteuid() == 0, "needs to give up the rights of root")
    def test_no_permission(self) -> None:
        path = self.folder / "locked.dng"
        shutil.copy(self.good, path)
        path.chmod(0)
        self.folder.chmod(0o755)
        os.seteuid(65534)
        try:
            self.fails(path, "permission")
        finally:
            os.seteuid(0)

    def test_claims_of_huge_sizes_take_no_memory(self) -> None:
        data = bytearray(self.good.read_bytes())
        with tifffile.TiffFile(self.good) as tif:
            page = next(p for p in tif.pages[0].pages if p.photometric == 32803)
            for tag in (256, 257):
                at = page.tags[tag].valueoffset
                data[at : at + 2] = b"\xf0\xff"
        path = self.folder / "huge.dng"
        path.write_bytes(bytes(data))
        self.fails(path, "more than can be real")

    def test_originals_stay_as_they_are(self) -> None:
        before = (self.good.read_bytes(), self.good.stat().st_mtime_ns)
        read_dng(self.good)
        self.assertEqual((self.good.read_bytes(), self.good.stat().st_mtime_ns), before)


class Writing(Folder):
    def test_nothing_is_left_where_it_cannot_be_written(self) -> None:
        codes = np.full((64, 64), 300, np.uint16)
        with self.assertRaisesRegex(FileProblem, "does not exist"):
            write_dng(self.folder / "no/such/a.dng", codes, tags(), PREVIEW)
        with self.assertRaisesRegex(FileProblem, "is a folder"):
            dng_writer.write_dng(self.folder, codes, tags(), PREVIEW)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_an_old_file_survives_a_failed_write(self) -> None:
        path = self.folder / "a.dng"
        path.write_bytes(b"old")
        with self.assertRaises(ValueError):
            target = Target(path, identity(path))
            dng_writer.write_dng(target, np.full((64, 64), 300, np.uint16), tags(cfa="RGXB"), PREVIEW)
        self.assertEqual([p.name for p in self.folder.iterdir()], ["a.dng"])
        self.assertEqual(path.read_bytes(), b"old")
