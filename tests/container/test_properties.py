"""What must hold for any file: what is written is read, light is the formula's, and damage ends in a message."""

from __future__ import annotations

import struct
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bruto.container.corrections import parse_correction
from bruto.container.dng_reader import read_dng, read_dng_meta
from bruto.container.dng_writer import SampleStorage
from bruto.container.linearisation import linearise
from bruto.container.opcodes import parse_gain_map, parse_opcodes
from bruto.container.orientation import as_stored, orient
from bruto.container.picture import read_picture
from bruto.container.profile import parse_gain_table, read_profile
from bruto.container.profile_writer import gain_table_body
from bruto.container.quick_metadata import read_quick_metadata
from bruto.container.raw_frame import RawFrame
from bruto.container.warps import WARP_FISHEYE, WARP_RECTILINEAR, parse_trim, parse_vignette, parse_warp
from bruto.errors import BrutoError
from tests.again import write_dng
from tests.container.variants import LOCAL, PREVIEW, tags
from tests.shots import SMALL, raw_of, taken

settings.register_profile("repeatable", derandomize=True, database=None, deadline=None)
settings.load_profile("repeatable")  # the same examples each time, so that a failure can be seen again
PATIENT = settings(max_examples=60, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
STORAGES = st.builds(
    SampleStorage,
    compression=st.sampled_from([1, 7, 8]),
    bits=st.sampled_from([10, 12, 14, 16]),
    tile=st.sampled_from([None, (16, 16), (32, 64), (64, 32)]),
    strip_rows=st.integers(1, 40),
    byteorder=st.sampled_from("<>"),
    big=st.booleans(),
    sub_ifd=st.booleans(),
)
SIZES = st.tuples(st.integers(4, 90), st.integers(4, 90))


class AnyFile(unittest.TestCase):
    def setUp(self) -> None:
        self.path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "p.dng"

    @PATIENT
    @given(how=STORAGES, size=SIZES, mosaic=st.booleans(), orientation=st.integers(1, 8), seed=st.integers(0, 2**31))
    def test_what_is_written_is_read(
        self, how: SampleStorage, size: tuple[int, int], mosaic: bool, orientation: int, seed: int
    ) -> None:
        components = 3 if how.compression == 7 and not mosaic else 1
        how = replace(how, components=components, bits=16 if how.compression == 8 else how.bits)
        shape = size if mosaic else (*size, 3)
        codes = np.random.default_rng(seed).integers(0, 1 << how.bits, shape).astype(np.uint16)
        black = np.zeros((2, 2)) if mosaic else np.zeros(3)
        white = np.array([float((1 << how.bits) - 1)])
        wanted = tags(black=black, white=white, bits=how.bits, cfa="GBRG" if mosaic else "", orientation=orientation)
        write_dng(self.path, codes, wanted, PREVIEW, how)
        frame = read_dng(self.path)
        np.testing.assert_array_equal(frame.codes, codes)
        self.assertEqual((frame.meta.orientation, frame.meta.cfa), (orientation, wanted.cfa))
        seen = read_quick_metadata(self.path)
        self.assertEqual(sorted(seen.size), sorted((size[1], size[0])))

    @PATIENT
    @given(
        size=SIZES,
        black=st.lists(st.integers(0, 900), min_size=4, max_size=4),
        white=st.integers(1000, 65535),
        seed=st.integers(0, 2**31),
    )
    def test_light_is_the_formulas(self, size: tuple[int, int], black: list[int], white: int, seed: int) -> None:
        meta = read_dng_meta(raw_of("card", size=SMALL)).meta
        h, w = size
        codes = np.random.default_rng(seed).integers(0, 65536, size).astype(np.uint16)
        levels = np.array(black, float).reshape(2, 2)
        area = (0, 0, w, h)
        meta = replace(
            meta, width=w, height=h, black=levels, white=np.array([float(white)]), active_area=area, default_crop=area,
            gain_maps=(), linearisation=None,
        )  # fmt: skip
        light = linearise(RawFrame(codes, meta))
        tiled = np.tile(levels, ((h + 1) // 2, (w + 1) // 2))[:h, :w]
        np.testing.assert_allclose(light.data, (codes - tiled) / (white - tiled), rtol=1e-5, atol=1e-6)
        full = np.zeros(((h + 1) // 2 * 2, (w + 1) // 2 * 2), bool)
        full[:h, :w] = codes >= white
        quads = full[0::2, 0::2] | full[1::2, 0::2] | full[0::2, 1::2] | full[1::2, 1::2]
        np.testing.assert_array_equal(light.clipped > 0, quads)

    @PATIENT
    @given(places=st.lists(st.tuples(st.integers(0, 3000), st.integers(0, 255)), min_size=1, max_size=12))
    def test_damage_in_the_head_ends_in_a_picture_or_a_message(self, places: list[tuple[int, int]]) -> None:
        data = bytearray(self._small())
        for at, value in places:
            data[at % len(data)] = value
        self.path.write_bytes(data)
        for read in (read_dng, read_dng_meta, read_quick_metadata):
            try:
                read(self.path)
            except BrutoError as error:
                self.assertGreater(len(str(error)), 20)

    @PATIENT
    @given(share=st.floats(0, 1), picture=st.booleans())
    def test_a_file_cut_anywhere(self, share: float, picture: bool) -> None:
        files = taken("card", size=SMALL)[0]["files"]
        data = Path(files[1] if picture else files[0]).read_bytes()
        path = self.path.with_suffix(".jpg") if picture else self.path
        path.write_bytes(data[: int(share * len(data))])
        try:
            if picture:
                read_picture(path)
            else:
                linearise(read_dng(path))
        except BrutoError as error:
            self.assertIn(path.name, str(error))

    def _small(self) -> bytes:
        if not self.path.with_suffix(".base").exists():
            base = self.path.with_suffix(".base")
            write_dng(base, np.full((40, 50), 500, np.uint16), tags(), PREVIEW, SampleStorage(1, 16, None))
        return self.path.with_suffix(".base").read_bytes()


class AnyBytes(unittest.TestCase):
    """Parsers of what stands inside tags meet only bytes."""

    @settings(max_examples=300)
    @given(
        data=st.binary(max_size=400), opcode=st.integers(1, 20), counts=st.lists(st.integers(0, 2**32 - 1), max_size=12)
    )
    def test_parsers_end_in_a_value_or_a_message(self, data: bytes, opcode: int, counts: list[int]) -> None:
        body = struct.pack(f">{len(counts)}I", *counts) + data
        for read in (
            lambda: parse_opcodes(body, "list 2"),
            lambda: parse_gain_map(body, "list 2"),
            lambda: parse_correction(opcode, body, "list 2"),
            lambda: parse_warp(WARP_FISHEYE if opcode % 2 else WARP_RECTILINEAR, body, "list 3"),
            lambda: parse_vignette(body, "list 3"),
            lambda: parse_trim(body, "list 3"),
            lambda: parse_gain_table(body, ">", 1),
            lambda: parse_gain_table(body, "<", 2),
        ):
            try:
                read()
            except BrutoError:
                continue

    @settings(max_examples=100)
    @given(data=st.binary(max_size=300), order=st.sampled_from([b"II", b"MM"]))
    def test_profiles_of_any_bytes(self, data: bytes, order: bytes) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.dcp"
            magic = b"\x52\x43" if order == b"II" else b"\x43\x52"
            offset = b"\x08\0\0\0" if order == b"II" else b"\0\0\0\x08"
            path.write_bytes(order + magic + offset + data)
            try:
                read_profile(path)
            except BrutoError as error:
                self.assertIn("p.dcp", str(error))

    @given(order=st.sampled_from("<>"), kind=st.integers(0, 3), gamma=st.floats(0.25, 4))
    def test_local_gains_come_back(self, order: str, kind: int, gamma: float) -> None:
        table = replace(LOCAL, gamma=float(np.float32(gamma)))
        found = parse_gain_table(gain_table_body(table, order, 2, kind), order, 2)
        step = float(np.ptp(table.gains)) / (255 if kind == 0 else 65535)
        error = {0: step, 1: step, 2: 4 * 2**-10, 3: 1e-7}[kind]
        self.assertLessEqual(float(np.abs(found.gains - table.gains).max()), error)
        self.assertEqual((found.spacing, found.origin), (table.spacing, table.origin))

    @given(orientation=st.integers(1, 8), size=st.tuples(st.integers(1, 6), st.integers(1, 6)))
    def test_turning_is_undone(self, orientation: int, size: tuple[int, int]) -> None:
        picture = np.arange(size[0] * size[1]).reshape(size)
        np.testing.assert_array_equal(as_stored(orient(picture, orientation), orientation), picture)


if __name__ == "__main__":
    unittest.main()
