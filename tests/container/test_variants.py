"""Every way in which the samples of a raw are stored: decoded value for value as they were written, and as rawpy
reads them.

The table in docs/raw-variants.md is made by this test (BRUTO_WRITE_DOCS=1) and checked against it.
"""

from __future__ import annotations

import os
import tempfile
import unittest
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import imagecodecs
import numpy as np
import rawpy
import tifffile

from bruto.container.dng_reader import read_dng
from bruto.container.segments import SegmentLayout, _woven, decode_segment
from bruto.errors import FileProblem

TABLE = Path(__file__).resolve().parents[2] / "docs/raw-variants.md"
SIZE = (150, 212)
"""Height and width: no multiple of the tiles."""
RANDOM = np.random.default_rng(77)


@dataclass(frozen=True)
class Variant:
    """One way to store a raw: `code` makes the bytes of a segment (rows, columns[, 3])."""

    name: str
    compression: int
    code: Callable[[np.ndarray], bytes]
    bits: int = 16
    mosaic: bool = True
    floating: bool = False
    tile: tuple[int, int] | None = (64, 80)
    byteorder: str = "<"
    predictor: int = 1
    bigtiff: bool = False
    tolerance: float = 0.0
    rawpy: bool = True
    interleave: tuple[int, int] = (1, 1)


def numbers(order: str) -> Callable[[np.ndarray], bytes]:
    return lambda a: a.astype(a.dtype.newbyteorder(order)).tobytes()


def packed(bits: int) -> Callable[[np.ndarray], bytes]:
    return lambda a: imagecodecs.packints_encode(np.ascontiguousarray(a).ravel(), bits, runlen=a.size // a.shape[0])


def ljpeg(bits: int) -> Callable[[np.ndarray], bytes]:
    return lambda a: imagecodecs.ljpeg_encode(np.ascontiguousarray(a), bitspersample=bits)


def ljpeg_components(bits: int, components: int) -> Callable[[np.ndarray], bytes]:
    def code(a: np.ndarray) -> bytes:
        shaped = a if a.ndim == 3 else np.ascontiguousarray(a).reshape(a.shape[0], -1, components)
        space = "rgb" if components == 3 else "unknown"
        return imagecodecs.jpeg8_encode(
            shaped, lossless=True, predictor=1, bitspersample=bits, colorspace=space, outcolorspace=space
        )

    return code


def deflated(predictor: int, order: str) -> Callable[[np.ndarray], bytes]:
    def code(a: np.ndarray) -> bytes:
        cube = a if a.ndim == 3 else a[..., None]
        if predictor in (2, 34892, 34893):
            step = {2: 1, 34892: 2, 34893: 4}[predictor]
            difference = cube.copy()
            difference[:, step:] = cube[:, step:] - cube[:, :-step]
            return zlib.compress(difference.astype(difference.dtype.newbyteorder(order)).tobytes())
        if predictor in (3, 34894, 34895):
            step = {3: 1, 34894: 2, 34895: 4}[predictor]
            big = np.ascontiguousarray(cube.astype(cube.dtype.newbyteorder(">")))
            return zlib.compress(bytes(imagecodecs.floatpred_encode(big, axis=-2, dist=step)))
        return zlib.compress(cube.astype(cube.dtype.newbyteorder(order)).tobytes())

    return code


def jxl(**options) -> Callable[[np.ndarray], bytes]:
    return lambda a: imagecodecs.jpegxl_encode(np.ascontiguousarray(a), **options)


def jxl_woven(a: np.ndarray) -> bytes:
    """Rows and columns of a tile taken apart into two fields each, as mosaics are stored for better coding."""
    fields = np.concatenate([a[0::2], a[1::2]], axis=0)
    fields = np.concatenate([fields[:, 0::2], fields[:, 1::2]], axis=1)
    return imagecodecs.jpegxl_encode(np.ascontiguousarray(fields), lossless=True)


VARIANTS = (
    *(Variant(f"uncompressed, {b} bit packed, strips", 1, packed(b), b, tile=None) for b in (10, 12, 14)),
    *(
        Variant(f"uncompressed, {b} bit packed, big-endian", 1, packed(b), b, byteorder=">", tile=None)
        for b in (10, 12, 14)
    ),
    Variant("uncompressed, 8 bit", 1, numbers("<"), 8, tile=None),
    Variant("uncompressed, 16 bit, little-endian", 1, numbers("<"), tile=None),
    Variant("uncompressed, 16 bit, big-endian", 1, numbers(">"), byteorder=">", tile=None),
    Variant("uncompressed, 16 bit, tiles", 1, numbers("<")),
    Variant("uncompressed, 16 bit, BigTIFF", 1, numbers("<"), bigtiff=True, tile=None, rawpy=False),
    Variant("uncompressed, linear, 16 bit", 1, numbers("<"), mosaic=False, tile=None),
    *(Variant(f"lossless JPEG, one component, {b} bit", 7, ljpeg(b), b) for b in (10, 12, 14, 16)),
    Variant("lossless JPEG, one component, strips", 7, ljpeg(12), 12, tile=None, rawpy=False),
    Variant("lossless JPEG, two components (interleaved mosaic)", 7, ljpeg_components(12, 2), 12),
    Variant("lossless JPEG, three components, 12 bit", 7, ljpeg_components(12, 3), 12, mosaic=False),
    Variant("lossless JPEG, three components, 16 bit, "
            "big-endian", 7, ljpeg_components(16, 3), mosaic=False, byteorder=">"),
    *(Variant(f"deflate, predictor {p}", 8, deflated(p, "<"), predictor=p, rawpy=False) for p in (1, 2, 34892, 34893)),
    Variant("deflate, predictor 2, big-endian", 8, deflated(2, ">"), predictor=2, byteorder=">", rawpy=False),
    *(
        Variant(f"deflate, {b}-bit floats, predictor "
                f"{p}{', big-endian' if o == '>' else ''}", 8, deflated(p, o), b, False, True,
                predictor=p, byteorder=o, rawpy=False)
        for b in (16, 32) for p in (3, 34894, 34895) for o in "<>"
    ),
    Variant("deflate, 16-bit floats, mosaic", 8, deflated(3, "<"), 16, True, True, predictor=3, rawpy=False),
    Variant("JPEG XL, lossless mosaic", 52546, jxl(lossless=True), rawpy=False),
    Variant("JPEG XL, lossless mosaic, rows and columns interleaved", 52546, jxl_woven, interleave=(2, 2), rawpy=False),
    Variant("JPEG XL, lossless linear", 52546, jxl(lossless=True), mosaic=False, rawpy=False),
    Variant("JPEG XL, lossy linear", 52546, jxl(distance=0.3), mosaic=False, tolerance=0.01, rawpy=False),
    Variant("lossy JPEG, linear, 8 bit", 34892, lambda a: imagecodecs.jpeg8_encode(a, level=98), 8, mosaic=False,
            tolerance=0.02, rawpy=False),
)  # fmt: skip


def image(v: Variant) -> np.ndarray:
    """Smooth light with noise, in the variant's samples."""
    h, w = SIZE
    y, x = np.mgrid[0:h, 0:w]
    light = 0.35 + 0.2 * np.sin(x / 30) + 0.2 * np.cos(y / 25)
    if not v.mosaic:
        light = np.stack([light, 0.8 * light, 0.6 * light], axis=2)
    if v.tolerance == 0:
        light = light + RANDOM.normal(0, 0.02, light.shape)
    light = np.clip(light, 0.01, 0.99)
    if v.floating:
        return light.astype(np.float16 if v.bits == 16 else np.float32)
    return (light * ((1 << v.bits) - 1)).astype(np.uint8 if v.bits <= 8 else np.uint16)


def segments(v: Variant, data: np.ndarray) -> list[bytes]:
    h, w = data.shape[:2]
    if v.tile is None:
        return [v.code(data[y : y + 32]) for y in range(0, h, 32)]
    th, tw = v.tile
    found = []
    for y in range(0, h, th):
        for x in range(0, w, tw):
            part = data[y : y + th, x : x + tw]
            fill = [(0, th - part.shape[0]), (0, tw - part.shape[1])] + [(0, 0)] * (part.ndim - 2)
            found.append(v.code(np.pad(part, fill, mode="edge")))
    return found


def write(v: Variant, data: np.ndarray, path: Path) -> None:
    """A minimal DNG with the raw image in IFD 0, its directory written field by field."""
    h, w = data.shape[:2]
    samples = 1 if v.mosaic else 3
    order = v.byteorder
    count_kind = 16 if v.bigtiff else 4
    white = 1 if v.floating else (1 << v.bits) - 1
    parts = segments(v, data)
    matrix = [10000, 10000, 0, 10000, 0, 10000, 0, 10000, 10000, 10000, 0, 10000, 0, 10000, 0, 10000, 10000, 10000]
    tags: list[tuple[int, int, list]] = [
        (254, 4, [0]), (256, 4, [w]), (257, 4, [h]), (258, 3, [v.bits] * samples), (259, 3, [v.compression]),
        (262, 3, [32803 if v.mosaic else 34892]), (274, 3, [1]), (277, 3, [samples]), (284, 3, [1]),
        (317, 3, [v.predictor]), (339, 3, [3 if v.floating else 1] * samples), (50706, 1, [1, 7, 0, 0]),
        (50707, 1, [1, 1, 0, 0]), (50708, 2, list(b"A phone\0")), (50714, 3, [0]), (50717, 4, [white] * samples),
        (50721, 10, matrix), (50728, 5, [1, 1, 1, 1, 1, 1]), (50778, 3, [21]),
        (50719, 4, [0, 0]), (50720, 4, [w, h]),
    ]  # fmt: skip
    if v.mosaic:
        tags += [(33421, 3, [2, 2]), (33422, 1, [0, 1, 1, 2])]
    if v.interleave != (1, 1):
        tags += [(50975, 4, [v.interleave[0]]), (52547, 4, [v.interleave[1]])]
    if v.tile is None:
        tags += [(278, 4, [32]), (273, count_kind, [0] * len(parts)), (279, count_kind, [len(p) for p in parts])]
    else:
        tags += [(322, 4, [v.tile[1]]), (323, 4, [v.tile[0]])]
        tags += [(324, count_kind, [0] * len(parts)), (325, count_kind, [len(p) for p in parts])]
    formats = {1: "B", 2: "B", 3: "H", 4: "I", 5: "I", 10: "i", 16: "Q"}
    head = 16 if v.bigtiff else 8
    entry, count_size = (20, 8) if v.bigtiff else (12, 2)
    room = 8 if v.bigtiff else 4
    tags.sort(key=lambda t: t[0])
    at = head + count_size + entry * len(tags) + room
    blobs, places = [], {}
    for tag, kind, values in tags:
        body = np.array(values, np.dtype(order + formats[kind])).tobytes() if kind > 2 else bytes(values)
        if len(body) > room:
            places[tag] = at
            blobs.append(body + b"\0" * (len(body) % 2))
            at += len(blobs[-1])
    starts = []
    for part in parts:
        starts.append(at)
        at += len(part)

    def integer(value: int, size: int) -> bytes:
        return value.to_bytes(size, "little" if order == "<" else "big")

    mark = b"II" if order == "<" else b"MM"
    out = mark + (
        integer(43, 2) + integer(8, 2) + integer(0, 2) + integer(16, 8) if v.bigtiff else integer(42, 2) + integer(8, 4)
    )
    out += integer(len(tags), count_size)
    tail = b""
    for tag, kind, values in tags:
        if tag in (273, 324):
            values = starts
        body = np.array(values, np.dtype(order + formats[kind])).tobytes() if kind > 2 else bytes(values)
        count = len(values) // (2 if kind in (5, 10) else 1)
        out += integer(tag, 2) + integer(kind, 2) + integer(count, 8 if v.bigtiff else 4)
        if tag in places:
            out += integer(places[tag], room)
            tail += body + b"\0" * (len(body) % 2)
        else:
            out += body.ljust(room, b"\0")
    out += integer(0, room) + tail + b"".join(parts)
    path.write_bytes(out)


class Stored(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_every_variant_is_read_as_written_and_as_rawpy_reads_it(self) -> None:
        rows = []
        for v in VARIANTS:
            data, path = image(v), self.folder / "v.dng"
            write(v, data, path)
            independent = "—"
            with self.subTest(v.name):
                frame = read_dng(path)
                self.assertEqual(frame.meta.kind, "mosaic" if v.mosaic else "linear")
                if v.tolerance:
                    span = float((1 << v.bits) - 1)
                    self.assertLess(np.abs(frame.codes.astype(float) - data).mean() / span, v.tolerance)
                    independent = "encoder, within loss"
                else:
                    np.testing.assert_array_equal(frame.codes, data)
                    independent = "encoder, exact"
                if v.rawpy:
                    with rawpy.imread(str(path)) as raw:
                        other = raw.raw_image if v.mosaic else raw.raw_image.reshape(*SIZE, -1)[..., :3]
                        np.testing.assert_array_equal(frame.codes, other)
                    independent += "; rawpy, exact"
            rows.append(f"| {v.name} | yes | {independent} |")
        text = (
            "# How raw samples may be stored\n\nMade by `tests/container/test_variants.py`. *Read* is by Bruto; the "
            "last "
            "column names what the values were compared with.\n\n| variant | read | equal to |\n|---|---|---|\n"
            + "\n".join(rows) + "\n"
        )  # fmt: skip
        if os.environ.get("BRUTO_WRITE_DOCS"):
            TABLE.write_text(text, "utf-8")
        self.assertEqual(TABLE.read_text("utf-8"), text)

    def test_tifffile_agrees_on_the_structure(self) -> None:
        for v in VARIANTS[:4]:
            path = self.folder / "v.dng"
            write(v, image(v), path)
            with tifffile.TiffFile(path) as tif:
                page = tif.pages[0]
                self.assertEqual((page.imagelength, page.imagewidth, page.bitspersample), (*SIZE, v.bits))

    def test_every_variant_cut_short_is_a_clear_message(self) -> None:
        for v in VARIANTS:
            path = self.folder / "cut.dng"
            write(v, image(v), path)
            body = path.read_bytes()
            for share in (0.3, 0.8, 0.99):
                path.write_bytes(body[: int(len(body) * share)])
                with self.subTest(v.name), self.assertRaisesRegex(FileProblem, "cut.dng"):
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
