"""What is proposed for wishes and what it costs: what the phone offers, rules that are kept, the simulated phone."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np

from bruto.errors import BrutoError
from bruto.phones.ranges import Range
from bruto.plan.almanac import Spot, pole, star
from bruto.plan.equipment import Equipment, EquipmentLens, nearest, saturation_per
from bruto.plan.examples import example
from bruto.plan.forecast import forecast_of, lasting, longest_arc, star_light
from bruto.plan.noise import GREY, time_of_chance
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.plan.recommendations import at_text, facts_of, moment_of, recommended, with_recommendations
from bruto.plan.shot_kinds import KINDS, cautions_of
from bruto.plan.sky_recommendations import declination_of, target_of
from bruto.plan.stars import aperture_pitch, rule_500
from bruto.sensor.noise_model import NoiseModel
from bruto.simphone import sensor_model as sm
from bruto.simphone.night import MAGNITUDE_0_LUX, NightPhone

NOISE = NoiseModel(1 / (50 * 9000), 5e-9, (3 / (50 * 9000)) ** 2)
PHONE = Equipment(
    "A phone", (EquipmentLens(15, 2.2, 2.4), EquipmentLens(26, 5.9, 1.9), EquipmentLens(68, 9.4, 2.6)),
    ranges={
        "isos": Range((50, 100, 200, 400, 800, 1600, 3200), 0, math.inf),
        "seconds": Range((1 / 4000, 1 / 1000, 1 / 250, 1 / 60, 1 / 15, 1 / 4, 1, 4, 13, 30), 0, math.inf),
    },
    pace_s=1.4, noise=NOISE,
    limit_35mm=2.4, percent_h=12.0,
)  # fmt: skip
PLACES = (
    Plan("a", "2026-08-12", 41.0, 8.5, zone="CET"), Plan("b", "2026-11-05", -33.0, 151.0),
    Plan("c", "2026-06-21", 70.0, 20.0), Plan("d", "2026-12-21", 78.0, 15.0), Plan("e", "2026-03-01", 0.0, -179.9),
)  # fmt: skip


class Proposals(unittest.TestCase):
    def test_every_kind_everywhere_gets_what_the_phone_offers(self) -> None:
        for plan in PLACES:
            facts = facts_of(plan)
            for kind in KINDS:
                with self.subTest(plan.name, kind=kind):
                    got = recommended(PlannedShot("w", kind), plan, PHONE, facts)
                    self.assertIn(got["iso"].value, PHONE.isos)
                    self.assertIn(got["seconds"].value, PHONE.seconds)
                    self.assertIn(got["focal_35mm"].value, (15, 26, 68))
                    self.assertTrue(all(p.reason and math.isfinite(p.value) for p in got.values()))
                    planned = with_recommendations(PlannedShot("w", kind), plan, PHONE, facts)
                    again = recommended(planned, plan, PHONE, facts)
                    for name in ("iso", "seconds", "focal_35mm"):  # what was taken is what is proposed
                        self.assertEqual(getattr(planned, name), again[name].value)
                    forecast = forecast_of(planned, plan, PHONE, facts)
                    self.assertGreater(len(forecast.lines()), 3)
                    self.assertGreater(forecast.megabytes, 0)

    def test_the_rules_of_stars_are_kept(self) -> None:
        plan = PLACES[0]
        facts = facts_of(plan)
        got = recommended(PlannedShot("s", "stars"), plan, PHONE, facts)
        self.assertEqual(got["seconds"].value, 13)
        self.assertLessEqual(got["seconds"].value, rule_500(26))
        field = with_recommendations(PlannedShot("f", "field"), plan, PHONE, facts)
        lens = PHONE.lens(26)
        aim = Spot(field.altitude or 0, field.azimuth or 0)
        strict = aperture_pitch(1.9, lens.pixel_um or 0, 5.9, declination_of(aim, 41.0))
        self.assertLessEqual(field.seconds, strict)
        trail = with_recommendations(PlannedShot("t", "trail"), plan, PHONE, facts)
        self.assertGreaterEqual(trail.interval_s, trail.seconds + PHONE.pace_s)
        begin = moment_of(trail, plan.where)
        dark = facts.night.dark[0]
        self.assertGreaterEqual(begin, dark[0] - timedelta(minutes=1))
        self.assertLessEqual(begin + timedelta(seconds=trail.frames * trail.interval_s), dark[1])
        self.assertLessEqual(trail.frames * trail.interval_s, 7200)

    def test_where_it_looks(self) -> None:
        for plan, azimuth in ((PLACES[0], 0.0), (PLACES[1], 180.0)):
            facts = facts_of(plan)
            trail = with_recommendations(PlannedShot("t", "trail"), plan, PHONE, facts)
            self.assertEqual(trail.azimuth, azimuth)  # towards the pole that is up
            half = math.degrees(math.atan(3024 / 2 / PHONE.lens(26).focal_px))
            self.assertLess(abs(trail.altitude - pole(plan.where).altitude), half)  # which is in the frame
        plan = replace(PLACES[0], target="83.8,-5.4", date="2026-12-12")
        facts = facts_of(plan)
        planned = with_recommendations(PlannedShot("s", "stars"), plan, PHONE, facts)
        spot = star(83.8, -5.4)(plan.where, moment_of(planned, plan.where))
        self.assertAlmostEqual(planned.altitude, spot.altitude, delta=0.3)
        self.assertAlmostEqual(declination_of(Spot(planned.altitude, planned.azimuth), 41.0), -5.4, delta=0.4)
        for bad in ("here", "400,0", "10", "10,95"):
            with self.assertRaises(BrutoError):
                target_of(bad)

    def test_light_is_exposed_for(self) -> None:
        """By day grey comes to its place within half a step of what is offered; in the hand one in ten is blurred at
        most."""
        plan = PLACES[0]
        facts = facts_of(plan)
        for kind in ("other", "close", "window", "water", "infrared"):
            forecast = forecast_of(with_recommendations(PlannedShot("w", kind), plan, PHONE, facts), plan, PHONE, facts)
            self.assertLess(abs(math.log2(forecast.level / GREY)), 1.1, kind)
        dusk = with_recommendations(PlannedShot("d", "dusk"), plan, PHONE, facts)
        self.assertLessEqual(dusk.seconds, time_of_chance(0.1, 2.4 / 26, PHONE.spread) * 1.02)
        self.assertLessEqual(forecast_of(dusk, plan, PHONE, facts).blur, 0.11)
        on_tripod = replace(dusk, support="tripod", seconds=None, iso=None)
        self.assertIsNone(forecast_of(on_tripod, plan, PHONE, facts).blur)
        self.assertGreater(recommended(on_tripod, plan, PHONE, facts)["seconds"].value, dusk.seconds)

    def test_an_iso_beyond_which_noise_does_not_fall(self) -> None:
        plan = replace(PLACES[0], darkness=20.0)
        facts = facts_of(plan)
        noisy = replace(PHONE, noise=NoiseModel(NOISE.photons, 1e-6, 1e-12))  # its converter is coarse: ISO helps
        planned = with_recommendations(PlannedShot("s", "stars"), plan, noisy, facts)
        best = forecast_of(planned, plan, noisy, facts).snr
        for iso in noisy.isos:
            forecast = forecast_of(replace(planned, iso=iso), plan, noisy, facts)
            if not forecast.full:
                self.assertLess(forecast.snr, best * 1.2)
        low = forecast_of(replace(planned, iso=50), plan, noisy, facts).snr
        self.assertGreater(best, 1.5 * low)

    def test_without_a_night_and_without_a_phone(self) -> None:
        polar = PLACES[2]
        got = recommended(PlannedShot("t", "trail"), polar, Equipment(), facts_of(polar))
        self.assertIn("does not set", got["at"].reason)
        plan = PLACES[0]
        got = recommended(PlannedShot("t", "trail"), plan, Equipment(), facts_of(plan))
        self.assertIn("typical phone", got["interval_s"].reason)

    def test_moments(self) -> None:
        place = PLACES[0].where
        self.assertEqual(
            moment_of(PlannedShot("a", at="2026-08-12T23:10"), place), datetime(2026, 8, 12, 21, 10, tzinfo=UTC)
        )
        self.assertEqual(at_text(datetime(2026, 8, 12, 21, 9, 40, tzinfo=UTC), place), "2026-08-12T23:10")
        self.assertIsNone(moment_of(PlannedShot("a"), place))
        with self.assertRaises(BrutoError):
            moment_of(PlannedShot("a", at="soon"), place)


class Prices(unittest.TestCase):
    def test_light_as_the_simulated_phone_gathers_it(self) -> None:
        self.assertAlmostEqual(saturation_per(1.9), sm.exposure_factor(1.0, 1.0, 1.9), places=12)
        phone = NightPhone(size=(504, 378))
        lens = EquipmentLens(26.0, 5.9, 1.9, (504, 378))
        for magnitude in (0.0, 4.0):
            lux = MAGNITUDE_0_LUX * 10 ** (-0.4 * magnitude)
            simulated = lux * phone._gathered(1.0) / sm.SATURATION_LUX_S
            self.assertAlmostEqual(star_light(lens, magnitude, 90.0) / simulated, 1, delta=0.12)

    def test_noise_as_the_simulated_phone_has_it(self) -> None:
        """A flat light, taken: its signal over noise is what the price tells, within 15 %."""
        plan = PLACES[0]
        facts = facts_of(plan)
        planned = replace(with_recommendations(PlannedShot("w", "dusk"), plan, PHONE, facts), kind="other", frames=1)
        forecast = forecast_of(planned, plan, PHONE, facts)
        random = np.random.default_rng(3)
        a, b = sm.sensor_for(12).noise(planned.iso)
        light = random.normal(forecast.level, math.sqrt(a * forecast.level + b), 200_000)
        self.assertAlmostEqual(forecast.snr / (light.mean() / light.std()), 1, delta=0.15)
        merged = forecast_of(replace(planned, kind="dusk", frames=9), plan, PHONE, facts)
        self.assertAlmostEqual(merged.snr / forecast.snr, 3, delta=0.05)

    def test_room_time_and_battery(self) -> None:
        plan = replace(PLACES[0], free_mb=5000.0)
        facts = facts_of(plan)
        trail = PlannedShot("t", "trail", "2026-08-12T23:10", 800.0, 13.0, 26.0, 240, 15.0)
        forecast = forecast_of(trail, plan, PHONE, facts)
        self.assertEqual((forecast.seconds, forecast.megabytes, forecast.fits), (239 * 15 + 13, 240 * 25.0, False))
        self.assertAlmostEqual(forecast.percent, 12.0 * forecast.seconds / 3600)
        self.assertAlmostEqual(forecast.arc, 15.041 * forecast.seconds / 3600, delta=0.01)
        self.assertTrue(any(name == "Storage" and minded for name, _, minded in forecast.lines()))
        self.assertTrue(forecast_of(replace(trail, frames=100), plan, PHONE, facts).fits)
        length, alternative = longest_arc(trail, plan, PHONE, facts)
        self.assertGreater(length, 500)
        self.assertTrue(alternative)
        self.assertEqual(lasting(forecast.seconds), "59 min 58 s")

    def test_the_example_is_a_plan_that_can_be_priced(self) -> None:
        plan = example()
        facts = facts_of(plan)
        for planned in plan.planned_shots:
            self.assertFalse(forecast_of(planned, plan, PHONE, facts).full)
            self.assertEqual(planned.cautions, cautions_of(planned.kind))
        self.assertEqual(nearest((1, 2, 4), 2.7), 2)


if __name__ == "__main__":
    unittest.main()
