"""Every form a raw may have: written, read back as written, and read alike by an independent library where one can.

The table in docs/raw-variants.md is made by this test (BRUTO_WRITE_DOCS=1) and checked against it.
"""

from __future__ import annotations

import os
import tempfile
import unittest
import zlib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import rawpy
import tifffile

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
from bruto.container.dng_writer import DngTags, Storage
from bruto.container.profile import CameraProfile, GainTableMap, HueSatMap, read_profile
from bruto.container.rawframe import GainMap, GpsPlace, RawMeta, SemanticMask, shifted_cfa
from bruto.container.segments import SegmentLayout, _woven, decode_segment
from bruto.container.warps import Vignette, Warp
from bruto.errors import FileProblem
from bruto.simphone.capture import calibrations
from tests.again import write_dng, write_profile

TABLE = Path(__file__).resolve().parents[2] / "docs/raw-variants.md"
SIZE = (151, 211)
"""Height and width: odd, and no multiple of the tiles."""
RANDOM = np.random.default_rng(77)
PREVIEW = np.full((38, 53, 3), 90, np.uint8)
TILE = (64, 80)
STRIPS = Storage(1, tile=None)

STORAGES: tuple[tuple[str, Storage, bool, bool], ...] = (  # name, form, mosaic, whether rawpy reads it
    *((f"uncompressed, {b} bit packed, strips", Storage(1, b, None), True, True) for b in (10, 12, 14)),
    *(
        (f"uncompressed, {b} bit packed, big-endian", Storage(1, b, None, byteorder=">"), True, True)
        for b in (10, 12, 14)
    ),
    ("uncompressed, 8 bit", Storage(1, 8, None), True, True),
    ("uncompressed, 16 bit, little-endian", STRIPS, True, True),
    ("uncompressed, 16 bit, big-endian", replace(STRIPS, byteorder=">"), True, True),
    ("uncompressed, 16 bit, tiles", Storage(1, tile=TILE), True, True),
    ("uncompressed, 16 bit, raw image in IFD 0", replace(STRIPS, sub_ifd=False), True, True),
    ("uncompressed, 16 bit, BigTIFF", replace(STRIPS, big=True), True, False),
    (
        "uncompressed, 16 bit, BigTIFF, big-endian, raw image in IFD 0",
        replace(STRIPS, big=True, byteorder=">", sub_ifd=False),
        True,
        False,
    ),
    ("uncompressed, linear, 16 bit", STRIPS, False, True),
    *((f"uncompressed, {b}-bit floats", Storage(1, b, None, floating=True), False, False) for b in (16, 24, 32)),
    *((f"lossless JPEG, one component, {b} bit", Storage(7, b, TILE), True, True) for b in (8, 10, 12, 14, 16)),
    ("lossless JPEG, one component, raw image in IFD 0", Storage(7, 12, TILE, sub_ifd=False), True, True),
    ("lossless JPEG, one component, strips", Storage(7, 12, None), True, False),
    ("lossless JPEG, two components (interleaved mosaic)", Storage(7, 12, TILE, components=2), True, True),
    ("lossless JPEG, three components, 12 bit", Storage(7, 12, TILE, components=3), False, True),
    (
        "lossless JPEG, three components, 16 bit, big-endian",
        Storage(7, 16, TILE, components=3, byteorder=">"),
        False,
        True,
    ),
    *((f"deflate, predictor {p}", Storage(8, 16, TILE, predictor=p), True, False) for p in (1, 2, 34892, 34893)),
    ("deflate, predictor 2, big-endian", Storage(8, 16, TILE, predictor=2, byteorder=">"), True, False),
    *(
        (
            f"deflate, {b}-bit floats, predictor {p}{', big-endian' if o == '>' else ''}",
            Storage(8, b, TILE, predictor=p, byteorder=o, floating=True),
            False,
            False,
        )
        for b in (16, 32)
        for p in (3, 34894, 34895)
        for o in "<>"
    ),
    ("deflate, 24-bit floats, predictor 1", Storage(8, 24, TILE, floating=True), False, False),
    ("deflate, 16-bit floats, mosaic", Storage(8, 16, TILE, predictor=3, floating=True), True, False),
    ("JPEG XL, lossless mosaic", Storage(52546, 16, TILE), True, False),
    (
        "JPEG XL, lossless mosaic, rows and columns interleaved",
        Storage(52546, 16, TILE, interleave=(2, 2)),
        True,
        False,
    ),
    ("JPEG XL, lossless linear", Storage(52546, 16, TILE), False, False),
    ("JPEG XL, lossy linear", Storage(52546, 16, TILE, lossless=False), False, False),
    ("lossy JPEG, linear, 8 bit", Storage(34892, 8, TILE), False, False),
)


def tags(**values) -> DngTags:
    base = DngTags(
        black=np.full((2, 2), 64.0),
        white=np.array([4095.0]),
        bits=16,
        calibrations=calibrations(),
        as_shot_neutral=np.array([0.5, 1, 0.7]),
        cfa="RGGB",
        make="Vessar",
        model="Vessar Tide 4",
        iso=100.0,
        exposure_s=0.01,
        taken="2026:06:21 12:00:00",
    )
    return replace(base, **values)


def samples(how: Storage, mosaic: bool) -> np.ndarray:
    """Smooth light with noise, in the form's samples."""
    h, w = SIZE
    if how.components == 2:
        w += 1  # two columns make one of two components
    y, x = np.mgrid[0:h, 0:w]
    light = 0.35 + 0.2 * np.sin(x / 30) + 0.2 * np.cos(y / 25)
    if not mosaic:
        light = np.stack([light, 0.8 * light, 0.6 * light], axis=2)
    if how.lossless and how.compression != 34892:
        light = light + RANDOM.normal(0, 0.02, light.shape)
    light = np.clip(light, 0.01, 0.99)
    if how.floating:
        return light.astype({16: np.float16, 24: np.float16, 32: np.float32}[how.bits]).astype(
            np.float16 if how.bits == 16 else np.float32
        )
    return (light * ((1 << how.bits) - 1)).astype(np.uint8 if how.bits <= 8 else np.uint16)


def tags_for(how: Storage, mosaic: bool) -> DngTags:
    white = 1.0 if how.floating else float((1 << how.bits) - 1)
    black = np.zeros((2, 2) if mosaic else 3)
    return tags(black=black, white=np.array([white]), bits=how.bits, cfa="RGGB" if mosaic else "")


MOSAIC = (RANDOM.integers(70, 3000, SIZE)).astype(np.uint16)
LINEAR = (RANDOM.integers(70, 3000, (*SIZE, 3))).astype(np.uint16)
CURVE = np.stack([np.linspace(0, 1, 257), np.linspace(0, 1, 257) ** 0.6], axis=1)
GAINS = RANDOM.uniform(0.25, 4, (5, 7, 65)).astype(np.float32)
LOCAL = GainTableMap((0.25, 1 / 6), (0.0, 0.0), (0.2, 0.3, 0.1, 0.0, 0.1), GAINS)
HUES = HueSatMap(RANDOM.uniform(0.8, 1.2, (1, 12, 8, 3)).astype(np.float32))
LOOK = HueSatMap(RANDOM.uniform(0.8, 1.2, (4, 12, 8, 3)).astype(np.float32), 1)
THREE = (*calibrations(), replace(calibrations()[1], illuminant=11, color=calibrations()[1].color * 1.01))
UNIT = np.diag([1.02, 1.0, 0.97])
WHOLE = (0, 0, SIZE[0], SIZE[1], 0, 1, 1, 1)

Judge = Callable[[RawMeta, Path], str]


def states(**expected) -> Judge:
    """The fields of the metadata equal what was written."""

    def judge(meta: RawMeta, path: Path) -> str:
        for name, value in expected.items():
            np.testing.assert_allclose(np.asarray(getattr(meta, name), float), np.asarray(value, float), atol=2e-5)
        return "written values"

    return judge


def by_rawpy(check: Callable[[RawMeta, object], bool]) -> Judge:
    def judge(meta: RawMeta, path: Path) -> str:
        with rawpy.imread(str(path)) as raw:
            assert check(meta, raw)
        return "written values; rawpy"

    return judge


def same_colours(meta: RawMeta, raw: rawpy.RawPy) -> bool:
    """Which colour each site of the whole image has, by both."""
    pattern = shifted_cfa(meta.cfa, -meta.active_area[0] % 2, -meta.active_area[1] % 2)
    return pattern == "".join("RGBG"[k] for k in raw.raw_colors[:2, :2].ravel())


def matrices_by_tifffile(meta: RawMeta, path: Path) -> str:
    with tifffile.TiffFile(path) as tif:
        for k, tag in enumerate((50721, 50722)):
            pairs = np.array(tif.pages[0].tags[tag].value, float)
            np.testing.assert_allclose(meta.calibrations[k].color.ravel(), pairs[0::2] / pairs[1::2])
    assert all(c.forward is not None for c in meta.calibrations)
    return "written values; tifffile"


def opcodes(*names: str) -> Judge:
    def judge(meta: RawMeta, path: Path) -> str:
        assert meta.opcodes == names, meta.opcodes
        assert not meta.warnings, meta.warnings
        return "written values; effect in `test_corrections.py` and `test_lens.py`"

    return judge


def profile(check: Callable[[CameraProfile], None]) -> Judge:
    def judge(meta: RawMeta, path: Path) -> str:
        check(meta.profiles[0])
        return "written values"

    return judge


def same(found: np.ndarray | None, written: np.ndarray) -> None:
    assert found is not None
    np.testing.assert_allclose(found, written, rtol=1e-6, atol=2e-6)


def same_table(found: HueSatMap | None, written: HueSatMap) -> None:
    assert found is not None
    same(found.table, written.table)
    assert found.encoding == written.encoding


def same_gains(found: GainTableMap | None, written: GainTableMap) -> None:
    assert found is not None
    same(found.gains, written.gains)
    np.testing.assert_allclose(
        [*found.spacing, *found.origin, *found.weights, found.gamma],
        [*written.spacing, *written.origin, *written.weights, written.gamma],
        rtol=1e-6,
    )


def mask_as_written(meta: RawMeta, path: Path) -> str:
    assert [m.name for m in meta.semantic_masks] == ["Sky", "Skin"]
    for k, m in enumerate(meta.semantic_masks):
        assert m.data is not None and abs(float(m.data.mean()) - (200, 40)[k]) < 2
    return "written values, within the loss of JPEG"


def place_as_written(meta: RawMeta, path: Path) -> str:
    assert meta.gps is not None
    np.testing.assert_allclose(
        [meta.gps.latitude, meta.gps.longitude, meta.gps.altitude_m], [-12.5, 34.2512, 3.0], atol=1e-5
    )
    with tifffile.TiffFile(path) as tif:
        assert tif.pages[0].tags[34853].value["GPSLatitudeRef"] == "S"
    return "written values; tifffile"


def black_measured(meta: RawMeta, path: Path) -> str:
    np.testing.assert_allclose(meta.black, [[40, 44], [48, 52]])
    return "levels of the masked sites"


def masked() -> np.ndarray:
    codes = MOSAIC.copy()
    codes[:, :8] = np.tile([[40, 44], [48, 52]], (SIZE[0] // 2 + 1, 4))[: SIZE[0]]
    return codes


def extra_profiles(meta: RawMeta, path: Path) -> str:
    assert [p.name for p in meta.profiles] == ["Own", "Second", "Third"]
    same(meta.profiles[2].tone_curve, CURVE)
    same(meta.profiles[1].calibrations[0].color, calibrations()[0].color)
    return "written values"


def unit_left_out(meta: RawMeta, path: Path) -> str:
    assert all(c.camera_calibration is None for c in meta.calibrations)
    return "not used, as the signatures differ"


def unit_used(meta: RawMeta, path: Path) -> str:
    found = meta.calibrations[0].camera_calibration
    assert found is not None
    same(found, UNIT)
    return "written values"


def correction(opcode: int, values: np.ndarray) -> Correction:
    return Correction(opcode, WHOLE, values)


MAP = GainMap(0, 0, *SIZE, 0, 1, 1, 1, (0.5, 0.5), (0, 0), np.full((3, 3, 1), 1.5, np.float32))
WARP = Warp(1, np.array([[1.0, 0.02, 0.01, 0.0]]), np.array([[0.001, 0.002]]), (0.5, 0.5))
FORMS: tuple[tuple[str, np.ndarray, dict, Judge], ...] = (
    *((f"mosaic of phase {c}", MOSAIC, {"cfa": c}, by_rawpy(same_colours)) for c in ("RGGB", "BGGR", "GRBG", "GBRG")),
    *(
        (
            f"active area that shifts the phase by {x}, {y}",
            MOSAIC,
            {"active_area": (x, y, 180, 120)},
            by_rawpy(same_colours),
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
            write_dng(path, data, tags(**values), PREVIEW, Storage(1, 16, None))
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
