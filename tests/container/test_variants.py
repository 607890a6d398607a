"""Every form a raw may have: written, read back as written, and read alike by an independent library where one can.

The table in docs/raw-variants.md is made by this test (BRUTO_WRITE_DOCS=1) and checked against it.
"""

from __future__ import annotations

import os
import tempfile
import unittest
import zlib
from dataclasses import replace
from pathlib import Path

import numpy as np
import rawpy

from bruto.container.corrections import (
    BAD_CONSTANT,
    BAD_LIST,
    DELTA_COLUMN,
    DELTA_ROW,
    MAP_POLYNOMIAL,
    MAP_TABLE,
    SCALE_COLUMN,
    SCALE_ROW,
    Correction,
)
from bruto.container.dng_reader import read_dng
from bruto.container.dng_writer import SampleStorage
from bruto.container.profile import CameraProfile, read_profile
from bruto.container.raw_frame import GainMap, GpsPlace, SemanticMask
from bruto.container.segments import SegmentLayout, _woven, decode_segment
from bruto.container.warps import Vignette, Warp
from bruto.errors import FileProblem
from bruto.simphone.capture import calibrations
from tests.again import write_dng, write_profile
from tests.container.judges import (
    Judge,
    black_measured,
    by_rawpy,
    extra_profiles,
    mask_as_written,
    masked,
    matrices_by_tifffile,
    opcodes,
    place_as_written,
    profile,
    same,
    same_colors,
    same_gains,
    same_table,
    states,
    unit_left_out,
    unit_used,
)
from tests.container.variants import (
    CURVE,
    HUES,
    LINEAR,
    LOCAL,
    LOOK,
    MOSAIC,
    PREVIEW,
    RANDOM,
    SIZE,
    STORAGES,
    TABLE,
    THREE,
    UNIT,
    WHOLE,
    samples,
    tags,
    tags_for,
)


def correction(opcode: int, values: np.ndarray) -> Correction:
    return Correction(opcode, WHOLE, values)


MAP = GainMap(0, 0, *SIZE, 0, 1, 1, 1, (0.5, 0.5), (0, 0), np.full((3, 3, 1), 1.5, np.float32))
WARP = Warp(1, np.array([[1.0, 0.02, 0.01, 0.0]]), np.array([[0.001, 0.002]]), (0.5, 0.5))
FORMS: tuple[tuple[str, np.ndarray, dict, Judge], ...] = (
    *((f"mosaic of phase {c}", MOSAIC, {"cfa": c}, by_rawpy(same_colors)) for c in ("RGGB", "BGGR", "GRBG", "GBRG")),
    *(
        (
            f"active area that shifts the phase by {x}, {y}",
            MOSAIC,
            {"active_area": (x, y, 180, 120)},
            by_rawpy(same_colors),
        )
        for x, y in ((1, 0), (0, 1), (1, 1))
    ),
    ("odd sizes", MOSAIC, {}, by_rawpy(lambda m, r: r.raw_image.shape == (m.height, m.width))),
    *(
        (
            f"orientation {k}",
            MOSAIC,
            {"orientation": k},
            by_rawpy(lambda m, r: r.sizes.flip == {1: 0, 3: 3, 6: 6, 8: 5}.get(m.orientation, r.sizes.flip))
            if k in (1, 3, 6, 8)
            else states(orientation=k),
        )
        for k in range(1, 9)
    ),
    ("default crop", MOSAIC, {"default_crop": (10, 8, 180, 120)}, states(default_crop=(10, 8, 180, 120))),
    ("default scale", MOSAIC, {"default_scale": (1.0, 2.0)}, states(default_scale=(1.0, 2.0))),
    ("black level pattern", MOSAIC, {"black": np.array([[60.0, 62], [64, 66]])}, states(black=[[60, 62], [64, 66]])),
    (
        "black level deltas",
        MOSAIC,
        {"black_rows": np.linspace(-3, 3, SIZE[0]), "black_columns": np.linspace(-2, 2, SIZE[1])},
        states(black_rows=np.linspace(-3, 3, SIZE[0]), black_columns=np.linspace(-2, 2, SIZE[1])),
    ),
    ("masked areas, stated", MOSAIC, {"masked_areas": ((0, 0, 8, 100),)}, states(masked_areas=[(0, 0, 8, 100)])),
    (
        "masked areas in place of a black level",
        masked(),
        {"masked_areas": ((0, 0, 8, 100),), "state_black": False},
        black_measured,
    ),
    (
        "white for each channel",
        LINEAR,
        {"cfa": "", "black": np.zeros(3), "white": np.array([4000.0, 4095, 3900])},
        states(white=[4000, 4095, 3900]),
    ),
    (
        "linearisation table",
        MOSAIC,
        {"linearisation": np.minimum(np.arange(4096) * 30, 65535).astype(np.uint16), "white": np.array([65535.0])},
        states(linearisation=np.minimum(np.arange(4096) * 30, 65535)),
    ),
    (
        "opcode list 1: bad pixels, constant",
        MOSAIC,
        {"code_corrections": (Correction(BAD_CONSTANT, values=np.array([0.0])),)},
        opcodes("list 1: FixBadPixelsConstant"),
    ),
    (
        "opcode list 1: bad pixels, list",
        MOSAIC,
        {"code_corrections": (Correction(BAD_LIST, points=np.array([[3, 4]])),)},
        opcodes("list 1: FixBadPixelsList"),
    ),
    (
        "opcode list 2: table",
        MOSAIC,
        {"light_corrections": (correction(MAP_TABLE, np.arange(0, 65536, 256.0)),)},
        opcodes("list 2: MapTable"),
    ),
    (
        "opcode list 2: polynomial",
        MOSAIC,
        {"light_corrections": (correction(MAP_POLYNOMIAL, np.array([0, 1.0, 0.1])),)},
        opcodes("list 2: MapPolynomial"),
    ),
    ("opcode list 2: gain map", MOSAIC, {"gain_maps": (MAP,)}, opcodes("list 2: GainMap")),
    *(
        (
            f"opcode list 2: {words}",
            MOSAIC,
            {"light_corrections": (correction(code, np.full(SIZE[axis], value)),)},
            opcodes(f"list 2: {name}"),
        )
        for code, words, name, axis, value in (
            (DELTA_ROW, "row deltas", "DeltaPerRow", 0, 0.01),
            (DELTA_COLUMN, "column deltas", "DeltaPerColumn", 1, 0.01),
            (SCALE_ROW, "row scales", "ScalePerRow", 0, 1.01),
            (SCALE_COLUMN, "column scales", "ScalePerColumn", 1, 1.01),
        )
    ),
    ("opcode list 3: rectilinear warp", MOSAIC, {"warps": (WARP,)}, opcodes("list 3: WarpRectilinear")),
    (
        "opcode list 3: rectilinear warp, three planes",
        MOSAIC,
        {
            "warps": (
                replace(
                    WARP, radial=np.array([[1, 0, 0, 0], [1, 0.01, 0, 0], [1, 0.02, 0, 0]]), tangential=np.zeros((3, 2))
                ),
            )
        },
        opcodes("list 3: WarpRectilinear"),
    ),
    (
        "opcode list 3: rectilinear warp, second form",
        MOSAIC,
        {"warps": (Warp(14, np.eye(1, 15), np.zeros((1, 2)), (0.5, 0.5), np.array([[0.0, 1.0]]), False),)},
        opcodes("list 3: WarpRectilinear2"),
    ),
    (
        "opcode list 3: fisheye warp",
        MOSAIC,
        {"warps": (Warp(2, np.array([[1.0, 0.01, 0, 0]]), np.zeros((1, 2)), (0.5, 0.5)),)},
        opcodes("list 3: WarpFisheye"),
    ),
    (
        "opcode list 3: radial vignette",
        MOSAIC,
        {"vignettes": (Vignette((0.3, 0.1, 0, 0, 0), (0.5, 0.5)),)},
        opcodes("list 3: FixVignetteRadial"),
    ),
    (
        "one illuminant",
        MOSAIC,
        {"calibrations": calibrations()[1:]},
        lambda m, _: str(len(m.calibrations) == 1 and "written values"),
    ),
    ("two illuminants, forward matrices", MOSAIC, {}, matrices_by_tifffile),
    (
        "three illuminants",
        MOSAIC,
        {"calibrations": THREE},
        lambda m, _: str(len(m.calibrations) == 3 and "written values"),
    ),
    (
        "calibration of the unit",
        MOSAIC,
        {"calibrations": tuple(replace(c, camera_calibration=UNIT) for c in calibrations())},
        unit_used,
    ),
    (
        "calibration of the unit for another profile",
        MOSAIC,
        {
            "calibrations": tuple(replace(c, camera_calibration=UNIT) for c in calibrations()),
            "camera_signature": "other",
        },
        unit_left_out,
    ),
    ("analog balance", MOSAIC, {"analog_balance": np.array([1.1, 1, 0.9])}, states(analog_balance=[1.1, 1, 0.9])),
    (
        "profile: hue and saturation map",
        MOSAIC,
        {"profile": CameraProfile("Own", hue_sat=(HUES, HUES))},
        profile(lambda p: [same_table(t, HUES) for t in p.hue_sat] and None),
    ),
    (
        "profile: look table",
        MOSAIC,
        {"profile": CameraProfile("Own", look=LOOK)},
        profile(lambda p: same_table(p.look, LOOK)),
    ),
    (
        "profile: tone curve",
        MOSAIC,
        {"profile": CameraProfile("Own", tone_curve=CURVE)},
        profile(lambda p: same(p.tone_curve, CURVE)),
    ),
    (
        "profile: local gain table, first form",
        LINEAR,
        {"cfa": "", "black": np.zeros(3), "profile": CameraProfile("Own", gain_table=LOCAL)},
        profile(lambda p: same_gains(p.gain_table, LOCAL)),
    ),
    (
        "profile: local gain table, second form",
        LINEAR,
        {"cfa": "", "black": np.zeros(3), "profile": CameraProfile("Own", gain_table=replace(LOCAL, gamma=0.5))},
        profile(lambda p: same_gains(p.gain_table, replace(LOCAL, gamma=0.5))),
    ),
    (
        "several profiles in one file",
        MOSAIC,
        {
            "profile": CameraProfile("Own"),
            "extra_profiles": (
                CameraProfile("Second", calibrations=calibrations()),
                CameraProfile("Third", tone_curve=CURVE),
            ),
        },
        extra_profiles,
    ),
    (
        "masks of sky and skin",
        LINEAR,
        {
            "cfa": "",
            "black": np.zeros(3),
            "masks": tuple(
                SemanticMask(n, 106, 76, np.full((76, 106), v, np.uint8)) for n, v in (("Sky", 200), ("Skin", 40))
            ),
        },
        mask_as_written,
    ),
    (
        "noise profile of one plane",
        MOSAIC,
        {"noise_profile": np.array([[1e-4, 1e-6]])},
        states(noise_profile=[[1e-4, 1e-6]]),
    ),
    (
        "noise profile of three planes",
        MOSAIC,
        {"noise_profile": np.tile([1e-4, 1e-6], (3, 1))},
        states(noise_profile=np.tile([1e-4, 1e-6], (3, 1))),
    ),
    (
        "baseline exposure, noise, sharpness, noise reduction applied",
        MOSAIC,
        {"baseline_exposure": -0.7, "baseline_noise": 0.8, "baseline_sharpness": 1.2, "noise_reduction_applied": 0.6},
        states(baseline_exposure=-0.7, baseline_noise=0.8, baseline_sharpness=1.2, noise_reduction_applied=0.6),
    ),
    (
        "Exif",
        MOSAIC,
        {"f_number": 1.9, "focal_mm": 5.9, "focal_35mm": 26.0},
        states(iso=100, exposure_s=0.01, f_number=1.9, focal_mm=5.9, focal_35mm=26),
    ),
    ("place (GPS)", MOSAIC, {"gps": GpsPlace(-12.5, 34.2512, 3.0)}, place_as_written),
    ("preview", MOSAIC, {}, by_rawpy(lambda m, r: m.preview_size == (53, 38) and len(r.extract_thumb().data) > 100)),
)


EVERYTHING = tags(
    cfa="",
    black=np.zeros(3),
    profile=CameraProfile("Own", hue_sat=(HUES,), look=LOOK, tone_curve=CURVE, gain_table=LOCAL),
    extra_profiles=(CameraProfile("Second", calibrations=calibrations()),),
    masks=(SemanticMask("Sky", 106, 76, np.full((76, 106), 90, np.uint8)),),
    warps=(WARP,),
    vignettes=(Vignette((0.3, 0.1, 0, 0, 0), (0.5, 0.5)),),
    gps=GpsPlace(-12.5, 34.2512, 3.0),
    linearisation=np.minimum(np.arange(4096) * 30, 65535).astype(np.uint16),
)
"""One file with most of what a processed raw brings."""


class Forms(unittest.TestCase):
    maxDiff = None

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_every_form_is_read_as_written_and_as_others_read_it(self) -> None:
        stored, held = [], []
        for name, how, mosaic, rawpy_can in STORAGES:
            data, path = samples(how, mosaic), self.folder / "v.dng"
            write_dng(path, data, tags_for(how, mosaic), PREVIEW, how)
            with self.subTest(name):
                frame = read_dng(path)
                self.assertEqual(frame.meta.kind, "mosaic" if mosaic else "linear")
                self.assertEqual(frame.meta.preview_size, (53, 38))
                if how.lossless and how.compression != 34892:
                    np.testing.assert_array_equal(frame.codes, data)
                    judged = "encoder, exact"
                else:
                    span = float((1 << how.bits) - 1)
                    self.assertLess(np.abs(frame.codes.astype(float) - data).mean() / span, 0.02)
                    judged = "encoder, within loss"
                if rawpy_can:
                    with rawpy.imread(str(path)) as raw:
                        other = raw.raw_image if mosaic else raw.raw_image.reshape(*SIZE, -1)[..., :3]
                        np.testing.assert_array_equal(frame.codes, other)
                    judged += "; rawpy, exact"
                stored.append(f"| {name} | yes | yes | {judged} |")
        for name, data, values, judge in FORMS:
            path = self.folder / "v.dng"
            write_dng(path, data, tags(**values), PREVIEW, SampleStorage(1, 16, None))
            with self.subTest(name):
                frame = read_dng(path)
                np.testing.assert_array_equal(frame.codes, data)
                held.append(f"| {name} | yes | yes | {judge(frame.meta, path)} |")
        self.check_table(stored, held)

    def check_table(self, stored: list[str], held: list[str]) -> None:
        head = "| form | read | written | equal to |\n|---|---|---|---|\n"
        text = (
            "# The raws that can be read\n\nMade by `tests/container/test_variants.py`, which writes each form, reads "
            "it back and compares. *Equal to* names what the values were compared with; unknown corrections that a "
            "file marks as optional are left out with a warning, required ones stop with a message.\n\n"
            "## How samples are stored\n\n"
            + head
            + "\n".join(stored)
            + "\n\n## What a file holds beside them\n\n"
            + head
            + "\n".join(held)
            + "\n"
        )
        if os.environ.get("BRUTO_WRITE_DOCS"):
            TABLE.write_text(text, "utf-8")
        self.assertEqual(TABLE.read_text("utf-8"), text)

    def test_a_profile_file_is_read_as_written(self) -> None:
        for order in "<>":
            written = CameraProfile(
                "Evening", calibrations(), (HUES, HUES), LOOK, CURVE, LOCAL, -0.5, "sig", "made for a test"
            )
            path = self.folder / "evening.dcp"
            write_profile(path, written, order)
            found = read_profile(path, "sig")
            same_table(found.look, LOOK)
            same_gains(found.gain_table, LOCAL)
            same(found.tone_curve, CURVE)
            same(found.calibrations[1].forward, calibrations()[1].forward)  # type: ignore[arg-type]
            self.assertEqual((found.name, found.baseline_offset, found.source), ("Evening", -0.5, str(path)))
            self.assertEqual(len(found.holds), 4)

    def test_damaged_profiles_are_a_clear_message(self) -> None:
        path = self.folder / "a.dcp"
        write_profile(path, CameraProfile("A", calibrations(), (HUES,), LOOK, CURVE))
        body = path.read_bytes()
        random = np.random.default_rng(5)
        for k in range(120):
            data = bytearray(body)
            if k < 40:
                data = data[: int(len(body) * k / 40)]
            else:
                for _ in range(6):
                    data[random.integers(0, min(len(data), 600))] = random.integers(0, 256)
            path.write_bytes(data)
            try:
                read_profile(path)
            except FileProblem as problem:
                self.assertIn("a.dcp", str(problem))

    def test_every_form_cut_short_is_a_clear_message(self) -> None:
        for name, how, mosaic, _ in STORAGES:
            path = self.folder / "cut.dng"
            write_dng(path, samples(how, mosaic), tags_for(how, mosaic), PREVIEW, how)
            body = path.read_bytes()
            for share in (0.3, 0.8, 0.99):
                path.write_bytes(body[: int(len(body) * share)])
                with self.subTest(name), self.assertRaisesRegex(FileProblem, "cut.dng"):
                    read_dng(path)

    def test_a_bomb_unfolds_no_further_than_its_place(self) -> None:
        bomb = zlib.compress(b"\0" * 50_000_000)
        found = decode_segment(bomb, SegmentLayout(8, 16, 1), 64, 64)
        self.assertEqual((found.shape, int(found.max())), ((64, 64), 0))

    def test_too_little_data_is_told(self) -> None:
        for compression, data in ((1, b"\0" * 100), (8, zlib.compress(b"\0" * 100))):
            with self.assertRaisesRegex(FileProblem, "where 8192 are needed"):
                decode_segment(data, SegmentLayout(compression, 16, 1), 64, 64)

    def test_weaving_is_the_inverse_of_taking_apart(self) -> None:
        for factors in ((2, 1), (1, 2), (2, 2), (3, 2), (4, 4)):
            whole = RANDOM.integers(0, 999, (37, 41))
            fields = np.concatenate([whole[k :: factors[0]] for k in range(factors[0])], axis=0)
            fields = np.concatenate([fields[:, k :: factors[1]] for k in range(factors[1])], axis=1)
            np.testing.assert_array_equal(_woven(fields, factors), whole)
