"""Who says whether a variant was read right: what was written, and other libraries."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import rawpy
import tifffile

from bruto.container.profile import CameraProfile, GainTableMap, HueSatMap
from bruto.container.raw_frame import RawMeta, shifted_cfa
from bruto.simphone.capture import calibrations
from tests.container.variants import (
    CURVE,
    MOSAIC,
    SIZE,
    UNIT,
)

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


def same_colors(meta: RawMeta, raw: rawpy.RawPy) -> bool:
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
