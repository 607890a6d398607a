"""Plans for phones of which little is known: nothing absurd is recommended, and what is assumed is said."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

from bruto.container.quick_metadata import QuickMetadata
from bruto.phones.card import PhoneCard
from bruto.phones.card_learning import learn
from bruto.phones.ranges import range_of, with_limit
from bruto.plan.equipment import Equipment, ranges_of
from bruto.plan.forecast import forecast_of
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.plan.recommendations import LARGEST_MB, MOST_FRAMES, SCALES, facts_of, recommended, with_recommendations
from bruto.plan.shot_kinds import KINDS, kind_of

PHONE = ("Orrery", "Orrery Two")
PLACES = (Plan("a", "2026-08-12", 41.0, 8.5, zone="CET"), Plan("b", "2026-11-05", -33.0, 151.0))


def known_by(*shots: tuple[float, float]) -> PhoneCard:
    """The card of a phone of which shots (ISO, seconds) were seen."""
    seen = [
        QuickMetadata(
            "mosaic", (4000, 3000), *PHONE, iso=iso, exposure_s=s, focal_mm=6.0, focal_35mm=25.0, f_number=1.8
        )
        for iso, s in shots
    ]
    return learn(PhoneCard(*PHONE), seen)


CARDS = {
    0: PhoneCard("", ""),
    1: known_by((320.0, 1 / 60)),
    3: known_by((320.0, 1 / 60), (50.0, 1 / 900), (1250.0, 1 / 15)),
    30: known_by(*((50.0 * 2 ** (k % 7), 2.0 ** (k % 13 - 9)) for k in range(30))),
}


class UnknownPhones(unittest.TestCase):
    def test_nothing_absurd_whatever_is_known(self) -> None:
        for count, card in CARDS.items():
            means = Equipment(phone=card.title, ranges=ranges_of(card))
            for plan in PLACES:
                facts = facts_of(plan)
                for kind in KINDS:
                    with self.subTest(count, kind=kind, place=plan.name):
                        planned = with_recommendations(PlannedShot("w", kind), plan, means, facts)
                        forecast = forecast_of(planned, plan, means, facts)
                        assert planned.seconds is not None and planned.iso is not None
                        self.assertLessEqual(planned.frames, MOST_FRAMES)
                        self.assertLessEqual(forecast.megabytes, LARGEST_MB)
                        self.assertLessEqual(forecast.seconds, 7300.0)
                        self.assertTrue(25 <= planned.iso <= 6400)
                        if kind_of(kind).light == "sky":
                            self.assertTrue(2.0 <= planned.seconds <= 60.0)
                        if kind == "trail":
                            self.assertGreaterEqual(planned.seconds, 15.0)
                            self.assertTrue(60 <= planned.frames <= 480)

    def test_what_was_never_seen_is_assumed_in_words(self) -> None:
        facts = facts_of(PLACES[0])
        for count, assumed in ((0, True), (1, True), (3, True), (30, True)):
            means = Equipment(ranges=ranges_of(CARDS[count]))
            got = recommended(PlannedShot("t", "trail"), PLACES[0], means, facts)
            self.assertEqual(got["seconds"].assumes is not None, assumed, count)
            if (about := got["seconds"].assumes) is not None:
                self.assertIn("longest time of your phone is not known", about.text)
                self.assertEqual((about.scale, about.end, about.value), ("seconds", "most", got["seconds"].value))
            for name, scale in SCALES.items():  # what is not assumed was seen, or every phone has it
                if got[name].assumes is None:
                    self.assertIsNone(range_of(CARDS[count], scale).beyond(got[name].value))

    def test_an_answer_settles_it(self) -> None:
        card = with_limit(CARDS[1], "seconds", "most", 10.0)
        means = Equipment(ranges=ranges_of(card))
        got = recommended(PlannedShot("t", "trail"), PLACES[0], means, facts_of(PLACES[0]))
        self.assertEqual((got["seconds"].value, got["seconds"].assumes), (10.0, None))

    def test_a_phone_that_truly_ends_at_short_times_is_said_to_make_no_trails(self) -> None:
        card = with_limit(CARDS[1], "seconds", "most", 1 / 60)
        means = Equipment(ranges=ranges_of(card))
        plan = PLACES[0]
        got = recommended(PlannedShot("t", "trail"), plan, means, facts_of(plan))
        self.assertLessEqual(got["frames"].value * means.mb_each, LARGEST_MB)
        self.assertIn("GB", got["frames"].reason)
        got = recommended(PlannedShot("t", "trail"), replace(plan, free_mb=4000.0), means, facts_of(plan))
        self.assertLessEqual(got["frames"].value * means.mb_each, 4000.0)
        self.assertIn("free storage", got["frames"].reason)
        self.assertIn("too short to look like trails", got["frames"].reason)
        self.assertIn("darker than it is usually shown", got["iso"].reason)

    def test_a_field_says_the_light_that_it_gathers(self) -> None:
        card = with_limit(CARDS[1], "seconds", "most", 1.0)
        means = Equipment(ranges=ranges_of(card))
        got = recommended(PlannedShot("t", "field"), PLACES[0], means, facts_of(PLACES[0]))
        minutes = float(got["frames"].reason.split()[0])
        self.assertAlmostEqual(minutes, got["frames"].value * got["seconds"].value / 60, delta=0.06)

    def test_the_battery_ends_a_sequence(self) -> None:
        means = Equipment(ranges=ranges_of(CARDS[30]), percent_h=60.0)
        got = recommended(PlannedShot("t", "trail"), PLACES[0], means, facts_of(PLACES[0]))
        lasts = got["frames"].value * got["interval_s"].value
        self.assertTrue(math.isclose(60.0 * lasts / 3600, 70.0, rel_tol=0.05))
        self.assertIn("battery", got["frames"].reason)


if __name__ == "__main__":
    unittest.main()
