"""What the preview warns of, its sign, and the advice that follows; kept measures."""

from __future__ import annotations

import os
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import cv2
import numpy as np

from bruto.color.spaces import encode_srgb
from bruto.container.dng_reader import read_dng
from bruto.container.raw_frame import RawFrame
from bruto.sensor import measure_cache
from bruto.sensor.advice import HandSteadiness, Offer, advise, next_setting, time_text
from bruto.sensor.measurement import measure
from bruto.sensor.noise import blocks_of
from bruto.sensor.planes import planes_of
from bruto.sensor.report import LIGHT_EV
from bruto.sensor.viewfinder import offset_ev, warning_of
from tests.sensor.test_report import flat_frame
from tests.shots import MIDDLE, SMALL, copy_of, raw_of


def ramp_frame() -> RawFrame:
    """Grey light rising over 7 stops to saturation, in all channels alike."""
    light = np.exp2(np.linspace(-7, 0.3, 640))[None].repeat(480, 0)
    codes = np.minimum(100 + 1000 * light, 1100).astype(np.uint16)
    base = flat_frame().meta
    return RawFrame(
        codes, replace(base, width=640, height=480, active_area=(0, 0, 640, 480), default_crop=(0, 0, 640, 480))
    )


class Offsets(unittest.TestCase):
    def test_a_known_gain_is_read_with_its_sign(self) -> None:
        """A picture that is its raw times 2^ev in sRGB warns ev stops early; to a sixth of a stop."""
        frame = ramp_frame()
        light = (frame.codes - 100.0) / 1000
        blocks = blocks_of(planes_of(frame))
        for ev in (-0.7, -0.3, 0.0, 0.5, 0.8, 2.0):
            code = np.clip(255 * encode_srgb(np.clip(light * 2.0**ev, 0, 1)), 0, 255).astype(np.uint8)
            found = offset_ev(np.repeat(code[..., None], 3, 2), blocks)
            assert found is not None
            self.assertAlmostEqual(found, ev, delta=0.17, msg=f"{ev} EV")

    def test_nothing_bright_nothing_said(self) -> None:
        frame = ramp_frame()
        dark = RawFrame((100 + (frame.codes - 100) // 16).astype(np.uint16), frame.meta)
        self.assertIsNone(offset_ev(np.full((480, 640, 3), 30, np.uint8), blocks_of(planes_of(dark))))

    def test_sizes_may_differ(self) -> None:
        frame = ramp_frame()
        code = (255 * encode_srgb(np.clip((frame.codes - 100.0) / 500, 0, 1))).astype(np.uint8)
        small = cv2.resize(np.repeat(code[..., None], 3, 2), (160, 120), interpolation=cv2.INTER_AREA)
        found = warning_of(small, blocks_of(planes_of(frame)))
        self.assertAlmostEqual(found.offset_ev or 0, 1.0, delta=0.17)
        self.assertGreater(found.clipped_percent["all"], 10)

    def test_the_advice_says_early_or_late(self) -> None:
        r = measure(read_dng(raw_of("pans", size=MIDDLE)))
        assert r.preview_offset_ev is not None
        text = next(a.text for a in r.advice if a.topic == "preview")
        self.assertIn("early" if r.preview_offset_ev > 0 else "late", text)
        self.assertIn("stand-in", text)


class NextShot(unittest.TestCase):
    offer = Offer((50.0, 100.0, 200.0, 400.0, 800.0), tuple(1 / d for d in (4000, 2000, 1000, 500, 250, 125, 60, 30)))

    def meta(self, iso: float, seconds: float):
        return replace(flat_frame().meta, iso=iso, exposure_s=seconds, focal_35mm=26.0)

    def test_too_bright_lowers_the_iso_before_the_time(self) -> None:
        found = next_setting(self.meta(400, 1 / 500), -1.0, self.offer)
        assert found is not None
        self.assertEqual((found.iso, found.seconds), (200, 1 / 500))
        found = next_setting(self.meta(50, 1 / 500), -1.0, self.offer)
        assert found is not None
        self.assertEqual((found.iso, found.seconds), (50, 1 / 1000))
        self.assertAlmostEqual(found.ev, -1.0)

    def test_room_lengthens_the_time_and_says_when_a_tripod_is_needed(self) -> None:
        found = next_setting(self.meta(50, 1 / 500), 1.0, self.offer)
        assert found is not None
        self.assertEqual((found.iso, found.seconds, found.tripod), (50, 1 / 250, False))
        found = next_setting(self.meta(50, 1 / 30), 2.0, replace(self.offer, seconds=(1 / 30, 1 / 8)))
        assert found is not None
        self.assertTrue(found.tripod)

    def test_a_hand_that_is_learnt_goes_before_the_rule(self) -> None:
        steady, shaky = (replace(self.offer, hand=HandSteadiness(s, 40)) for s in (26 / 20, 26 / 300))
        for offer, tripod in ((steady, False), (shaky, True), (self.offer, False)):
            found = next_setting(self.meta(50, 1 / 250), 1.0, offer)
            assert found is not None
            self.assertEqual((found.seconds, found.tripod), (1 / 125, tripod))
        dark = replace(measure(flat_frame()), headroom_ev=2.0, motion_px=4.0, motion_degrees=5.0)
        notice = advise(dark, self.meta(50, 1 / 250), shaky)
        self.assertIn("at 26 mm, 9 of 10 of your handheld shots are sharp at 1/300 s (from 40 shots)", next(
            a.text for a in notice if a.topic == "setting"
        ))  # fmt: skip
        self.assertIn(
            "At 26 mm, 9 of 10 of your handheld shots are sharp at 1/300 s",
            next(a.text for a in notice if a.topic == "sharpness"),
        )

    def test_what_the_viewfinder_did_on_other_shots_is_told(self) -> None:
        early = replace(measure(flat_frame()), preview_offset_ev=1.0)
        notice = advise(early, self.meta(50, 1 / 250), replace(self.offer, viewfinder=(0.6, 12)))
        text = next(a.text for a in notice if a.topic == "preview")
        self.assertTrue(text.endswith("On 12 shots of this phone it came 0.6 EV early."), text)

    def test_never_more_than_was_said(self) -> None:
        """What the phone offers is rounded so that nothing is lost: never brighter than advised."""
        for ev in (-1.0, -2 / 3, 1 / 3, 2 / 3, 1.0):
            found = next_setting(self.meta(50, 1 / 250), ev, self.offer)
            assert found is not None
            self.assertLessEqual(found.ev, ev + 1 / 12 + 1e-9)

    def test_unknown_settings_get_no_numbers(self) -> None:
        self.assertIsNone(next_setting(flat_frame().meta, 1.0, self.offer))
        self.assertEqual((time_text(1 / 250), time_text(13.0)), ("1/250 s", "13 s"))


class FullOrBinned(unittest.TestCase):
    def test_compared_at_equal_size(self) -> None:
        from bruto.simphone.sensor_model import sensor_for

        offer = Offer((), (), sensor_for(12).noise(800), sensor_for(48).noise(800))
        r = measure(read_dng(raw_of("card", size=SMALL, iso=800.0)), offer)
        advice = next(a for a in r.advice if a.topic == "resolution")
        x = 0.18 / 16
        (a, b), (fa, fb) = sensor_for(12).noise(800), sensor_for(48).noise(800)
        self.assertAlmostEqual(advice.value, float(np.sqrt((fa * x + fb) / 4 / (a * x + b))), places=6)


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(self.folder / "cache")}))
        (self.raw,) = copy_of([raw_of("card", size=SMALL)], self.folder)

    def test_measured_once_and_found_under_any_name(self) -> None:
        first = measure_cache.measured(self.raw)
        moved = self.raw.rename(self.folder / "other.dng")
        with mock.patch("bruto.sensor.measure_cache.measure", side_effect=AssertionError):
            self.assertEqual(measure_cache.measured(moved), first)

    def test_changed_content_or_method_is_measured_anew(self) -> None:
        measure_cache.measured(self.raw)
        with mock.patch("bruto.sensor.measure_cache.MEASURE_VERSION", 999):
            self.assertIsNone(measure_cache.cached_report(self.raw))
        data = bytearray(self.raw.read_bytes())
        data[-1000] ^= 1
        self.raw.write_bytes(bytes(data))
        self.assertIsNone(measure_cache.cached_report(self.raw))

    def test_a_damaged_entry_counts_as_none(self) -> None:
        first = measure_cache.measured(self.raw)
        (entry,) = (self.folder / "cache").rglob("*.json")
        entry.write_text("{}")
        self.assertIsNone(measure_cache.cached_report(self.raw))
        self.assertEqual(measure_cache.measured(self.raw), first)


class Light(unittest.TestCase):
    def test_histograms_of_a_known_light(self) -> None:
        """A frame of one value has all its green light in one step of the axis."""
        r = measure(flat_frame(0.25))
        k = int(np.argmax(r.light[1]))
        self.assertAlmostEqual(r.light[1][k], 1.0, places=5)
        self.assertTrue(LIGHT_EV[k] <= np.log2(0.25 / 0.18) < LIGHT_EV[k + 1])
