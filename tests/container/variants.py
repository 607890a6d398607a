"""Raws in every form of storage, with what each holds."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from bruto.container.dng_writer import DngTags, SampleStorage
from bruto.container.profile import GainTableMap, HueSatMap
from bruto.simphone.capture import calibrations

TABLE = Path(__file__).resolve().parents[2] / "docs/raw-variants.md"


SIZE = (151, 211)
"""Height and width: odd, and no multiple of the tiles."""


RANDOM = np.random.default_rng(77)


PREVIEW = np.full((38, 53, 3), 90, np.uint8)


TILE = (64, 80)


STRIPS = SampleStorage(1, tile=None)


STORAGES: tuple[tuple[str, SampleStorage, bool, bool], ...] = (  # name, form, mosaic, whether rawpy reads it
    *((f"uncompressed, {b} bit packed, strips", SampleStorage(1, b, None), True, True) for b in (10, 12, 14)),
    *(
        (f"uncompressed, {b} bit packed, big-endian", SampleStorage(1, b, None, byteorder=">"), True, True)
        for b in (10, 12, 14)
    ),
    ("uncompressed, 8 bit", SampleStorage(1, 8, None), True, True),
    ("uncompressed, 16 bit, little-endian", STRIPS, True, True),
    ("uncompressed, 16 bit, big-endian", replace(STRIPS, byteorder=">"), True, True),
    ("uncompressed, 16 bit, tiles", SampleStorage(1, tile=TILE), True, True),
    ("uncompressed, 16 bit, raw image in IFD 0", replace(STRIPS, sub_ifd=False), True, True),
    ("uncompressed, 16 bit, BigTIFF", replace(STRIPS, big=True), True, False),
    (
        "uncompressed, 16 bit, BigTIFF, big-endian, raw image in IFD 0",
        replace(STRIPS, big=True, byteorder=">", sub_ifd=False),
        True,
        False,
    ),
    ("uncompressed, linear, 16 bit", STRIPS, False, True),
    *((f"uncompressed, {b}-bit floats", SampleStorage(1, b, None, floating=True), False, False) for b in (16, 24, 32)),
    *((f"lossless JPEG, one component, {b} bit", SampleStorage(7, b, TILE), True, True) for b in (8, 10, 12, 14, 16)),
    ("lossless JPEG, one component, raw image in IFD 0", SampleStorage(7, 12, TILE, sub_ifd=False), True, True),
    ("lossless JPEG, one component, strips", SampleStorage(7, 12, None), True, False),
    ("lossless JPEG, two components (interleaved mosaic)", SampleStorage(7, 12, TILE, components=2), True, True),
    ("lossless JPEG, three components, 12 bit", SampleStorage(7, 12, TILE, components=3), False, True),
    (
        "lossless JPEG, three components, 16 bit, big-endian",
        SampleStorage(7, 16, TILE, components=3, byteorder=">"),
        False,
        True,
    ),
    *((f"deflate, predictor {p}", SampleStorage(8, 16, TILE, predictor=p), True, False) for p in (1, 2, 34892, 34893)),
    ("deflate, predictor 2, big-endian", SampleStorage(8, 16, TILE, predictor=2, byteorder=">"), True, False),
    *(
        (
            f"deflate, {b}-bit floats, predictor {p}{', big-endian' if o == '>' else ''}",
            SampleStorage(8, b, TILE, predictor=p, byteorder=o, floating=True),
            False,
            False,
        )
        for b in (16, 32)
        for p in (3, 34894, 34895)
        for o in "<>"
    ),
    ("deflate, 24-bit floats, predictor 1", SampleStorage(8, 24, TILE, floating=True), False, False),
    ("deflate, 16-bit floats, mosaic", SampleStorage(8, 16, TILE, predictor=3, floating=True), True, False),
    ("JPEG XL, lossless mosaic", SampleStorage(52546, 16, TILE), True, False),
    (
        "JPEG XL, lossless mosaic, rows and columns interleaved",
        SampleStorage(52546, 16, TILE, interleave=(2, 2)),
        True,
        False,
    ),
    ("JPEG XL, lossless linear", SampleStorage(52546, 16, TILE), False, False),
    ("JPEG XL, lossy linear", SampleStorage(52546, 16, TILE, lossless=False), False, False),
    ("lossy JPEG, linear, 8 bit", SampleStorage(34892, 8, TILE), False, False),
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


def samples(how: SampleStorage, mosaic: bool) -> np.ndarray:
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


def tags_for(how: SampleStorage, mosaic: bool) -> DngTags:
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
