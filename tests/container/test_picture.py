"""Finished pictures in: profiles, orientations, kinds and damage."""

from __future__ import annotations

import io
import struct
import unittest
import zlib
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from PIL import Image

from bruto.color.spaces import encode_srgb, working_to
from bruto.container.picture import (
    decode_jpeg,
    is_picture,
    picture_meta,
    read_picture,
    read_picture_facts,
    small_picture,
)
from bruto.errors import FileProblem
from bruto.export.icc import profile

PICTURE = np.random.default_rng(2).integers(40, 200, (40, 60, 3), np.uint8)


class Reading(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))

    def saved(self, name: str, image: Image.Image, **options) -> Path:
        path = self.folder / name
        image.save(path, **options)
        return path

    def test_kinds_and_modes_become_rgb(self) -> None:
        image = Image.fromarray(PICTURE)
        for name, kind in (
            ("a.png", image),
            ("b.tif", image),
            ("c.png", image.convert("L")),
            ("d.png", image.convert("RGBA")),
        ):
            found = read_picture(self.saved(name, kind))
            self.assertEqual(found.pixels.shape, (40, 60, 3), name)
        np.testing.assert_array_equal(read_picture(self.folder / "a.png").pixels, PICTURE)

    def test_a_wide_profile_is_converted(self) -> None:
        """Display P3 codes become the sRGB codes of the same colour."""
        color = np.array([0.3, 0.35, 0.25])
        code = np.round(255 * encode_srgb(working_to("display-p3") @ color)).astype(np.uint8)
        flat = Image.fromarray(np.broadcast_to(code, (8, 8, 3)).copy())
        found = read_picture(self.saved("p3.png", flat, icc_profile=profile("display-p3")))
        self.assertIn("P3", found.profile)
        expected = 255 * encode_srgb(working_to("srgb") @ color)
        self.assertLess(np.abs(found.pixels[0, 0] - expected).max(), 2)

    def test_heic_and_avif_with_profile_and_orientation(self) -> None:
        import pillow_heif

        pillow_heif.register_heif_opener()
        color = np.array([0.3, 0.35, 0.25])
        codes = np.round(255 * encode_srgb(working_to("display-p3") @ color * [[[1.0]], [[0.4]]])).astype(np.uint8)
        image = Image.fromarray(np.repeat(np.repeat(codes, 32, 0), 96, 1))  # bright above dark
        exif = Image.Exif()
        exif[274], exif[271] = 6, "Vessar"
        expected = 255 * encode_srgb(working_to("srgb") @ color)
        for name in ("a.heic", "a.avif", "a.jpg"):
            # a HEIC says its turn in its own way, which the writer at hand cannot: turned pixels are written
            shown = image.rotate(-90, expand=True) if name == "a.heic" else image
            exif[274] = 1 if name == "a.heic" else 6
            path = self.saved(name, shown, exif=exif, icc_profile=profile("display-p3"), quality=95)
            found, facts = read_picture(path), read_picture_facts(path)
            self.assertEqual((found.pixels.shape, facts.size, facts.make), ((96, 64, 3), (64, 96), "Vessar"), name)
            self.assertIn("P3", facts.profile)
            self.assertLess(np.abs(found.pixels[48, -8] - expected).max(), 5, name)  # turned clockwise: bright right
            self.assertLess(found.pixels[48, 8].mean(), found.pixels[48, -8].mean() - 30)
            small = small_picture(path, 48)
            self.assertEqual(max(small.shape), 48)
            self.assertLess(np.abs(small[24, -4].astype(float) - expected).max(), 6, name)

    def test_a_gain_map_for_bright_screens_is_told(self) -> None:
        marks = b'<x:xmpmeta><rdf:Description hdrgm:Version="1.0"/></x:xmpmeta>'
        path = self.saved("a.jpg", Image.fromarray(PICTURE), xmp=marks)
        self.assertTrue(read_picture_facts(path).gain_map)
        self.assertTrue(any("bright screens" in w for w in picture_meta(read_picture(path)).warnings))
        self.assertFalse(read_picture_facts(self.saved("b.jpg", Image.fromarray(PICTURE))).gain_map)

    def test_a_damaged_profile_counts_as_srgb(self) -> None:
        path = self.saved("a.png", Image.fromarray(PICTURE), icc_profile=b"no profile at all" * 20)
        np.testing.assert_array_equal(read_picture(path).pixels, PICTURE)
        self.assertIn("sRGB assumed", read_picture(path).profile)

    def test_orientation_is_applied(self) -> None:
        exif = Image.Exif()
        exif[274] = 6
        found = read_picture(self.saved("a.png", Image.fromarray(PICTURE), exif=exif))
        np.testing.assert_array_equal(found.pixels, np.rot90(PICTURE, 3))

    def test_shooting_data(self) -> None:
        exif = Image.Exif()
        exif[271], exif[272] = "Vessar", "Vessar Tide 4"
        sub = exif.get_ifd(34665)
        sub[33434], sub[34855], sub[33437], sub[36867] = 0.004, 320, 1.9, "2026:06:21 12:00:00"
        found = read_picture(self.saved("a.jpg", Image.fromarray(PICTURE), exif=exif))
        self.assertEqual((found.make, found.model, found.iso), ("Vessar", "Vessar Tide 4", 320))
        self.assertAlmostEqual(found.exposure_s or 0, 0.004)
        self.assertEqual(found.taken, "2026:06:21 12:00:00")

    def test_names(self) -> None:
        self.assertTrue(is_picture("A.JPG") and is_picture("b.tiff"))
        self.assertFalse(is_picture("a.dng") or is_picture("a.txt"))

    def test_truncated_anywhere(self) -> None:
        for name in ("a.jpg", "a.png", "a.tif"):
            data = self.saved(name, Image.fromarray(PICTURE)).read_bytes()
            for size in {0, 1, 8, 40, len(data) // 3, len(data) // 2, int(len(data) * 0.9)}:
                path = self.folder / f"cut-{size}-{name}"
                path.write_bytes(data[:size])
                with self.subTest(name=name, size=size), self.assertRaisesRegex(FileProblem, path.name):
                    read_picture(path)

    def test_claims_of_a_billion_pixels_take_no_memory(self) -> None:
        def chunk(kind: bytes, body: bytes) -> bytes:
            return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

        head = struct.pack(">2I5B", 60000, 60000, 8, 2, 0, 0, 0)
        path = self.folder / "bomb.png"
        path.write_bytes(
            b"\x89PNG\r\n\x1a\n"
            + chunk(b"IHDR", head)
            + chunk(b"IDAT", zlib.compress(b"0" * 100))
            + chunk(b"IEND", b"")
        )
        with self.assertRaisesRegex(FileProblem, "more pixels|cannot be read"):
            read_picture(path)

    def test_previews(self) -> None:
        stream = io.BytesIO()
        Image.fromarray(PICTURE).save(stream, "JPEG", quality=95)
        self.assertEqual(decode_jpeg(stream.getvalue()).shape, PICTURE.shape)
        for data in (b"", b"\xff\xd8\xff", stream.getvalue()[:200]):
            with self.assertRaises(FileProblem):
                decode_jpeg(data)
