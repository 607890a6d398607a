"""Blur of known length and direction, focus, smear and hot sites, against the simulated truth."""

from __future__ import annotations

import unittest
from dataclasses import replace
from functools import cache

import cv2
import numpy as np

from bruto.container.dng_reader import read_dng
from bruto.container.raw_frame import RawFrame
from bruto.sensor.blur import edge_blur
from bruto.sensor.measurement import measure, oriented_degrees
from bruto.sensor.motion_blur import TILE, motion
from bruto.sensor.report import SensorReport
from bruto.simphone.capture import Exposure, Phone
from bruto.simphone.optics import Mishap, motion_kernel
from tests.extent import share
from tests.shots import raw_of

SIZE = (1512, 1134)


@cache
def phone(scene: str) -> Phone:
    return Phone(scene, size=SIZE)


@cache
def meta_of(scene: str):
    return read_dng(raw_of(scene, size=SIZE)).meta


def measured(scene: str, mishap: Mishap, seed: int = 3) -> SensorReport:
    """The report of a capture with a mishap."""
    p = phone(scene)
    p.mishap, p._blurred = mishap, None
    return measure(RawFrame(p.shoot(seed=seed).codes, meta_of(scene)))


def angle_between(a: float, b: float) -> float:
    return abs((a - b + 90) % 180 - 90)


class Edges(unittest.TestCase):
    def test_edges_in_noise_are_as_soft_as_they_are(self) -> None:
        """Bars of 3 EV under the photon noise of ISO 200 and 400."""
        y, x = np.mgrid[:700, :900]
        off = np.abs((x + 0.12 * y) / 90 % 2 - 1) * 90 - 45
        for blur in (0.5, 0.9, 1.2):
            bars = 0.04 + 0.28 * np.clip(off + 0.5, 0, 1)
            bars = cv2.GaussianBlur(bars, (0, 0), np.sqrt(blur**2 - 1 / 12))
            for a in (4.5e-4, 9e-4):
                noisy = bars + np.sqrt(a * bars) * np.random.default_rng(1).standard_normal(bars.shape)
                found = edge_blur(noisy.astype(np.float32), np.sqrt(a) / 2)
                assert found is not None, (blur, a)
                self.assertAlmostEqual(found, blur, delta=0.12)


class Motion(unittest.TestCase):
    def test_length_and_direction(self) -> None:
        """Within 1 px and 6 degrees from 5 px on."""
        every = (
            ("pans", 5, 90), ("pans", 9, 40), ("sluice", 12, 122), ("boiling-house", 8, 175), ("boiling-house", 20, 10),
            ("pans", 12, 90), ("boiling-house", 15, 88), ("pans", 5, 2), ("pans", 7, 4), ("boiling-house", 7, 86),
            ("sluice", 10, 177), ("sluice", 14, 95),
        )  # fmt: skip
        for scene, length, degrees in share(every, 2):
            with self.subTest(scene=scene, length=length):
                r = measured(scene, Mishap(motion_px=length, motion_deg=degrees))
                assert r.motion_px is not None and r.motion_degrees is not None
                self.assertAlmostEqual(r.motion_px, length, delta=1.0)
                self.assertLess(angle_between(r.motion_degrees, degrees), 6)
                self.assertTrue(any(a.topic == "sharpness" and "Camera shake" in a.text for a in r.advice))

    def test_a_still_or_defocused_shot_did_not_move(self) -> None:
        for scene in share(("pans", "card", "crystals", "sluice", "boiling-house"), 3):
            for mishap in (Mishap(), Mishap(defocus_px=2.0)):
                self.assertIsNone(measured(scene, mishap).motion_px, f"{scene} {mishap}")

    def test_pure_texture(self) -> None:
        """Noise-like textures, moved; the estimate needs no scene. The one for the long movement has the spectrum of
        photographs, amplitude over frequency (Field, JOSA A 4-12, 1987).
        """
        random = np.random.default_rng(2)
        white = random.normal(0, 1, (1200, 1200)).astype(np.float32)
        flat = cv2.GaussianBlur(0.3 + 0.1 * white, (0, 0), 0.7)
        f = np.hypot(np.fft.fftfreq(1200)[:, None], np.fft.rfftfreq(1200)[None])
        natural = np.fft.irfft2(np.fft.rfft2(white) / np.maximum(f, 1 / 600)).astype(np.float32)
        natural = cv2.GaussianBlur(0.3 + 0.08 * natural / natural.std(), (0, 0), 0.7)
        for length, degrees, texture in (
            (6.0, 30.0, flat), (14.0, 100.0, flat), (6.0, 70.0, natural), (24.0, 160.0, natural),
        ):  # fmt: skip
            moved = cv2.filter2D(texture, -1, motion_kernel(length, degrees))
            tiles = [moved[y : y + TILE, x : x + TILE] for y in range(50, 900, TILE) for x in range(50, 900, TILE)]
            found = motion(tiles, (1e-7, 1e-9))
            assert found is not None
            self.assertAlmostEqual(found.length_px, length, delta=1.0)
            self.assertLess(angle_between(found.degrees, degrees), 3)

    def test_directions_turn_with_the_picture(self) -> None:
        """A line drawn in a stored picture, turned as each orientation says, lies where `oriented_degrees` says."""
        from bruto.container.orientation import orient

        for orientation in range(1, 9):
            stored = np.zeros((61, 61), np.float32)
            d = np.radians(25.0)
            cv2.line(stored, (30, 30), (round(30 + 28 * np.cos(d)), round(30 - 28 * np.sin(d))), 1.0, 2)
            seen = orient(np.repeat(stored[..., None], 3, 2), orientation)[..., 0]
            y, x = np.nonzero(seen > 0.5)
            u = np.linalg.svd(np.stack([x - x.mean(), -(y - y.mean())]), full_matrices=False)[0][:, 0]
            self.assertLess(angle_between(np.degrees(np.arctan2(u[1], u[0])), oriented_degrees(25.0, orientation)), 4)


class Softness(unittest.TestCase):
    def test_focus(self) -> None:
        for scene, allowed in (("pans", 0.25), ("sluice", 0.35)):
            sharp, soft = (measured(scene, Mishap(defocus_px=d)).edge_blur_px for d in (0.0, 3.0))
            assert sharp is not None and soft is not None
            self.assertLess(sharp, 0.9)
            self.assertAlmostEqual(soft / 3.0, 1, delta=allowed)
        r = measured("pans", Mishap(defocus_px=3.0))
        self.assertTrue(any("focus" in a.text for a in r.advice))
        self.assertFalse(any(a.topic == "sharpness" for a in measured("pans", Mishap()).advice))

    def test_detail_falls_with_blur(self) -> None:
        values = [measured("pans", Mishap(defocus_px=d)).sharpest for d in (0.0, 0.8, 1.6)]
        self.assertEqual(values, sorted(values, reverse=True))
        self.assertLess(values[2], 0.6 * values[0])

    def test_noise_is_no_detail(self) -> None:
        """The same view at ISO 50 and 6400: the noisy one is not the sharper."""
        p = phone("sluice")
        p.mishap, p._blurred = Mishap(), None
        base = p.meter()
        values = []
        for iso in (50.0, 1600.0, 6400.0):
            capture = p.shoot(Exposure(iso, base.seconds * base.iso / iso), seed=4)
            meta = replace(meta_of("sluice"), noise_profile=np.tile(capture.noise, (3, 1)))
            values.append(measure(RawFrame(capture.codes, meta)).sharpest)
        self.assertLess(values[1], 1.15 * values[0])
        self.assertLess(values[2], 1.25 * values[0])


class StrayLight(unittest.TestCase):
    def test_a_smeared_lens_is_suspected_where_a_light_shows_it(self) -> None:
        for scene in ("boiling-house", "sluice"):
            self.assertFalse(measured(scene, Mishap()).smeared, scene)
            r = measured(scene, Mishap(smear=0.25))
            self.assertTrue(r.smeared, scene)
            assert r.glare_at_most is not None
            self.assertTrue(any("Wipe" in a.text for a in r.advice))

    def test_without_a_light_nothing_is_said(self) -> None:
        r = measured("pans", Mishap())
        self.assertEqual((r.glare_at_most, r.smeared, r.leak), (None, False, ""))

    def test_hot_sites_are_counted(self) -> None:
        frame = read_dng(raw_of("card", size=SIZE))
        base = measure(frame).hot_sites
        codes = frame.codes.copy()
        random = np.random.default_rng(6)
        n = 40
        for y, x in zip(
            random.integers(20, 1100, n) // 16 * 16 + 6, random.integers(20, 1480, n) // 16 * 16 + 6, strict=True
        ):
            codes[y, x] = 3500
        found = measure(RawFrame(codes, frame.meta, frame.preview)).hot_sites
        self.assertAlmostEqual(found - base, n, delta=4)
