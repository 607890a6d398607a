"""Opcode lists 1 and 2 and the deltas of the black level, against their formulas."""

from __future__ import annotations

import struct
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import rawpy

from bruto.container import corrections as co
from bruto.container.corrections import Correction, apply_corrections, parse_correction, write_correction
from bruto.container.dng_reader import read_dng
from bruto.container.linearisation import linearise
from bruto.container.opcodes import write_opcodes
from bruto.container.raw_frame import GainMap, RawFrame
from bruto.errors import FileProblem
from tests.again import write_dng
from tests.container.test_dng import PREVIEW, tags
from tests.container.test_linear import meta

RANDOM = np.random.default_rng(9)
WHOLE = (0, 0, 1 << 20, 1 << 20, 0, 1, 1, 1)


def light() -> np.ndarray:
    return RANDOM.uniform(0.05, 0.6, (24, 30)).astype(np.float32)


class Formulas(unittest.TestCase):
    def test_rows_and_columns(self) -> None:
        values = RANDOM.uniform(0.9, 1.1, 30)
        for opcode, expected in (
            (co.SCALE_ROW, lambda d: d * values[:24, None]), (co.SCALE_COLUMN, lambda d: d * values[None]),
            (co.DELTA_ROW, lambda d: d + values[:24, None]), (co.DELTA_COLUMN, lambda d: d + values[None]),
        ):  # fmt: skip
            data = light()
            wanted = expected(data)
            apply_corrections(data, (Correction(opcode, WHOLE, values),))
            np.testing.assert_allclose(data, wanted, rtol=1e-5)

    def test_area_and_pitch(self) -> None:
        """Only every second row and third column inside the area, counted from the area's corner."""
        data = light()
        wanted = data.copy()
        wanted[5:17:2, 4:22:3] *= np.arange(2, 8)[:, None]
        area = (5, 4, 17, 22, 0, 1, 2, 3)
        apply_corrections(data, (Correction(co.SCALE_ROW, area, np.arange(2.0, 8.0)),))
        np.testing.assert_allclose(data, wanted, rtol=1e-6)

    def test_origin_of_a_crop(self) -> None:
        """A crop is corrected as the same part of the whole."""
        whole = light()
        crop = whole[7:20, 3:25].copy()
        operations = (
            Correction(co.SCALE_ROW, (2, 1, 22, 28, 0, 1, 3, 2), RANDOM.uniform(0.8, 1.2, 7)),
            Correction(co.DELTA_COLUMN, (0, 0, 24, 30, 0, 1, 1, 1), RANDOM.uniform(-0.1, 0.1, 30)),
            Correction(co.BAD_LIST, points=np.array([[10, 10], [12, 14]])),
        )
        apply_corrections(whole, operations)
        apply_corrections(crop, operations, (7, 3))
        np.testing.assert_allclose(crop, whole[7:20, 3:25], rtol=1e-6)

    def test_polynomial_and_table(self) -> None:
        data = light()
        wanted = np.clip(0.02 + 0.9 * data + 0.1 * data**2, 0, 1)
        apply_corrections(data, (Correction(co.MAP_POLYNOMIAL, WHOLE, np.array([0.02, 0.9, 0.1])),))
        np.testing.assert_allclose(data, wanted, rtol=1e-5)
        codes = RANDOM.integers(0, 4096, (24, 30)).astype(np.uint16)
        table = np.minimum(np.arange(4096) * 2, 65535)
        wanted_codes = table[codes]
        apply_corrections(codes, (Correction(co.MAP_TABLE, WHOLE, table.astype(float)),))
        np.testing.assert_array_equal(codes, wanted_codes)

    def test_planes_of_linear_frames(self) -> None:
        data = RANDOM.uniform(0, 0.5, (8, 9, 3)).astype(np.float32)
        wanted = data.copy()
        wanted[..., 1:] *= 2
        apply_corrections(data, (Correction(co.SCALE_ROW, (0, 0, 8, 9, 1, 2, 1, 1), np.full(8, 2.0)),))
        np.testing.assert_allclose(data, wanted)

    def test_bad_pixels_take_their_own_colors_neighbours(self) -> None:
        y, x = np.mgrid[0:24, 0:30]
        smooth = (1000 + 10 * y + 7 * x + 500 * (y % 2) + 250 * (x % 2)).astype(np.uint16)
        broken = smooth.copy()
        points = np.array([[6, 6], [6, 8], [11, 13], [0, 0], [23, 29]])
        broken[points[:, 0], points[:, 1]] = 65000
        apply_corrections(broken, (Correction(co.BAD_LIST, points=points),))
        inner = np.array([[11, 13]])
        np.testing.assert_array_equal(broken[tuple(inner.T)], smooth[tuple(inner.T)])
        self.assertLess(np.abs(broken.astype(int) - smooth).max(), 30)
        constant = smooth.copy()
        constant[9, 9] = 0
        apply_corrections(constant, (Correction(co.BAD_CONSTANT, values=np.array([0.0])),))
        self.assertEqual(constant[9, 9], smooth[9, 9])

    def test_a_cluster_wider_than_the_reach_is_left(self) -> None:
        data = np.full((40, 40), 5.0, np.float32)
        data[5:35, 5:35] = 99
        rows, columns = np.mgrid[5:35, 5:35]
        points = np.stack([rows.ravel(), columns.ravel()], axis=1)
        apply_corrections(data, (Correction(co.BAD_LIST, points=points),))
        self.assertEqual(data[6, 6], 5)
        self.assertEqual(data[20, 20], 99)


class Parsing(unittest.TestCase):
    ALL = (
        Correction(co.BAD_CONSTANT, values=np.array([17.0])),
        Correction(co.BAD_LIST, points=np.array([[1, 2], [3, 4]])),
        Correction(co.MAP_TABLE, WHOLE, np.arange(9.0)),
        Correction(co.MAP_POLYNOMIAL, WHOLE, np.array([0.0, 1.0, 0.5])),
        *(Correction(o, (1, 2, 30, 40, 0, 1, 2, 1), RANDOM.uniform(0, 2, 5).astype(np.float32).astype(float))
          for o in (co.DELTA_ROW, co.DELTA_COLUMN, co.SCALE_ROW, co.SCALE_COLUMN)),
    )  # fmt: skip

    def test_round_trip(self) -> None:
        for c in self.ALL:
            back = parse_correction(c.opcode, write_correction(c), "list 1")
            self.assertEqual((back.opcode, back.area), (c.opcode, c.area))
            np.testing.assert_allclose(back.values, c.values)
            np.testing.assert_array_equal(back.points, c.points)

    def test_rectangles_of_bad_pixels(self) -> None:
        data = struct.pack(">3I", 0, 1, 1) + struct.pack(">2I", 9, 9) + struct.pack(">4I", 2, 3, 4, 6)
        found = parse_correction(co.BAD_LIST, data, "list 1").points
        self.assertEqual(found.tolist(), [[9, 9], [2, 3], [2, 4], [2, 5], [3, 3], [3, 4], [3, 5]])

    def test_damage_and_absurd_counts(self) -> None:
        for c in self.ALL:
            body = write_correction(c)
            for size in range(0, len(body), 5):
                with self.assertRaisesRegex(FileProblem, "list 1"):
                    parse_correction(c.opcode, body[:size], "list 1")
        huge = struct.pack(">3I", 0, 0, 1) + struct.pack(">4I", 0, 0, 1 << 31, 1 << 31)
        for opcode, body in (
            (co.BAD_LIST, struct.pack(">3I", 0, 1 << 31, 0)), (co.BAD_LIST, huge),
            (co.SCALE_ROW, struct.pack(">9I", *WHOLE, 1 << 31)), (co.MAP_POLYNOMIAL, struct.pack(">9I", *WHOLE, 900)),
            (co.SCALE_ROW, struct.pack(">9I", 0, 0, 9, 9, 0, 1, 0, 1, 1) + b"\0" * 4),
            (co.DELTA_ROW, struct.pack(">9I", *WHOLE, 1) + struct.pack(">f", float("nan"))),
        ):  # fmt: skip
            with self.assertRaisesRegex(FileProblem, "list 1"):
                parse_correction(opcode, body, "list 1")


class InFiles(unittest.TestCase):
    def setUp(self) -> None:
        self.path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "a.dng"
        self.codes = RANDOM.integers(300, 3000, (96, 128)).astype(np.uint16)

    def written(self, **values):
        write_dng(self.path, self.codes, tags(**values), PREVIEW)
        return read_dng(self.path)

    def test_lists_travel_through_a_file(self) -> None:
        bad = Correction(co.BAD_LIST, points=np.array([[10, 11]]))
        scale = Correction(co.SCALE_ROW, (0, 0, 96, 128, 0, 1, 1, 1), np.linspace(1, 1.5, 96))
        frame = self.written(code_corrections=(bad,), light_corrections=(scale,))
        plain = linearise(self.written())
        found = linearise(frame)
        expected = plain.data * np.linspace(1, 1.5, 96)[:, None]
        away = np.ones((96, 128), bool)
        away[10, 11] = False
        np.testing.assert_allclose(found.data[away], expected[away], rtol=1e-4)
        self.assertNotAlmostEqual(float(found.data[10, 11]), float(expected[10, 11]), places=3)
        self.assertEqual(frame.meta.opcodes, ("list 1: FixBadPixelsList", "list 2: ScalePerRow"))
        np.testing.assert_array_equal(frame.codes, self.codes)  # as stored

    def test_gain_maps_follow_the_other_corrections(self) -> None:
        gains = np.array([[1.0, 2.0], [1.0, 2.0]], np.float32)[..., None]
        maps = tuple(GainMap(s // 2, s % 2, 96, 128, 0, 1, 2, 2, (1.0, 1.0), (0.0, 0.0), gains) for s in range(4))
        scale = Correction(co.SCALE_COLUMN, (0, 0, 96, 128, 0, 1, 1, 1), np.linspace(0.5, 1, 128))
        both = linearise(self.written(light_corrections=(scale,), gain_maps=maps))
        only = linearise(self.written(gain_maps=maps))
        np.testing.assert_allclose(both.data, only.data * np.linspace(0.5, 1, 128)[None], rtol=1e-4)
        self.assertAlmostEqual(both.gain, only.gain, delta=0.02)

    def test_black_deltas(self) -> None:
        rows, columns = RANDOM.integers(-20, 20, 96).astype(float), RANDOM.integers(-20, 20, 128).astype(float)
        black = np.full((2, 2), 256.0)
        found = linearise(self.written(black=black, black_rows=rows, black_columns=columns)).data
        expected = (self.codes - 256.0 - rows[:, None] - columns[None]) / (4095 - 256)
        np.testing.assert_allclose(found, expected, atol=2e-6)

    def test_gain_maps_count_from_the_active_area(self) -> None:
        """A frame with masked columns has the same gains over its picture as one without."""
        gains = RANDOM.uniform(1, 2, (5, 5, 1)).astype(np.float32)
        maps = tuple(GainMap(s // 2, s % 2, 96, 128, 0, 1, 2, 2, (0.25, 0.25), (0.0, 0.0), gains + s) for s in range(4))
        plain = linearise(self.written(gain_maps=maps, black=np.full((2, 2), 256.0))).data
        masked = np.pad(self.codes, ((3, 0), (5, 2)), constant_values=256)
        write_dng(
            self.path, masked, tags(gain_maps=maps, black=np.full((2, 2), 256.0), active_area=(5, 3, 128, 96)), PREVIEW
        )  # fmt: skip
        frame = read_dng(self.path)
        self.assertEqual(frame.meta.default_crop, (5, 3, 128, 96))
        linear = linearise(frame)
        np.testing.assert_allclose(linear.data, plain, rtol=1e-5)
        self.assertEqual(linear.cfa, "RGGB")

    def test_rawpy_still_reads_the_stored_values(self) -> None:
        bad = Correction(co.BAD_CONSTANT, values=np.array([0.0]))
        self.codes = RANDOM.integers(300, 3000, (288, 320)).astype(np.uint16)
        self.written(code_corrections=(bad,))
        with rawpy.imread(str(self.path)) as raw:
            np.testing.assert_array_equal(raw.raw_image, self.codes)

    def test_unknown_operations(self) -> None:
        """Optional ones are left out and told; required ones stop, since the picture would be wrong."""
        import tifffile

        for flags, fine in ((1, True), (0, False)):
            self.written(gain_maps=())
            data = write_opcodes([(99, b"\1\2\3\4")], flags)
            with tifffile.TiffFile(self.path) as tif:
                page = next(p for p in tif.pages[0].pages if p.photometric == 32803)
                at = page.tags[51041]  # the noise profile makes room for the list
                offset, place = at.valueoffset, at.offset
            body = bytearray(self.path.read_bytes())
            body[offset : offset + len(data)] = data
            body[place : place + 8] = struct.pack("<HHI", 51022, 7, len(data))
            self.path.write_bytes(bytes(body))
            if fine:
                self.assertIn("opcode 99", " ".join(read_dng(self.path).meta.warnings))
            else:
                with self.assertRaisesRegex(FileProblem, "requires opcode 99"):
                    read_dng(self.path)

    def test_a_frame_of_codes_is_not_changed(self) -> None:
        frame = RawFrame(
            np.full((8, 12), 500, np.uint16), meta(code_corrections=(Correction(co.SCALE_ROW, WHOLE, np.full(8, 2.0)),))
        )
        doubled = linearise(frame)
        self.assertTrue((frame.codes == 500).all())
        plain = linearise(replace(frame, meta=meta()))
        self.assertGreater(float(doubled.data[0, 0]), 1.9 * float(plain.data[0, 0]))
