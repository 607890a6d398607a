"""Lenses, mishaps and the processed raw of the simulated phone: what it writes is what was said of it."""

from __future__ import annotations

import unittest

import cv2
import numpy as np
import rawpy
import tifffile

from bruto.container.dng_reader import read_dng
from bruto.container.linearisation import linearise
from bruto.errors import BrutoError
from bruto.simphone import processed_raw
from bruto.simphone import sensor_model as sm
from bruto.simphone.capture import Exposure, Phone
from bruto.simphone.optics import Mishap, mishandled, motion_kernel
from tests.shots import SMALL, raw_of


class Lenses(unittest.TestCase):
    def test_each_lens_has_its_view_noise_and_facts(self) -> None:
        for name, lens in sm.LENSES.items():
            meta = read_dng(raw_of("sluice", size=SMALL, lens=name, iso=400.0)).meta
            self.assertEqual(
                (meta.focal_35mm, meta.f_number, meta.focal_mm), (lens.focal_35mm, lens.f_number, lens.focal_mm)
            )
            assert meta.noise_profile is not None
            np.testing.assert_allclose(meta.noise_profile[0], sm.sensor_for(12, name).noise(400), rtol=1e-6)

    def test_wide_and_tele_see_the_same_place(self) -> None:
        """The middle of the wide view, enlarged by the ratio of focal lengths, is the main view."""
        wide, main = (Phone("pans", size=SMALL, lens=k) for k in ("wide", "main"))
        images = []
        for phone in (wide, main):
            m = phone._margin
            images.append(np.log(np.asarray(phone.truth[m:-m, m:-m, 1], np.float32) + 1e-3))
        ratio = 15 / 26
        h, w = images[0].shape
        cw, ch = round(w * ratio), round(h * ratio)
        crop = images[0][(h - ch) // 2 : (h + ch) // 2, (w - cw) // 2 : (w + cw) // 2]
        both = [cv2.resize(p, (96, 72), interpolation=cv2.INTER_AREA).ravel() for p in (crop, images[1])]
        self.assertGreater(float(np.corrcoef(*both)[0, 1]), 0.93)

    def test_lenses_the_phone_does_not_have(self) -> None:
        with self.assertRaisesRegex(BrutoError, "main, wide, tele"):
            Phone("pans", size=SMALL, lens="macro")
        with self.assertRaisesRegex(BrutoError, "48"):
            Phone("pans", 48, lens="wide")


class Mishaps(unittest.TestCase):
    def test_motion_is_a_line_of_its_length(self) -> None:
        """Standard deviation of an even line of length L is L / sqrt 12 along it, and that of a pixel across."""
        for length, degrees in ((6.0, 0.0), (9.5, 30.0), (14.0, 90.0)):
            kernel = motion_kernel(length, degrees)
            self.assertAlmostEqual(float(kernel.sum()), 1, places=5)
            y, x = np.mgrid[: kernel.shape[0], : kernel.shape[1]] - (kernel.shape[0] // 2)
            c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
            along, across = x * c - y * s, x * s + y * c
            self.assertAlmostEqual(float((kernel * along**2).sum()) ** 0.5, length / 12**0.5, delta=0.15)
            self.assertLess(float((kernel * across**2).sum()) ** 0.5, 0.45)

    def test_smear_keeps_the_light_and_veils_the_shadows(self) -> None:
        image = np.zeros((240, 320, 3), np.float32)
        image[100:140, 140:180] = 10
        seen = mishandled(image, Mishap(smear=0.2))
        self.assertAlmostEqual(float(seen.sum() / image.sum()), 1, delta=0.08)
        self.assertGreater(float(seen[60, 160, 1]), 0.01)

    def test_a_shaken_capture_is_softer_along_the_motion(self) -> None:
        still = Phone("card", size=SMALL)
        shaken = Phone("card", size=SMALL, mishap=Mishap(motion_px=8, motion_deg=0))
        exposure = still.meter()
        changes = []
        for phone in (still, shaken):
            green = phone.shoot(exposure, seed=2).ideal[0::2, 1::2]
            changes.append((float(np.abs(np.diff(green, axis=1)).mean()), float(np.abs(np.diff(green, axis=0)).mean())))
        self.assertLess(changes[1][0] / changes[0][0], 0.75)
        self.assertGreater(changes[1][1] / changes[0][1], changes[1][0] / changes[0][0])


class ProcessedRaw(unittest.TestCase):
    """The structure that processed raws of phones have, read back by other libraries."""

    def setUp(self) -> None:
        self.path = raw_of("pans", size=SMALL, kind="linear")

    def test_structure(self) -> None:
        with tifffile.TiffFile(self.path) as tiff:
            self.assertEqual(tiff.byteorder, ">")
            first = tiff.pages[0]
            h, w = first.shape[:2]
            self.assertEqual((first.compression, w, h), (7, SMALL[1], SMALL[0]))  # full size, as the sensor lies
            tags = {t.code: t.value for t in first.tags}
            self.assertEqual((tags[50778], tags[50779], tags[274]), (17, 21, 6))
            self.assertEqual(len(tags[50940]), 2 * processed_raw.POINTS)
            self.assertLess(tags[50730][0] / tags[50730][1], 0)
            parts = {int(p.tags[254].value): p for p in first.pages}
            raw = parts[0]
            self.assertEqual((raw.samplesperpixel, raw.compression, raw.is_tiled), (3, 7, True))
            table = raw.tags[50712].value
            self.assertEqual((len(table), max(table)), (4096, 65535))
            self.assertEqual(table[2047], table[4095])  # flat from below half way
            self.assertEqual((raw.tags[50714].count, raw.tags[50717].count), (3, 3))
            self.assertEqual(len(raw.tags[51041].value), 2)
            mask = next(p for code, p in parts.items() if code & 0x4 or code == 65540)
            self.assertEqual(mask.shape[:2], (SMALL[0] // 2, SMALL[1] // 2))
            self.assertEqual(mask.tags[52526].value, "Sky")

    def test_gain_table(self) -> None:
        meta = read_dng(self.path).meta
        table = meta.profiles[0].gain_table
        assert table is not None and meta.noise_reduction_applied is not None
        self.assertEqual(table.gains.shape, (9, 12, 257))
        self.assertAlmostEqual(sum(table.weights), 0.68, places=5)
        self.assertGreaterEqual(float(table.gains.min()), 0.25)
        self.assertLessEqual(float(table.gains.max()), 4.0)
        self.assertAlmostEqual(meta.noise_reduction_applied, 0.7, places=4)

    def test_values_equal_another_reader(self) -> None:
        frame = read_dng(self.path)
        with rawpy.imread(str(self.path)) as other:
            seen = other.raw_image_visible[..., :3].copy()
        assert frame.meta.linearisation is not None
        np.testing.assert_array_equal(frame.meta.linearisation[frame.codes], seen)

    def test_light_is_the_scene(self) -> None:
        """Within what four merged frames and the steps of the table leave."""
        phone = Phone("pans", size=SMALL)
        meta = read_dng(self.path).meta
        assert meta.iso and meta.exposure_s
        ideal = phone.shoot(Exposure(meta.iso, meta.exposure_s), kind="linear").ideal
        light = linearise(read_dng(self.path)).data
        seen = np.rot90(light, -1)
        good = (ideal > 0.02) & (ideal < 0.9)
        self.assertAlmostEqual(float(np.median(seen[good] / ideal[good])), 1, delta=0.002)

    def test_sky_mask_is_over_the_sky(self) -> None:
        meta = read_dng(self.path).meta
        mask = meta.semantic_masks[0]
        assert mask.data is not None
        turned_mask = np.rot90(mask.data, -1)
        self.assertGreater(float(turned_mask[:20].mean()), 240)
        self.assertLess(float(turned_mask[-20:].mean()), 10)
